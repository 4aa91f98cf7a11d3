/** What waits on the device: kept before it is sent, sent once each in order, as whose it is; what is refused waits for the person. */
// @vitest-environment happy-dom
import { act, screen, waitFor } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { Refusal } from "../api/client";
import { technician } from "../tests/draw";
import { handle } from "../tests/hands";
import { all, asKeptNow, drop, type Entry, keep, plucked, sendAll, sendOrKeep, takeOver } from "./entries";
import { KeptEntries } from "./KeptEntries";
import { KeptNote } from "./KeptNote";

const disk = vi.hoisted(() => ({ stores: new Map<string, Map<string, unknown>>(), full: false }));
vi.mock("idb-keyval", () => {
  const of = (store: string) => disk.stores.get(store) ?? disk.stores.set(store, new Map()).get(store)!;
  return {
    createStore: (name: string) => name,
    entries: async (store: string) => [...of(store)],
    del: async (key: string, store: string) => void of(store).delete(key),
    set: async (key: string, value: unknown, store: string) => {
      if (disk.full) throw new Error("no room");
      of(store).set(key, value);
    },
  };
});

type Sent = { path: string; key: string | null; entered: string | null; body: unknown };
let sent: Sent[];
let answers: (path: string) => Response | Promise<Response>;
const json = (body: unknown, status = 200) =>
  new Response(JSON.stringify(body), { status, headers: { "content-type": "application/json" } });

beforeEach(() => {
  disk.stores.clear();
  disk.full = false;
  sent = [];
  answers = () => json({ id: 7 });
  Object.defineProperty(navigator, "onLine", { value: false, configurable: true });
  vi.stubGlobal("fetch", async (path: string, init: RequestInit) => {
    if (path === "/api/health") return answers(path);
    const [key, entered] = ["Idempotency-Key", "Entered-At"].map((h) => new Headers(init.headers).get(h));
    sent.push({
      path,
      key: key!,
      entered: entered!,
      body: typeof init.body === "string" ? JSON.parse(init.body) : init.body,
    });
    return answers(path);
  });
});

const cut = () => {
  throw new TypeError("no network");
};
const report = (n: number, more: Partial<Entry> = {}): Entry => ({
  id: `k${n}`,
  who: technician.id,
  name: "Wen",
  at: 1000 * n,
  words: `Report ${n}`,
  about: "/cases",
  writes: [{ path: "/api/cases", key: `k${n}`, body: JSON.stringify({ n }) }],
  ...more,
});

