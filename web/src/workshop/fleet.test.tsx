/** One figure across the machines of a model: the odd one first, on one scale with the others. */
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { draw } from "../tests/draw";
import { FleetPage, told } from "./FleetPage";

type Fleet = Schemas["FleetOut"];
const machine = (
  printer_id: number,
  printer: string,
  value: number,
  more: Partial<Fleet["machines"][number]> = {},
) => ({
  printer_id,
  printer,
  at: new Date().toISOString(),
  value: { value, u95: 1, unit: "N" },
  low: 20,
  high: 34,
  verdict: "in_tolerance" as const,
  apart: (value - 27) / 1.5,
  odd: false,
  before_at: null,
  before: null,
  moved: null,
  alone: false,
  touched: "",
  ...more,
});
const common = { procedure: "belt-pluck", place: "x", words: "Tension", unit: "N", machines: 3 };
const fleet = (machines: Fleet["machines"], more: Partial<Fleet> = {}): Fleet => ({
  common,
  centre: 27,
  spread: 1.5,
  few: false,
  together: null,
  all_moved: false,
  machines,
  ...more,
});
const N = (v: number) => `${v} N`;
const THREE = [machine(1, "Carrick", 27), machine(2, "Halyard", 28), machine(3, "Sheepshank", 21)];

describe("what a comparison comes to", () => {
  it("names who stands apart, and of few the farthest", () => {
    expect(told(fleet([...THREE, machine(4, "Reef", 5, { odd: true })]), N)[0]).toBe(
      "Reef stands apart from the others, further than chance has it.",
    );
    expect(told(fleet(THREE), N)).toEqual([
      "None stands apart: they differ as such machines do.",
      "Of so few only one that is very far off can be told from chance. Farthest from the middle is Sheepshank, 6 N below.",
    ]);
    expect(told(fleet(THREE.slice(0, 2), { few: true }), N)).toEqual([
      "Of two nobody can say which is odd: they stand side by side.",
    ]);
  });

  it("tells what all did from what one did", () => {
    const moved = fleet([...THREE, machine(4, "Reef", 20, { alone: true })], {
      together: { value: -4, u95: 1, unit: "N" },
      all_moved: true,
    });
    expect(told(moved, N)).toContain(
      "All moved together since the time before, by −4 N ± 1 N: the room, the season or the instrument rather than the machines.",
    );
    expect(told(moved, N)).toContain("Reef moved otherwise than the others did: that is the machine's own.");
  });
});

describe("the page", () => {
  it("draws each machine on one scale, and says what to do where there is nothing", () => {
    const html = draw(<FleetPage />, [
      [["fleet"], [{ model_id: 2, model: "Dunlin 220", figures: [common] }]],
      [["fleet", 2, "belt-pluck", "x"], fleet(THREE)],
    ]);
    expect(html).toContain("Tension, X (3 machines)");
    for (const m of THREE) expect(html).toContain(`${m.printer} ${m.value.value.toFixed(1)} ± 1.0 N`);
    expect(draw(<FleetPage />, [[["fleet"], []]])).toContain("Measure the same thing on each");
  });
});
