/** News of the workshop: what it makes stale, and that views ask by themselves where it cannot be heard. */
// @vitest-environment happy-dom
import { QueryClient } from "@tanstack/react-query";
import { act, cleanup, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { stale, useAgain, useEvents } from "./events";

class Line {
  static all: Line[] = [];
  onopen = () => {};
  onerror = () => {};
  onmessage = (_: { data: string }) => {};
  closed = false;
  constructor(readonly url: string) {
    Line.all.push(this);
  }
  close() {
    this.closed = true;
  }
}

const KEYS = [
  ["case", 12],
  ["case", 13],
  ["printer", 3],
  ["rounds", 3, "a", null],
  ["printer", 4],
  ["floor"],
  ["cases", "open", ""],
  ["workshop"],
];
function filled() {
  const client = new QueryClient();
  for (const key of KEYS) client.setQueryData(key, "known");
  return client;
}
const staleOf = (client: QueryClient) =>
  KEYS.filter((k) => client.getQueryState(k)!.isInvalidated).map((k) => k.join(" "));

function View({ client }: { client: QueryClient }) {
  useEvents(client);
  return <p>asks again after {useAgain(4000)} ms</p>;
}
const asksAfter = (ms: number) => expect(screen.getByText(`asks again after ${ms} ms`)).toBeTruthy();

describe("what news makes stale", () => {
  it("a case: itself, and the lists", () => {
    const client = filled();
    stale(client, "case 12");
    expect(staleOf(client)).toEqual(["case 12", "floor", "cases open "]);
  });
  it("a machine: all that is known of it, and the lists", () => {
    const client = filled();
    stale(client, "printer 3");
    expect(staleOf(client)).toEqual(["printer 3", "rounds 3 a ", "floor", "cases open "]);
  });
  it("a machine: its own case that is shown, and no other's", () => {
    const client = filled();
    client.setQueryData(["case", 12], { printer_id: 3 });
    client.setQueryData(["case", 13], { printer_id: 4 });
    stale(client, "printer 3");
    expect(staleOf(client)).toEqual(["case 12", "printer 3", "rounds 3 a ", "floor", "cases open "]);
  });
  it("everything, where nothing is known of what was missed; nothing, where the word is strange", () => {
    const client = filled();
    stale(client, "weather 3");
    expect(staleOf(client)).toEqual([]);
    stale(client, "all 0");
    expect(staleOf(client)).toHaveLength(KEYS.length);
  });
});

describe("listening", () => {
  beforeEach(() => {
    Line.all = [];
    vi.stubGlobal("EventSource", Line);
    vi.useFakeTimers();
  });
  afterEach(() => {
    cleanup();
    vi.useRealTimers();
    vi.unstubAllGlobals();
    vi.restoreAllMocks();
  });

  it("asks seldom while it is told, and often again when the line breaks", () => {
    render(<View client={filled()} />);
    asksAfter(4000);
    act(() => Line.all[0]!.onopen());
    asksAfter(60_000);
    act(() => Line.all[0]!.onerror());
    asksAfter(4000);
  });

  it("takes a burst as one", () => {
    const client = filled();
    const asked = vi.spyOn(client, "invalidateQueries");
    render(<View client={client} />);
    for (let i = 0; i < 5; i++) Line.all[0]!.onmessage({ data: "case 12" });
    expect(asked).not.toHaveBeenCalled();
    act(() => vi.advanceTimersByTime(400));
    expect(asked).toHaveBeenCalledTimes(3);
  });

  it("asks for everything when it hears again after it did not", () => {
    const client = filled();
    render(<View client={client} />);
    act(() => Line.all[0]!.onopen());
    // At first only of what two may have in hand: something may have come before the line was there.
    expect(staleOf(client)).toEqual(["case 12", "case 13", "rounds 3 a "]);
    act(() => Line.all[0]!.onopen());
    expect(staleOf(client)).toHaveLength(KEYS.length);
  });

  it("leaves the line while nobody looks, and takes a new one after", () => {
    render(<View client={filled()} />);
    const hidden = vi.spyOn(document, "hidden", "get").mockReturnValue(true);
    act(() => void document.dispatchEvent(new Event("visibilitychange")));
    expect(Line.all.map((l) => l.closed)).toEqual([true]);
    hidden.mockReturnValue(false);
    act(() => void document.dispatchEvent(new Event("visibilitychange")));
    expect(Line.all.map((l) => l.closed)).toEqual([true, false]);
    cleanup();
    expect(Line.all.map((l) => l.closed)).toEqual([true, true]);
  });
});