describe("an entry", () => {
  it("is kept before it goes out, and forgotten once the workshop has it", async () => {
    answers = async () => {
      expect(disk.stores.get("kestov-entries")!.size).toBe(1);
      return json({ id: 7 });
    };
    expect(await sendOrKeep(report(1))).toEqual({ id: 7 });
    expect(disk.stores.get("kestov-entries")!.size).toBe(0);
  });

  it("waits where the workshop cannot be reached, and then goes out once, in order, with its keys", async () => {
    answers = cut;
    expect(await sendOrKeep(report(2))).toBeNull();
    expect(await sendOrKeep(report(1))).toBeNull();
    expect(await sendAll(technician.id)).toBe(0);
    sent = [];
    answers = () => json({ id: 7 });
    expect(await sendAll(technician.id)).toBe(2);
    expect(sent.map((s) => s.key)).toEqual(["k1", "k2"]);
    expect(await sendAll(technician.id)).toBe(0);
    expect(await all()).toEqual([]);
  });

  it("goes out after what was entered before it", async () => {
    answers = cut;
    await sendOrKeep(report(1));
    answers = () => json({ id: 7 });
    sent = [];
    expect(await sendOrKeep(report(2))).toEqual({ id: 7 });
    expect(sent.map((s) => s.key)).toEqual(["k1", "k2"]);
  });

  it("waits behind what cannot go out yet", async () => {
    await keep(report(1));
    answers = (path) => (path === "/api/health" ? json({}) : cut());
    expect(await sendOrKeep(report(2))).toBeNull();
    expect(sent.map((s) => s.key)).toEqual(["k1"]);
    expect((await all()).map((e) => e.id)).toEqual(["k1", "k2"]);
  });

  it("of two requests: the second goes where the first one's answer says, and both again with their keys", async () => {
    const picture = { path: "/api/cases/{id}/pictures", key: "p", body: [{ name: "file", value: new Blob(["x"]) }] };
    answers = (path) => (path === "/api/cases" ? json({ id: 7 }) : cut());
    expect(await sendOrKeep(report(1, { writes: [...report(1).writes, picture] }))).toBeNull();
    answers = () => json({ id: 7 });
    await sendAll(technician.id);
    expect(sent.map((s) => [s.path, s.key])).toEqual([
      ["/api/cases", "k1"],
      ["/api/cases/7/pictures", "p"],
      ["/api/cases", "k1"],
      ["/api/cases/7/pictures", "p"],
    ]);
  });

  it("that is refused at once goes back to its form; later it waits with why, and holds up no other", async () => {
    answers = () => json({ code: "out_of_range", detail: "Too long.", field: "words" }, 422);
    await expect(sendOrKeep(report(1))).rejects.toThrow("Too long.");
    expect(await all()).toEqual([]);
    await keep(report(1));
    await keep(report(2));
    answers = () => (sent.length % 2 ? json({ code: "closed", detail: "The case is closed." }, 409) : json({}));
    sent = [];
    expect(await sendAll(technician.id)).toBe(1);
    expect((await all()).map((e) => [e.id, e.refused])).toEqual([["k1", "The case is closed."]]);
    // It is not sent again by itself.
    expect(await sendAll(technician.id)).toBe(0);
  });

  it("that no form holds is kept on, but for what the core cannot use", async () => {
    answers = () => json({ code: "forbidden", detail: "Not yours." }, 403);
    await expect(sendOrKeep(report(1), { inForm: false })).rejects.toThrow("Not yours.");
    expect((await all())[0]!.refused).toBe("Not yours.");
    answers = () => json({ code: "unreadable", detail: "No sound." }, 422);
    await expect(sendOrKeep(report(2), { inForm: false })).rejects.toThrow("No sound.");
    expect((await all()).map((e) => e.id)).toEqual(["k1"]);
  });

  it("stops the row while nobody is signed in, and loses nothing", async () => {
    await keep(report(1));
    await keep(report(2));
    answers = () => json({ code: "signed_out", detail: "Sign in." }, 401);
    expect(await sendAll(technician.id)).toBe(0);
    expect(sent).toHaveLength(1);
    expect((await all()).every((e) => !e.refused)).toBe(true);
  });

  it("is said to be unreachable, not kept, where the browser keeps nothing", async () => {
    disk.full = true;
    answers = cut;
    await expect(sendOrKeep(report(1))).rejects.toBeInstanceOf(Refusal);
  });

  it("says when it was taken if it comes late, by the workshop's clock", async () => {
    const taken = { id: "r1", place: "a", context: {} } as unknown as Parameters<typeof plucked>[1]["meta"];
    const wav = new Blob(["w"], { type: "audio/wav" });
    const recorded = { id: "r1", printerId: 3, printer: "Marline", meta: taken, wav, name: "belt.wav" };
    const entry = { ...plucked(technician, recorded), at: Date.now() - 3600_000 };
    await keep(entry);
    // The workshop's clock is a day ahead: that is seen from its answers.
    const date = new Date(Date.now() + 86400_000).toUTCString();
    answers = () => new Response("{}", { headers: { Date: date } });
    await sendAll(technician.id);
    const form = sent[0]!.body as FormData;
    // Its content is as it was the first time: with the same key it is the same write.
    expect(JSON.parse(form.get("meta") as string)).toEqual(taken);
    expect(Date.parse(sent[0]!.entered!) / 60_000).toBeCloseTo((Date.now() + 23 * 3600_000) / 60_000, 0);
    expect(sent[0]!.path).toBe("/api/printers/3/belt-pluck/file");
    expect((form.get("file") as File).name).toBe("belt.wav");
  });

  it("keeps its order though the workshop's clock is told anew between two entries of one second", async () => {
    const start = Date.now() - 60_000;
    await keep(report(1, { at: start }));
    await keep(report(2, { at: start + 200 }));
    // The health answer names a second that had just begun; the answer to the first entry one that was nearly over.
    const second = Math.floor(Date.now() / 1000) * 1000;
    let told = second + 1000;
    answers = () => {
      const answer = new Response('{"id": 7}', { headers: { Date: new Date(told).toUTCString() } });
      told = second;
      return answer;
    };
    await sendAll(technician.id);
    const [turned, plucked] = sent.map((s) => Date.parse(s.entered!));
    expect(plucked).toBeGreaterThan(turned!);
    // It is the order that is kept, no other time: the two are not further apart than they can be told.
    expect(plucked! - turned!).toBeLessThan(1000);
  });

  it("of an earlier version is taken over in today's shape, without a time that nobody knows", async () => {
    const meta = { id: "r1", place: "a", span_mm: 285 } as unknown as Parameters<typeof plucked>[1]["meta"];
    const old = { id: "r1", printerId: 3, printer: "Marline", meta, wav: new Blob(["w"]), name: "belt.wav" };
    const taken = asKeptNow(technician, old);
    const [write] = taken.writes;
    expect(JSON.parse((write!.body as { value: string }[])[0]!.value)).toEqual({
      id: "r1",
      place: "a",
      context: { span_mm: 285 },
    });
    expect(taken.undated).toBe(true);
    disk.stores.set("kestov", new Map([["r1", old]]));
    await takeOver(technician);
    expect((await all()).map((e) => e.id)).toEqual(["r1"]);
    expect(disk.stores.get("kestov")!.size).toBe(0);
  });
});

