// @vitest-environment happy-dom
/** The floor of a large workshop: what wants somebody stands out, the sound ones fold, three letters find one. */
import { screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { handle } from "../tests/hands";
import { Floor } from "./Floor";

const tile = (id: number) => ({
  id,
  name: id === 17 ? "Gaffer" : `Machine ${id}`,
  model_id: 1,
  fitness: id === 3 ? "rough_only" : "fit",
  reason: id === 3 ? "belt A has the wrong tension" : "",
  axes: [{ axis: "x", condition: "sound", why: "" }],
});
const floor = (many: number) => ({
  areas: [{ name: "Long walk", printers: Array.from({ length: many }, (_, i) => tile(i + 1)) }],
  models: [{ id: 1, name: "Heron", outline: { kinematics: "corexy", transmissions: {}, axes: {} } }],
  wanted: [],
  wanted_count: 0,
});

describe("which machine for what", () => {
  it("names those for a fine part, those for a rough one with why, and of many only the first", () => {
    handle(<Floor />, [[["floor"], floor(40)]]);
    const words = screen.getByRole("region", { name: "Which machine for what today" }).textContent;
    expect(words).toContain(
      "For a fine part today: Machine 1, Machine 2, Machine 4, Machine 5, Machine 6, Machine 7 and 33 more.",
    );
    expect(words).toContain("For a rough one only: Machine 3 (belt A has the wrong tension).");
  });

  it("says so when there is none", () => {
    const none = floor(1);
    none.areas[0]!.printers[0]!.fitness = "tagged_out";
    handle(<Floor />, [[["floor"], none]]);
    expect(screen.getByText(/no machine. Ask a technician/)).toBeDefined();
  });
});

describe("forty machines", () => {
  it("show the one that is not fit, and fold the rest to a line", () => {
    handle(<Floor />, [[["floor"], floor(40)]]);
    expect(screen.getAllByRole("article")).toHaveLength(1);
    expect(screen.getByRole("article").textContent).toContain("belt A has the wrong tension");
    expect(screen.getByText("39 machines", { exact: false })).toBeDefined();
  });

  it("are found by three letters, and it says so when none is called so", async () => {
    const hands = handle(<Floor />, [[["floor"], floor(40)]]);
    const field = screen.getByLabelText("Find one of 40 machines");
    await hands.type(field, "gaf");
    expect(screen.getAllByRole("article").map((a) => a.querySelector("h3")?.textContent)).toEqual(["Gaffer"]);
    await hands.type(field, "x");
    expect(screen.queryByRole("article")).toBeNull();
    expect(screen.getByText("No machine is called so.")).toBeDefined();
  });

  it("are seen at a glance where they are few: nothing folds, nothing is searched", () => {
    handle(<Floor />, [[["floor"], floor(8)]]);
    expect(screen.getAllByRole("article")).toHaveLength(8);
    expect(screen.queryByRole("searchbox")).toBeNull();
  });
});
