// @vitest-environment happy-dom
/** How much a machine was used: what is counted and what is guessed, and a job log that is looked at before it is taken. */
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { handle, slowServer } from "../tests/hands";
import { UsePage } from "./UsePage";

const meter = (what: string, unit: string, value: number, more: Partial<Schemas["MeterOut"]> = {}) => ({
  what,
  unit,
  value,
  estimated: false,
  typical: false,
  u95: null,
  read_at: new Date().toISOString(),
  a_day: 6,
  shown: null,
  ...more,
});
const USE: Schemas["UseOut"] = {
  meters: [
    meter("hours", "h", 865),
    meter("filament", "kg", 12.4, { estimated: true, u95: 0.8 }),
    meter("x", "km", 90, { typical: true, estimated: true, u95: 180 }),
  ],
  weeks: [
    { monday: "2026-03-02", hours: 42, filament_kg: 0.7 },
    { monday: "2026-03-09", hours: 20, filament_kg: null },
  ],
  logs: [
    {
      id: 3,
      name: "spring.csv",
      by: "Wen Askel",
      at: new Date().toISOString(),
      taken_at: null,
      jobs: 0,
      new: 0,
      began: null,
      ended: null,
      wrong: [{ row: 5, column: "Time", message: "Row 5, column Time: “soon” is no length." }],
    },
  ],
};
const columns: Schemas["JobColumns"] = {
  began: "Begun",
  ended: "",
  took: "Time",
  took_in: "clock",
  name: "What",
  filament: "",
  filament_in: "g",
  diameter_mm: 1.75,
  travel: {},
  travel_in: "m",
  dates: "year_first",
  zone: "UTC",
};
const seen = (more: Partial<Schemas["LogSeen"]> = {}): Schemas["LogSeen"] => ({
  names: ["Begun", "Time", "What"],
  first: [["2026-03-02 08:00", "6:00:00", "clip"]],
  columns,
  remembered: false,
  rows: 14,
  jobs: 14,
  unbegun: 0,
  known: 0,
  hours: 84,
  filament_kg: null,
  began: "2026-03-02T08:00:00Z",
  ended: "2026-03-15T14:00:00Z",
  weeks: USE.weeks,
  wrong: [],
  wrong_rows: 0,
  problem: "",
  field: "",
  ...more,
});
const LOG = new File(["Begun,Time,What\n2026-03-02 08:00,6:00:00,clip\n"], "jobs.csv");

function page() {
  const server = slowServer();
  const hands = handle(
    <UsePage />,
    [
      [["printer", 1], { id: 1, name: "Bowline" }],
      [["printer", 1, "use"], USE],
    ],
    { path: "/machines/1/use", route: "/machines/:id/use" },
  );
  return { server, hands };
}

async function chosen(answer: Schemas["LogSeen"]) {
  const { server, hands } = page();
  await hands.upload(screen.getByLabelText("Choose the log"), LOG);
  await waitFor(() => expect(server.sent).toHaveLength(1));
  expect(server.sent[0]!.url).toBe("/api/printers/1/job-log/look");
  server.answer(answer);
  await screen.findByText("jobs.csv");
  return { server, hands };
}

describe("the use of a machine", () => {
  it("tells of each meter how it is known", () => {
    page();
    const more = screen.getByRole("region", { name: "Filament and travel" });
    expect(more.textContent).toContain("Filament12 kg ± 1Estimated from its use");
    expect(more.textContent).toContain("Travel of Xabout 90 km (30 to 270)Nobody counts it: typical for its hours.");
    expect(screen.getByRole("img", { name: /Hours of print in each of 2 weeks, 62 in all/ })).toBeTruthy();
  });

  it("says of a log that was refused in which row", () => {
    page();
    const logs = screen.getByRole("region", { name: "Logs that were brought" });
    expect(logs.textContent).toContain("Refused: nothing was taken.Row 5, column Time");
  });
});

describe("a job log", () => {
  it("is shown with what would be taken, and tried again as its columns are told", async () => {
    const { server, hands } = await chosen(seen());
    const sheet = screen.getByRole("region", { name: "Its job log" });
    expect(sheet.textContent).toContain("14 jobs, 84.0 h");
    await hands.selectOptions(screen.getByLabelText("When it ended"), "Time");
    await waitFor(() => expect(server.sent).toHaveLength(2));
    server.answer(seen({ problem: "Tell which.", field: "ended", jobs: 0 }));
    await screen.findByText("Tell which.");
    expect(screen.getByRole<HTMLButtonElement>("button", { name: "Take it so" }).disabled).toBe(true);
  });

  it("that holds a row which cannot be read cannot be taken, and says which, and what could be", async () => {
    await chosen(seen({ wrong_rows: 1, wrong: [{ row: 9, column: "Time", message: "Row 9: no." }], jobs: 13 }));
    const alert = screen.getByRole("alert");
    expect(within(alert).getByText("Row 9: no.")).toBeTruthy();
    expect(screen.getByText(/Could be read: 13 jobs/)).toBeTruthy();
    expect(screen.getByRole<HTMLButtonElement>("button", { name: "Take it so" }).disabled).toBe(true);
  });

  it("is taken by a worker, and what came of it is said", async () => {
    const { server, hands } = await chosen(seen({ remembered: true, known: 14 }));
    expect(screen.getByText(/read as the last time/)).toBeTruthy();
    expect(screen.getByText(/All of them are known already/)).toBeTruthy();
    await hands.click(screen.getByRole("button", { name: "Take it so" }));
    await waitFor(() => expect(server.sent).toHaveLength(2));
    expect(server.sent[1]!.url).toBe("/api/printers/1/job-log");
    const work = { id: 8, state: "running", words: "The job log", total: 0, done: 0, kind: "job log", at: "" };
    server.answer(work);
    await waitFor(() => expect(server.sent[2]?.url).toBe("/api/works/8"));
    server.answer({ ...work, state: "done", said: "14 jobs, 3 of them new." });
    expect(await screen.findByText("14 jobs, 3 of them new.")).toBeTruthy();
    expect(screen.getByLabelText("Choose the log")).toBeTruthy();
  });
});
