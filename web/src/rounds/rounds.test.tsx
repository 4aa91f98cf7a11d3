// @vitest-environment happy-dom
/** Rounds: what is due where, and one task at a time with its caution; ticked by a key, trouble told of a part. */
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { MeContext } from "../session/me";
import { draw } from "../tests/draw";
import { handle, slowServer } from "../tests/hands";
import { RoundPage } from "./RoundPage";
import { RoundsPage } from "./RoundsPage";

type Task = Schemas["TaskDueOut"];
const task = (name: string, label: string, more: Partial<Task> = {}): Task => ({
  task: name,
  label,
  due_on: "2026-05-01",
  soonest: "2026-05-01",
  latest: "2026-05-01",
  because: "time",
  overdue_by: 12,
  used: 1.4,
  why: "42 days since it was last done; every 30.",
  state: "unplugged",
  minutes: 8,
  steps: ["Spin each by hand."],
  tools: ["oil"],
  fetched: ["cloth", "light oil"],
  lubricates: false,
  caution: "Unplugged.",
  trouble: "Rough, wobbling.",
  shows: [{ finding: "idler_wobbles", label: "An idler wobbles" }],
  measure: null,
  parts: [],
  last_at: null,
  last_by: "",
  last_found: "",
  ...more,
});
const part = (id: number, label: string) => ({
  id,
  label,
  place: "x",
  kind: "idler",
  lubricant: "One drop.",
  adjusts: false,
});
const IDLERS = task("idlers", "Idlers spun", { parts: [part(1, "Idlers, X"), part(2, "Idlers, Y")] });
const BELTS = task("belts", "Belts looked at", { state: "powered", overdue_by: -3, caution: "Hands out." });
const service = (more: Partial<Schemas["ServiceOut"]> = {}): Schemas["ServiceOut"] => ({
  due: [IDLERS, BELTS],
  round: ["idlers", "belts"],
  asked: [],
  listen: { procedure: "ten-seconds", place: "frame" },
  ...more,
});

const description = { kinematics: "bed_slinger", transmissions: {}, pairs: [] };
const ME = { id: 1, name: "Wen", role: "technician", light: "day" } as never;

function page(found = service(), path = "/rounds/3") {
  const server = slowServer();
  const hands = handle(
    <MeContext value={ME}>
      <RoundPage />
    </MeContext>,
    [
      [["printer", 3], { id: 3, name: "Bowline", description }],
      [["printer", 3, "service"], found],
      [["printer", 5], { id: 5, name: "Carrick", description }],
      [["printer", 5, "service"], service({ round: ["belts"] })],
    ],
    { path, route: "/rounds/:id" },
  );
  return { server, hands };
}

/** Past the question after the state of the machine. */
async function unplugged(found = service()) {
  const all = page(found);
  await all.hands.keyboard("1");
  return all;
}

describe("what is due", () => {
  const row = (printer_id: number, printer: string, due: number) => ({
    printer_id,
    printer,
    area: "Long walk",
    due,
    never: due ? 1 : 0,
    worst: due ? "Belts looked at" : "",
    overdue_by: due ? 12.3 : null,
    minutes: 31.4,
    next_on: "2026-06-01",
  });
  it("names the machines with how much and how long over, and those that want nothing", () => {
    const html = draw(<RoundsPage />, [[["service"], [row(1, "Bowline", 3), row(2, "Capstan", 0)]]]);
    expect(html).toContain("3 tasks due, 1 of them never written down. Belts looked at: 12 days over.");
    expect(html).toContain("31 min");
    expect(html).toMatch(/Nothing due Capstan next on/);
    expect(draw(<RoundsPage />, [[["service"], [row(2, "Capstan", 0)]]])).toContain("Nothing is due today.");
  });
});

