// @vitest-environment happy-dom
/** The readings field under the hands of somebody with a caliper. */
import { screen } from "@testing-library/react";
import { useState } from "react";
import { describe, expect, it } from "vitest";
import { handle } from "../tests/hands";
import { type Column, ReadingsField, type Row } from "./ReadingsField";

const length: Column = { name: "length_mm", label: "Length", unit: "mm", min: 0, max: 300, above: true };

function Held({ columns, told }: { columns: Column[]; told: (rows: Row[]) => void }) {
  const [rows, setRows] = useState<Row[]>([]);
  return (
    <ReadingsField
      columns={columns}
      rows={rows}
      onChange={(next) => {
        told(next);
        setRows(next);
      }}
    />
  );
}

function taken(columns: Column[] = [length]) {
  const rows: { now: Row[] } = { now: [] };
  const hands = handle(<Held columns={columns} told={(next) => (rows.now = next)} />);
  return { hands, rows };
}

describe("a figure and Enter, and on", () => {
  it("takes comma or point, shows the spread and marks the odd one", async () => {
    const { hands, rows } = taken();
    await hands.keyboard("99,8{Enter}99.82{Enter}99.81{Enter}99.8{Enter}99.2{Enter}");
    expect(rows.now.map((r) => r.length_mm)).toEqual([99.8, 99.82, 99.81, 99.8, 99.2]);
    expect(screen.getByText("Spread so far 0.62 mm")).toBeDefined();
    expect(screen.getByText("odd one out: measure it again")).toBeDefined();
    await hands.click(screen.getByRole("button", { name: "Take out reading 5" }));
    expect(rows.now).toHaveLength(4);
    expect(screen.queryByText("odd one out: measure it again")).toBeNull();
  });

  it("refuses words and what lies outside, and keeps what was typed", async () => {
    const { hands, rows } = taken();
    await hands.keyboard("ninety{Enter}");
    expect(screen.getByRole("alert").textContent).toBe("“ninety” is not a figure.");
    expect((screen.getByLabelText("Length in mm, reading 1") as HTMLInputElement).value).toBe("ninety");
    await hands.clear(screen.getByLabelText("Length in mm, reading 1"));
    await hands.keyboard("0{Enter}");
    expect(screen.getByRole("alert").textContent).toContain("must lie between 0 and 300 mm");
    expect(rows.now).toEqual([]);
  });

  it("asks about a slipped point once, and takes it when it is meant", async () => {
    const { hands, rows } = taken([{ ...length, expect: 100 }]);
    await hands.keyboard("9.98{Enter}");
    expect(screen.getByRole("alert").textContent).toContain("press Enter again if it is so");
    expect(rows.now).toEqual([]);
    await hands.keyboard("{Enter}");
    expect(rows.now).toEqual([{ length_mm: 9.98 }]);
  });

  it("goes through the columns, and one key takes back the last figure", async () => {
    const { hands, rows } = taken([length, { name: "force_n", label: "Force", unit: "N" }]);
    await hands.keyboard("10{Enter}");
    expect(rows.now).toEqual([]);
    await hands.keyboard("{Backspace}12{Enter}3{Enter}");
    expect(rows.now).toEqual([{ length_mm: 12, force_n: 3 }]);
    await hands.keyboard("{Backspace}");
    expect(rows.now).toEqual([]);
  });
});
