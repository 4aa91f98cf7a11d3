/** The bench's pieces, drawn as text: ladder, rulers, tables, plots, and what each form sends. */
import { beforeEach, describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { draw, withoutBrowser } from "../tests/draw";
import { Answer } from "./Answer";
import { CATALOG, GROUPS, INSTRUMENTS } from "./catalog";
import { type Bench, driveOf, FORMS } from "./forms";
import { Ladder, spaced } from "./Ladder";
import { ReadingsBench } from "./ReadingsBench";
import { Plots, ResonanceBench } from "./ResonanceBench";
import { order, ReversalBench } from "./ReversalBench";
import { ReversalPlot } from "./ReversalPlot";
import { ShaperTable } from "./ShaperTable";
import { percent, ShiftRulers } from "./ShiftRulers";
import { StepsAfter } from "./StepsAfter";

beforeEach(withoutBrowser);

const BELT = { kind: "belt", pitch_mm: 2, teeth: 20, motor_steps_per_rev: 200, microsteps: 16, gear_ratio: 1 };
const bench = {
  printer_id: 1,
  printer: "Bowline",
  kinematics: "corexy",
  simulated: true,
  belts: [],
  instruments: [],
  machine: { kinematics: "corexy", transmissions: { a: BELT, b: BELT, z1: { ...BELT, kind: "screw", lead_mm: 8 } } },
  walls: [
    { runs: "x", axis: "y", words: "The wall runs along X; it is Y that rings." },
    { runs: "y", axis: "x", words: "The wall runs along Y; it is X that rings." },
  ],
  last: [],
} as unknown as Bench;
const q = (value: number, u95: number, unit: string) => ({ value, u95, unit });
const capture = (procedure: string, found: object, more = {}) =>
  ({
    id: "c1",
    procedure,
    place: "x",
    verdict: "not_judged",
    taken_at: new Date().toISOString(),
    taken_by: "Wen",
    context: {},
    data_name: "",
    found: { advice: [], warnings: [], ...found },
    ...more,
  }) as unknown as Schemas["CaptureOut"];
const SHAPERS = [
  {
    name: "zv",
    frequency_hz: 45,
    impulses: [],
    residual_percent: 9.2,
    duration_ms: 11,
    smoothing_mm_per_1000: 0.015,
    max_acceleration_mm_s2: 7800,
  },
  {
    name: "ei",
    frequency_hz: 50,
    impulses: [],
    residual_percent: 2.1,
    duration_ms: 19,
    smoothing_mm_per_1000: 0.025,
    max_acceleration_mm_s2: 4800,
  },
] as unknown as Schemas["Shaped"][];

describe("the catalogue", () => {
  it("has every question once, in a known group, with a path", () => {
    expect(new Set(CATALOG.map((e) => e.procedure)).size).toBe(CATALOG.length);
    for (const e of CATALOG) {
      expect(GROUPS).toContain(e.group);
      expect(e.path(3, "x")).toMatch(/^\/bench\/3\//);
      expect(e.question("x").length).toBeGreaterThan(10);
      for (const i of e.instrument.split(" or ")) expect(INSTRUMENTS).toContain(i);
    }
  });
  it("offers diagonals where belts cross, and no layer shift where no motor makes an axis", () => {
    const shake = CATALOG.find((e) => e.procedure === "resonance")!;
    expect(shake.places(bench)).toEqual(["x", "y", "a", "b"]);
    expect(shake.places({ ...bench, kinematics: "delta" })).toEqual(["x", "y"]);
    const shift = CATALOG.find((e) => e.procedure === "layer-shift")!;
    expect(shift.places({ ...bench, kinematics: "delta" })).toEqual([]);
  });
});

describe("forms", () => {
  it("take the drive that moves an axis, and start from its teeth and lead", () => {
    expect(driveOf(bench, "x")).toBe(bench.machine.transmissions!.a);
    expect(driveOf(bench, "e")).toBeNull();
    const steps = FORMS.steps!.settings.find((s) => s.name === "steps_per_mm")!;
    expect(steps.start!(undefined, bench, "x")).toBe("80");
    expect(steps.start!(undefined, bench, "z")).toBe("400");
    expect(steps.start!(undefined, bench, "e")).toBe("");
  });
  it("send what the core's contexts ask for", () => {
    const sent = FORMS.steps!.context([{ measured_mm: 99.5 }], { commanded_mm: 100 }, "x", undefined, bench, {});
    expect(sent).toMatchObject({ axis: "x", measured_mm: [99.5], commanded_mm: 100, transmission: BELT });
    const shift = FORMS["layer-shift"]!.context([], { shifts: 2.4 }, "all", undefined, bench, { progressive: "yes" });
    expect(shift).toMatchObject({ shifts: 2, progressive: true, drivers_changed: false, kinematics: "corexy" });
    expect(shift).toHaveProperty("axis", undefined);
  });
});

describe("a wall shows the axis across it", () => {
  const where = (place: string) => ({ path: `/b/1/ringing-print/${place}`, route: "/b/:id/:procedure/:place" });
  const known: [unknown[], unknown][] = [[["bench", 1], bench]];
  it("asks which wall, and says which axis that is", () => {
    const text = draw(<ReadingsBench />, known, where("y"));
    expect(text).toContain("Which wall carries the ripples?");
    expect(text).toContain("The wall runs along X; it is Y that rings.");
    expect(text).not.toContain("it is X that rings");
  });
  it("sends the wall, never an axis", () => {
    const sent = FORMS["ringing-print"]!.context([{ count: 4 }], {}, "x", undefined, bench, {});
    expect(sent).toEqual({ ripples: [{ count: 4 }], wall_runs: "y", kinematics: "corexy" });
  });
});

describe("a motor's current", () => {
  it("is told what shares the driver, and how it is wired", () => {
    const form = FORMS["motor-current"]!;
    const sent = (choice: string) =>
      form.context([], { stored_rms_a: 1.2 }, "z", undefined, bench, { motors_on_driver: choice });
    expect(sent("1")).toMatchObject({ motors_on_driver: 1, stored_rms_a: 1.2 });
    expect(sent("2")).toMatchObject({ motors_on_driver: 2, wiring: "parallel" });
    expect(sent("2s")).toMatchObject({ motors_on_driver: 2, wiring: "series" });
  });
  it("asks for the stored value or for the reference, not for both", () => {
    const text = draw(<ReadingsBench />, [[["bench", 1], bench]], {
      path: "/b/1/motor-current/x",
      route: "/b/:id/:procedure/:place",
    });
    expect(text).toContain("Reference, V");
    expect(text).not.toContain("Stored current, A");
  });
});

describe("the ladder", () => {
  const source = (source: string, expected_mm: number, probability: number, more = {}) => ({
    source,
    words: source.replace("_", " "),
    family: "geometric",
    axis: "a",
    period_mm: expected_mm,
    frequency_hz: null,
    expected_mm,
    order: 1,
    probability,
    check: "Look.",
    ...more,
  });
  const found = {
    spacing: q(2.01, 0.02, "mm"),
    sources: [
      source("belt_tooth", 2, 0.97),
      source("resonance", 1.9, 0.02, { family: "timed", frequency_hz: 42, axis: "x" }),
      source("other_length", 2.01, 0.01),
    ],
  } as unknown as Schemas["RippleSourceResult"];

  it("shows each source's period beside the measured one, with its chance", () => {
    const text = draw(<Ladder found={found} />);
    expect(text).toContain("2.01 measured, mm");
    expect(text).toContain("2.00 mm: belt tooth A 97 %");
    expect(text).toContain("1.90 mm: resonance X, 42 Hz 2 %");
    expect(text).toContain("Other length 1 %");
  });
  it("keeps labels apart and inside", () => {
    const places = spaced([40, 41, 42, 300], 28, 310);
    expect(places.every((v, i) => !i || v - places[i - 1]! >= 28)).toBe(true);
    expect(Math.max(...places)).toBeLessThanOrEqual(310);
    const crowded = spaced([300, 301, 302], 28, 310);
    expect(crowded[2]).toBe(310);
  });
  it("never says a chance is certain", () => {
    expect([percent(0.999), percent(0.001), percent(0.5)]).toEqual(["99 %", "< 1 %", "50 %"]);
  });
});

it("a layer's step stands in teeth and cycles, with what explains it", () => {
  const found = {
    motors: [
      {
        motor: "a",
        travel: q(2, 0.14, "mm"),
        travel_mm: 2,
        teeth: 1,
        cycles: 2.5,
        tooth_mm: 2,
        cycle_mm: 0.8,
        whole_teeth: 1,
        whole_cycles: null,
      },
    ],
    mechanisms: [
      { mechanism: "tooth_jump", motor: "a", probability: 0.9, check: "Pluck the belt." },
      { mechanism: "lost_cycles", motor: null, probability: 0.1, check: "Feel for binding." },
    ],
  } as unknown as Schemas["LayerShiftResult"];
  const text = draw(<ShiftRulers found={found} />);
  expect(text).toContain("Motor A: 2.00 ± 0.14 mm, 1.00 teeth, 2.50 cycles");
  expect(text).toContain("90 % Belt jumped teeth, A");
  expect(text).toContain("lost whole cycles, both motors");
});

describe("shapers", () => {
  it("say what they leave, and what corners lose at one's own acceleration", () => {
    const text = draw(<ShaperTable shapers={SHAPERS} recommended="ei" />);
    expect(text).toContain("ZV 45.0 Hz 9.2 % too much 0.04 mm 7800 mm/s²");
    expect(text).toContain("EI advised 50.0 Hz 2.1 % 0.07 mm");
  });
  it("are not there where nothing was fitted", () => {
    expect(draw(<ShaperTable shapers={[]} />)).toBe("");
  });
});

describe("resonance", () => {
  const found = {
    frequency: q(45, 0.2, "Hz"),
    modes: [{ frequency: q(45, 0.2, "Hz"), damping_ratio: q(0.06, 0.01, "1"), share: 1 }],
    spectrum: { frequency_hz: [10, 40, 45, 50, 90], excited: [1, 8, 100, 9, 1], fitted: [1, 8, 99, 9, 1], others: {} },
    shapers: SHAPERS,
    judged: [
      { words: "Rings at", quantity: q(45, 0.2, "Hz"), limits: null, source_of_limits: "", verdict: "not_judged" },
    ],
    recommended: "ei",
    why_not: "",
    quality: {
      coherence_or_snr_db: 41,
      sample_rate_hz: 1600,
      jitter_percent: 2.8,
      gaps: 1,
      seconds: 20,
      resampled: true,
    },
  } as unknown as Schemas["ResonanceResult"];
  const at = { path: "/bench/1/resonance/x", route: "/bench/:id/resonance/:place" };
  const last = {
    procedure: "resonance",
    place: "x",
    quantity: null,
    verdict: "not_judged",
    at: "2026-03-01T09:00:00Z",
    capture_id: "c1",
  };

  it("asks how to shake, and says what comes before", () => {
    const text = draw(<ResonanceBench />, [[["bench", 1], bench]], at);
    expect(text).toContain("Shake the simulated machine");
    expect(text).toContain("Play and drag come first");
    expect(text).toContain("Take care.");
  });
  it("shows the last record's figures, quality and plots", () => {
    const known: [unknown[], unknown][] = [
      [["bench", 1], { ...bench, last: [last] }],
      [["capture", "c1"], capture("resonance", found)],
      [["overlay", "c1"], { earlier: [], baseline: null, other: null }],
    ];
    const text = draw(<ResonanceBench />, known, at);
    expect(text).toContain("Rings at 45.00 Hz ± 0.20");
    expect(text).toContain("20 s at 1600 samples a second, 41 dB over the noise");
    expect(text).toContain(", 1 gap.");
    expect(text).toContain("fitted modes");
  });
  it("says plainly when no shaper is advised, and why", () => {
    const refused = capture(
      "resonance",
      {
        ...found,
        recommended: null,
        why_not: "It is loose.",
        warnings: [{ code: "play_suspected", message: "It is loose." }],
      },
      { verdict: "cannot_tell" },
    );
    const known: [unknown[], unknown][] = [
      [["bench", 1], { ...bench, last: [last] }],
      [["capture", "c1"], refused],
    ];
    const text = draw(<ResonanceBench />, known, at);
    expect(text).toContain("No shaper is advised.");
    expect(text).toContain("It is loose.");
    expect(text).not.toContain("Rings at");
  });
  it("offers belt against belt for a diagonal only", () => {
    const of = (place: string) =>
      draw(<Plots capture={capture("resonance", found, { place })} found={found} bench={bench} />, []);
    expect(of("a")).toContain("Belt against belt");
    expect(of("x")).not.toContain("Belt against belt");
  });
});

describe("reversal", () => {
  it("asks in the order in which the program stops: up with +, down with -", () => {
    const plan = order(100, 2, 3, 2);
    expect(plan.length).toBe(12);
    expect(plan.slice(0, 6).map((p) => `${p.target_mm}${p.approach}`)).toEqual([
      "100+",
      "102+",
      "104+",
      "104-",
      "102-",
      "100-",
    ]);
  });
  it("names the reading it wants, and has the moves to take along", () => {
    const text = draw(<ReversalBench />, [[["bench", 1], bench]], {
      path: "/bench/1/backlash/x",
      route: "/bench/:id/backlash/:place",
    });
    expect(text).toContain("Now 100 mm, from below (+)");
    expect(text).toContain("reading 1 of 50");
    expect(text).toContain("The moves as G-code");
  });
  it("draws both sides of every target", () => {
    const row = (target_mm: number) => ({
      target_mm,
      cycles: 5,
      mean_plus_mm: -0.02,
      mean_minus_mm: 0.02,
      s_plus_mm: 0.003,
      s_minus_mm: 0.003,
      reversal: q(-0.04, 0.01, "mm"),
    });
    const found = {
      reversal_value: q(0.04, 0.01, "mm"),
      per_target: [row(20), row(25)],
    } as unknown as Schemas["BacklashResult"];
    const text = draw(<ReversalPlot found={found} />);
    expect(text).toContain("from below (+)");
    expect(text).toContain("20 25");
  });
});

describe("after a travel test", () => {
  const found = {
    travel: q(98.76, 0.03, "mm"),
    error: q(-1.24, 0.03, "%"),
    theory_steps_per_mm: 80,
    steps_per_mm_new: q(80, 0, "steps/mm"),
    basis: "theory",
    ratio_suspect: [],
    script: { gcode: "M92 X80.0000\nM500\nM503\n", travel_per_turn_mm: 40 },
  } as unknown as Schemas["StepsResult"];
  it("stands theory beside what is set, the script, and the ledger with its way back", () => {
    const row = {
      id: 4,
      name: "steps_x",
      value: 80,
      was: 79,
      unit: "steps/mm",
      reason: "Travel test",
      by: "Wen",
      at: new Date().toISOString(),
      present: true,
      script: "M92 X79.0000\nM500\nM503\n",
    };
    const c = capture("steps", found, { context: { steps_per_mm: 79 } });
    const text = draw(<StepsAfter capture={c} found={found} bench={bench} />, [[["ledger", 1], [row]]]);
    expect(text).toContain("Set now 79");
    expect(text).toContain("M92 X80.0000 M500 M503");
    expect(text).toContain("was 79 stands now");
    expect(text).toContain("Way back M92 X79.0000");
  });
  it("sets nothing where nothing changes", () => {
    const c = capture("steps", found, { context: { steps_per_mm: 80 } });
    const text = draw(<StepsAfter capture={c} found={found} bench={bench} />, [[["ledger", 1], []]]);
    expect(text).toContain("leave it");
    expect(text).not.toContain("M92");
  });
});

it("an answer carries its figure, advice, doubts, the next measurement and its files", () => {
  const c = capture("backlash", {
    judged: [
      {
        words: "Short by",
        quantity: q(0.09, 0.01, "mm"),
        limits: { low: null, high: 0.05 },
        source_of_limits: "typical",
        verdict: "out_of_tolerance",
      },
    ],
    advice: [
      { action: "a", target: "x", reason: "Look at the grub screw." },
      { action: "b", target: "x", reason: "Then at the nut." },
    ],
    warnings: [{ code: "few_targets", message: "Few targets." }],
  });
  const text = draw(<Answer capture={c} bench={bench} query="" />);
  for (const part of [
    "Short by 0.090 mm ± 0.010",
    "The limit is typical.",
    "Do next. Look at the grub screw.",
    "Then. Then at the nut.",
    "Note. Few targets.",
    "Then measure.",
    "Result as JSON",
  ])
    expect(text).toContain(part);
});
