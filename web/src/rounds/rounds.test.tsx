// @vitest-environment happy-dom
/** Rounds: what is due where, and one task at a time with its caution; ticked by a key, trouble told of a part. */
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
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
  lubricates: false,
  caution: "Unplugged.",
  trouble: "Rough, wobbling.",
  measure: null,
  parts: [],
  last_at: null,
  last_by: "",
  last_found: "",
  ...more,
});
const part = (id: number, label: string) => ({ id, label, place: "x", kind: "idler", lubricant: "One drop." });
const IDLERS = task("idlers", "Idlers spun", { parts: [part(1, "Idlers, X"), part(2, "Idlers, Y")] });
const BELTS = task("belts", "Belts looked at", { state: "powered", overdue_by: -3, caution: "Hands out." });
const service = (more: Partial<Schemas["ServiceOut"]> = {}): Schemas["ServiceOut"] => ({
  due: [IDLERS, BELTS],
  round: ["idlers", "belts"],
  asked: [],
  ...more,
});

function page(found = service()) {
  const server = slowServer();
  const hands = handle(
    <RoundPage />,
    [
      [["printer", 3], { id: 3, name: "Bowline" }],
      [["printer", 3, "service"], found],
    ],
    { path: "/rounds/3", route: "/rounds/:id" },
  );
  return { server, hands };
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
  it("shows one task, its state and its caution, and is ticked by a key", async () => {
    const { server, hands } = page();
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
    await waitFor(() => expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Belts looked at"));
    expect(screen.getByText("Powered: it may move")).toBeTruthy();
  });

  it("asks in which part trouble was found, and says at its field what is missing", async () => {
    const { server, hands } = page();
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
    const { hands } = page();
    await hands.click(screen.getByRole("button", { name: "Later" }));
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Belts looked at");
    await hands.click(screen.getByRole("button", { name: "Later" }));
    await hands.click(screen.getByRole("button", { name: "Take it up again" }));
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
