// @vitest-environment happy-dom
/** An instrument's own table: its columns told once, tried as they are told, and taken when nothing speaks against it. */
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { handle, slowServer } from "../tests/hands";
import { beginning, isClear, type Seen, TableReader } from "./TableReader";

const want = (name: string, title: string, unit: string, units: string[]) => ({
  name,
  title,
  unit,
  units,
  words: [],
  optional: false,
  low: null,
  high: null,
});
const G = ["m/s2", "g", "mg", "mm/s2", "counts"];
const seen = (more: Partial<Seen> = {}): Seen => ({
  names: ["t", "a", "b", "c", "temp"],
  first: [["0", "0", "0", "1", "21"]],
  rows: 900,
  wanted: [
    want("time_s", "Time", "s", ["s", "ms", "us", "ns", "clock"]),
    want("ax", "Acceleration X", "m/s2", G),
    want("ay", "Acceleration Y", "m/s2", G),
  ],
  columns: { columns: [{ name: "time_s", column: "t", number: 1, unit: "s", scale: null }], rate_hz: null },
  remembered: false,
  as_is: false,
  series: [],
  notes: [],
  wrong: { code: "missing_column", message: "Tell which column is “Acceleration X”.", field: "ax" },
  ...more,
});
const column = (name: string, number: number, unit: string, scale: number | null = null) => ({
  name,
  column: ["t", "a", "b", "c", "temp"][number - 1]!,
  number,
  unit,
  scale,
});
const file = new File(["t,a,b,c,temp\n0,0,0,1,21\n"], "box.csv");
const reader = (first: Seen, onTake = vi.fn()) => ({
  onTake,
  hands: handle(
    <TableReader
      file={file}
      first={first}
      procedure="resonance"
      instrument={{ id: 3, name: "Box 12" }}
      busy={false}
      onTake={onTake}
      onLeave={vi.fn()}
    />,
  ),
});

describe("a table with names of its own", () => {
  it("says at its field what is not told yet, and cannot be taken so", () => {
    reader(seen());
    expect(screen.getByText("Tell which column is “Acceleration X”.")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Take it so" })).toHaveProperty("disabled", true);
    expect(screen.getByText(/remembered for Box 12/)).toBeTruthy();
  });

  it("changes the unit of columns of one kind together, and takes what was told", async () => {
    const told = {
      columns: [column("time_s", 1, "ms"), column("ax", 2, "m/s2"), column("ay", 3, "m/s2")],
      rate_hz: null,
    };
    const { hands, onTake } = reader(seen({ columns: told, wrong: null }));
    await hands.selectOptions(screen.getByLabelText("Acceleration X is in"), "g");
    await hands.click(screen.getByRole("button", { name: "Take it so" }));
    expect(onTake).toHaveBeenCalledWith({
      columns: [column("time_s", 1, "ms"), column("ax", 2, "g"), column("ay", 3, "g")],
      rate_hz: null,
    });
  });

  it("takes a rate for the time where there is no column of it", async () => {
    const told = { columns: [column("ax", 2, "g"), column("ay", 3, "g")], rate_hz: null };
    const { hands, onTake } = reader(seen({ columns: told, wrong: null }));
    await hands.click(screen.getByRole("button", { name: "Only the rate is known" }));
    await hands.clear(screen.getByLabelText("Readings a second"));
    expect(screen.getByText("Enter how many a second.")).toBeTruthy();
    await hands.type(screen.getByLabelText("Readings a second"), "1600");
    await hands.click(screen.getByRole("button", { name: "Take it so" }));
    expect(onTake).toHaveBeenCalledWith({ ...told, rate_hz: 1600 });
  });

  it("lets gravity tell what one count is", async () => {
    const told = {
      columns: [column("time_s", 1, "s"), column("ax", 2, "counts"), column("ay", 3, "counts")],
      rate_hz: null,
    };
    const note = { code: "gravity_odd", message: "Gravity tells it.", grave: false, column: "ax", scale: 0.0024 };
    const { hands } = reader(seen({ columns: told, notes: [note], wrong: null }));
    await hands.click(screen.getByRole("button", { name: "Let gravity tell it" }));
    for (const field of screen.getAllByLabelText("One count, m/s²")) expect(field).toHaveProperty("value", "0.0024");
  });

  it("is tried as it is told, and what makes no sense is said before it is taken", async () => {
    const server = slowServer();
    const { hands } = reader(seen());
    await hands.selectOptions(screen.getByLabelText("Acceleration X"), "a");
    await waitFor(() => expect(server.sent).toHaveLength(1));
    const grave = { code: "gravity_odd", message: "The figures look like g.", grave: true, column: "ax", scale: null };
    server.answer(seen({ wrong: null, notes: [grave] }));
    await screen.findByText("The figures look like g.");
    expect(screen.getByRole("button", { name: "Take it all the same" })).toBeTruthy();
  });

  it("goes straight on where it was told before and makes sense, or needs no telling", () => {
    expect(isClear(seen())).toBe(false);
    expect(isClear(seen({ as_is: true }))).toBe(true);
    expect(isClear(seen({ remembered: true, wrong: null }))).toBe(true);
    const grave = { code: "x", message: "", grave: true, column: "", scale: null };
    expect(isClear(seen({ remembered: true, wrong: null, notes: [grave] }))).toBe(false);
  });

  it("is looked at by whole lines of its beginning", async () => {
    const line = `${"1,".repeat(499)}1\n`;
    const large = new File([line.repeat(2000)], "large.csv");
    const part = await beginning(large);
    expect(part.size).toBeLessThan(large.size);
    expect(part.size % line.length).toBe(0);
    expect(await beginning(file)).toBe(file);
  });
});