describe("a round", () => {
  it("asks for the state of the machine when it changes, and it stands there while it lasts", async () => {
    const { server, hands } = page();
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Unplug the machine");
    expect(screen.queryByText("Unplugged")).toBeNull();
    expect(screen.queryByRole("button", { name: /Done, all fine/ })).toBeNull();
    await hands.keyboard("1");
    expect(server.sent).toHaveLength(0);
    expect(screen.getByText("Unplugged")).toBeTruthy();
    await hands.click(screen.getByRole("button", { name: "Later" }));
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Refit everything, then plug it in");
    await hands.click(screen.getByRole("button", { name: /It has power, hands are out/ }));
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Belts looked at");
    expect(screen.getByText("Powered: it may move")).toBeTruthy();
  });

  it("leads on to the next machine of the go", async () => {
    const { hands } = page(service({ round: [] }), "/rounds/3?then=5,9");
    expect(screen.getByText(/; then Carrick, machine 9/)).toBeTruthy();
    await hands.click(screen.getByRole("button", { name: "On to Carrick" }));
    expect(await screen.findByRole("link", { name: "Carrick" })).toBeTruthy();
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Refit everything, then plug it in");
  });

  it("becomes a case with what it is, and a picture goes with the deed", async () => {
    const { server, hands } = await unplugged();
    await hands.keyboard("3");
    await hands.selectOptions(screen.getByLabelText("In which?"), "Idlers, Y");
    await hands.type(screen.getByLabelText("What is wrong?"), "Grates.");
    expect(screen.queryByRole("button", { name: "Put right on the spot" })).toBeNull();
    await hands.click(screen.getByRole("button", { name: "A case" }));
    await hands.selectOptions(screen.getByLabelText("It is"), "An idler wobbles");
    await hands.upload(screen.getByLabelText("Take a picture"), new File(["x"], "i.jpg", { type: "image/jpeg" }));
    await hands.click(screen.getAllByRole("button", { name: "Write it down" })[0]!);
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toMatchObject({ becomes: "case", finding: "idler_wobbles", component_id: 2 });
    server.answer({ ...service({ round: ["belts"] }), id: 41, case: 9 });
    await waitFor(() => expect(server.sent[1]?.url).toBe("/api/deeds/41/picture"));
    server.answer([]);
    expect((await screen.findByRole("status")).textContent).toMatch(/^Case 9 is open/);
  });

  it("leads to where the healthy sound is kept", () => {
    page();
    const link = screen.getByRole("link", { name: "All is well? Keep its healthy sound" });
    expect(link.getAttribute("href")).toBe("/bench/3/ten-seconds/frame");
  });

  it("shows one task, its state and its caution, and is ticked by a key", async () => {
    const { server, hands } = await unplugged();
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Idlers spun");
    expect(screen.getByText("Unplugged")).toBeTruthy();
    expect(screen.getByText("One drop.", { exact: false })).toBeTruthy();
    await hands.keyboard("1");
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/printers/3/service/done",
      body: { task: "idlers", found: "fine", words: "", component_id: null },
    });
    server.answer(service({ round: ["belts"] }));
    await waitFor(() => expect(screen.getByRole("heading", { level: 1 }).textContent).toMatch(/plug it in/));
  });

  it("offers to put right on the spot only what can be, whichever part was chosen before", async () => {
    const tight = { ...part(1, "Belt, X"), adjusts: true };
    const found = service({ due: [{ ...IDLERS, parts: [tight, part(2, "Pulley, X")] }], round: ["idlers"] });
    const { server, hands } = await unplugged(found);
    await hands.keyboard("3");
    await hands.selectOptions(screen.getByLabelText("In which?"), "Belt, X");
    await hands.click(screen.getByRole("button", { name: "Put right on the spot" }));
    await hands.selectOptions(screen.getByLabelText("In which?"), "Pulley, X");
    expect(screen.queryByRole("button", { name: "Put right on the spot" })).toBeNull();
    await hands.type(screen.getByLabelText("What is wrong?"), "It slips.");
    await hands.click(screen.getAllByRole("button", { name: "Write it down" })[0]!);
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toMatchObject({ becomes: "kept", component_id: 2 });
  });

  it("goes on at once when it is ticked, and comes back to what was refused", async () => {
    const { server, hands } = await unplugged();
    await hands.keyboard("1");
    // Nothing was answered yet.
    expect(screen.getByRole("heading", { level: 1 }).textContent).toMatch(/plug it in/);
    await waitFor(() => expect(server.sent).toHaveLength(1));
    server.answer({ status: 404, code: "not_found", title: "", detail: "There is no such task.", field: null }, 404);
    expect((await screen.findAllByText("There is no such task.")).length).toBeGreaterThan(0);
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Idlers spun");
  });

  it("asks in which part trouble was found, and says at its field what is missing", async () => {
    const { server, hands } = await unplugged();
    await hands.keyboard("3");
    await hands.selectOptions(screen.getByLabelText("In which?"), "Idlers, Y");
    await hands.type(screen.getByLabelText("What is wrong?"), "Grates. 1");
    expect(server.sent).toHaveLength(0);
    await hands.click(screen.getAllByRole("button", { name: "Write it down" })[0]!);
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({ body: { found: "trouble", words: "Grates. 1", component_id: 2 } });
    server.answer(
      { status: 422, code: "missing_field", title: "", detail: "Say in which.", field: "component_id" },
      422,
    );
    expect((await screen.findAllByText("Say in which.")).length).toBeGreaterThan(0);
    expect(screen.getByLabelText<HTMLInputElement>("What is wrong?").value).toBe("Grates. 1");
  });

  it("can leave a task for later, and take it up again", async () => {
    const { hands } = await unplugged();
    await hands.click(screen.getByRole("button", { name: "Later" }));
    await hands.keyboard("1");
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Belts looked at");
    await hands.click(screen.getByRole("button", { name: "Later" }));
    await hands.click(screen.getByRole("button", { name: "Take it up again" }));
    await hands.keyboard("1");
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Idlers spun");
  });

  it("keeps what the machine asks for in its words until it is cleared", async () => {
    const asked = [{ id: 7, words: "LUBRICATE X", task: "idlers", at: new Date().toISOString(), by: "Wen" }];
    const { server, hands } = page(service({ asked }));
    const sheet = screen.getByRole("region", { name: "What the machine asks for" });
    expect(sheet.textContent).toContain("LUBRICATE X");
    expect(sheet.textContent).toContain("It means: idlers spun");
    await hands.click(within(sheet).getByRole("button", { name: "Done, and cleared on it" }));
    await waitFor(() => expect(server.sent[0]?.url).toBe("/api/service/asked/7/clear"));
  });
});