describe("the line of what waits", () => {
  it("tells how many and since when, lists them, and throws away only what is meant", async () => {
    answers = cut;
    await keep(report(1));
    await keep(report(2, { who: 5, name: "Suna" }));
    const hand = handle(<KeptEntries />);
    expect((await screen.findByRole("status")).textContent).toContain("2 entries are kept here");
    await hand.click(screen.getByRole("button", { name: "Show the list" }));
    expect(screen.getByText(/goes out when Suna signs in/)).toBeTruthy();
    // Whose it is, not what.
    expect(screen.queryByText("Report 2")).toBeNull();
    expect(screen.getAllByRole("button", { name: "Throw away" })).toHaveLength(1);
    await hand.click(screen.getByRole("button", { name: "Throw away" }));
    expect(await all()).toHaveLength(2);
    await hand.click(screen.getByRole("button", { name: "Throw it away for good" }));
    await waitFor(async () => expect((await all()).map((e) => e.name)).toEqual(["Suna"]));
  });

  it("lets the lead clear what somebody left, unread, and nobody else", async () => {
    answers = cut;
    await keep(report(2, { who: 5, name: "Suna" }));
    const hand = handle(<KeptEntries />, [], { me: { ...technician, role: "lead" } });
    await hand.click(await screen.findByRole("button", { name: "Show the list" }));
    expect(screen.queryByText("Report 2")).toBeNull();
    await hand.click(screen.getByRole("button", { name: "Throw away" }));
    await hand.click(screen.getByRole("button", { name: /unread: tell Suna/ }));
    await waitFor(async () => expect(await all()).toEqual([]));
  });

  it("goes from the page that made the entry once that has gone out, and not where it was thrown away", async () => {
    answers = cut;
    await sendOrKeep(report(1));
    await sendOrKeep(report(2));
    handle(
      <>
        <KeptNote id="k1" />
        <KeptNote id="k2" />
      </>,
    );
    await act(() => drop("k2"));
    expect(screen.getAllByRole("status")).toHaveLength(2);
    answers = () => json({ id: 7 });
    await act(async () => void (await sendAll(technician.id)));
    expect(screen.getAllByRole("status")).toHaveLength(1);
  });

  it("sends by itself what is one's own once it can, and lets one try again what was refused", async () => {
    await keep(report(1, { refused: "The machine is tagged out." }));
    answers = cut;
    const hand = handle(<KeptEntries />);
    await hand.click(await screen.findByRole("button", { name: "Show the list" }));
    expect(screen.getByText(/Refused: The machine is tagged out/)).toBeTruthy();
    await hand.click(screen.getByRole("button", { name: "Try again" }));
    await waitFor(() => expect(screen.queryByText(/Refused/)).toBeNull());
    expect(await all()).toHaveLength(1);
    answers = () => json({ id: 7 });
    act(() => void window.dispatchEvent(new Event("online")));
    await waitFor(() => expect(screen.queryByRole("status")).toBeNull());
  });
});
