/** The bench's pieces, drawn as text: ladder, rulers, tables, plots, and what each form sends. */
import { renderToStaticMarkup } from "react-dom/server";
import { beforeEach, describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { percent } from "../kit/figures";
import { around, draw, withoutBrowser } from "../tests/draw";
import { Answer } from "./Answer";
import { BenchPage } from "./BenchPage";
import { type Bench, drawingOf } from "./drawing";
import { plan, Result as ReversalResult } from "./drawings/backlash";
import { ShiftRulers } from "./drawings/layer-shift";
import { Plots } from "./drawings/resonance";
import { Ladder, spaced } from "./drawings/ripple-source";
import { StepsAfter } from "./drawings/steps";
import { type Asked, standing, typedContext, wanted } from "./Fields";
import { fitting } from "./paths";
import { ShaperTable } from "./ShaperTable";
import { asSent, expected, type Page } from "./useTaking";

beforeEach(withoutBrowser);

const bench = {
  printer_id: 1,
  printer: "Bowline",
  kinematics: "corexy",
  simulated: true,
  belts: [],
  instruments: [],
  entries: [],
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
    found: { procedure, advice: [], warnings: [], ...found },
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

const asked = (name: string, more: Partial<Asked> = {}): Asked => ({
  name,
  title: name,
  unit: "mm",
  hint: "",
  kind: "figure",
  choices: [],
  low: 0,
  high: 1000,
  above: false,
  when: null,
  when_is: [],
  optional: false,
  more: false,
  value: null,
  origin: null,
  ...more,
});
const page = (procedure: string, place: string, more: Partial<Page> = {}): Page =>
  ({
    procedure,
    place,
    card: {
      question: "?",
      heading: `about ${procedure} at ${place.toUpperCase()}`,
      how: ["Do this."],
      caution: "Hands out.",
      state: "unplugged",
      minutes: 6,
      needs: ["spring scale", "rule"],
      notes: [],
    },
    fields: [],
    readings: null,
    program: null,
    columns: [],
    data: null,
    live: null,
    photo: [],
    by_wall: false,
    rounds: false,
    planned: [],
    program_words: "",
    grid: null,
    practice: null,
    instruments: [],
    next: null,
    ...more,
  }) as Page;
const column = (name: string, title: string, unit = "mm") => ({
  name,
  title,
  unit,
  low: 0,
  high: 500,
  above: false,
  varies: false,
  expect: [],
});
/** The page of a measurement, drawn as text. */
const opened = (p: Page, more: [unknown[], unknown][] = [], b: Bench = bench) =>
  draw(<BenchPage />, [[["bench", 1], b], [["bench-page", 1, p.procedure, p.place, null, null], p], ...more], {
    path: `/bench/1/${p.procedure}/${p.place}`,
    route: "/bench/:id/:procedure/:place",
  });

describe("what a measurement asks for", () => {
  const span = asked("span_mm", { title: "Free span", value: 285, origin: "model", hint: "Pulley to clamp." });
  const way = asked("way", {
    kind: "choice",
    choices: [
      { value: "driver", label: "At the driver", hint: "" },
      { value: "stored", label: "Stored", hint: "" },
    ],
    value: "driver",
    origin: "typical",
  });
  const volts = asked("volts", { title: "Reference", unit: "V", when: "way", when_is: ["driver"], above: true });

  it("stands with its value, its unit and where it is from", () => {
    const text = opened(
      page("belt-deflection", "x", { fields: [span, asked("limit", { value: 0.2, origin: "limit" })] }),
    );
    expect(text).toContain("Free span, mm");
    expect(text).toContain("Pulley to clamp. From the model.");
    expect(text).toContain("The workshop's limit.");
    expect(text).toContain("About 6 min; unplugged; spring scale, rule.");
  });
  it("sends only what was typed, and nothing that a choice has ruled out", () => {
    const fields = [span, way, volts];
    expect(typedContext([span], {})).toEqual({});
    expect(typedContext(fields, { span_mm: "300,5", volts: "0.8" })).toEqual({ span_mm: 300.5, volts: 0.8 });
    expect(typedContext(fields, { way: "stored", volts: "0.8" })).toEqual({ way: "stored" });
    expect(wanted(fields, { way: "stored" }).map((f) => f.name)).toEqual(["span_mm", "way"]);
  });
  it("refuses at its field what is missing or out of bounds", () => {
    const at = (fields: Asked[], texts: Record<string, string>) => {
      try {
        typedContext(fields, texts);
      } catch (e) {
        return e as { field: string; message: string };
      }
      throw new Error("was not refused");
    };
    expect(at([way, volts], {}).field).toBe("volts");
    expect(at([span], { span_mm: "" }).message).toBe("Free span: Pulley to clamp. Enter a figure.");
    expect(at([span], { span_mm: "2o0" }).message).toContain("“2o0” is not a figure.");
    expect(at([way, volts], { volts: "0" }).message).toBe("Reference must be more than 0 and at most 1000 V.");
  });
  it("leaves an optional figure out, and takes a band whole", () => {
    expect(typedContext([asked("hot", { optional: true })], { hot: "" })).toEqual({});
    const band = asked("target", { kind: "band", value: { low: 20, high: 50 }, origin: "typical" });
    expect(standing(band, {}, "high")).toBe("50");
    expect(typedContext([band], {})).toEqual({});
    expect(typedContext([band], { "target.low": "25" })).toEqual({ target: { low: 25, high: 50 } });
  });
  it("knows about what a reading should be", () => {
    const fields = [asked("before", { value: 120 }), asked("fed", { value: 100 })];
    expect(expected(["before", "fed"], fields, {})).toBe(20);
    expect(expected(["fed"], fields, { fed: "200" })).toBe(200);
    expect(expected(["fed"], fields, { fed: "" })).toBeUndefined();
  });
});

describe("readings go where the core takes them", () => {
  const rows = [{ measured_mm: 99.5 }, { measured_mm: 99.6 }];
  const readings = (more: object) => ({
    field: "measured_mm",
    plain: true,
    columns: [column("measured_mm", "Measured")],
    least: 1,
    most: 40,
    ...more,
  });
  it("a plain list, rows of a list, rows of a table by its plan", () => {
    expect(asSent(page("steps", "x", { readings: readings({}) }), rows, [], []).context).toEqual({
      measured_mm: [99.5, 99.6],
    });
    const listed = page("belt-deflection", "x", { readings: readings({ field: "readings", plain: false }) });
    expect(asSent(listed, rows, [], []).context).toEqual({ readings: rows });
    const table = page("backlash", "x", { readings: readings({ field: null, plain: false }) });
    const planned = [{ row: { target_mm: 10, approach: "+" }, words: "" }];
    expect(asSent(table, [{ reading_mm: 9.98 }], [], planned)).toEqual({
      context: {},
      rows: [{ target_mm: 10, approach: "+", reading_mm: 9.98 }],
    });
  });
  it("a photograph adds its spacing to those that were counted", () => {
    const p = page("ripple-source", "x", { readings: readings({ field: "observations", plain: false }) });
    const photo = { row: { speed_mm_s: 80 }, spacing: q(1.8, 0.02, "mm"), wall: 3 };
    expect(asSent(p, [{ speed_mm_s: 60 }], [photo], []).context).toEqual({
      observations: [{ speed_mm_s: 60 }, { speed_mm_s: 80, spacing_mm: 1.8, u95_mm: 0.02 }],
    });
  });
  it("a check that names a place which the bench lacks leads to what stands for it", () => {
    const at = (places: string[]) => ({ places: places.map((place) => ({ place, label: "", question: "" })) }) as never;
    expect(fitting(at(["x", "z1", "z2"]), "z")).toBe("z1");
    expect(fitting(at(["x", "y"]), "y")).toBe("y");
    expect(fitting(at(["x", "y"]), "t1")).toBe("x");
  });
});

describe("a wall shows the axis across it", () => {
  it("asks which wall, and says which axis that is", () => {
    const text = opened(page("ringing-print", "y", { by_wall: true }));
    expect(text).toContain("Which wall carries the ripples?");
    expect(text).toContain("The wall runs along X; it is Y that rings.");
    expect(text).not.toContain("it is X that rings");
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
  const shake = page("resonance", "x", { data: "csv", live: "accelerometer", practice: "record" });
  const last = {
    procedure: "resonance",
    place: "x",
    quantity: null,
    verdict: "not_judged",
    at: "2026-03-01T09:00:00Z",
    capture_id: "c1",
  };

  it("asks how to shake, and says what comes before", () => {
    const card = { ...shake.card, notes: ["Play and drag come first."] };
    const text = opened({ ...shake, card });
    expect(text).toContain("Shake the simulated machine");
    expect(text).toContain("Before you believe it");
    expect(text).toContain("Play and drag come first");
    expect(text).toContain("diagonal A");
    expect(text).toContain("Take care.");
  });
  it("shows the last record's figures, quality and plots", () => {
    const known: [unknown[], unknown][] = [
      [["capture", "c1"], capture("resonance", found)],
      [["overlay", "c1"], { earlier: [], baseline: null, other: null }],
    ];
    const text = opened(shake, known, { ...bench, last: [last] } as unknown as Bench);
    expect(text).toContain("Rings at 45.00 Hz ± 0.20");
    expect(text).toContain("20 s at 1600 samples a second, 41 dB over the noise");
    expect(text).toContain(", 1 gap.");
    expect(text).toContain("fitted modes");
  });
  it("tells of a phone, and lets a simulated one take a first look", () => {
    const text = opened(shake);
    expect(text).toContain("Open this page on a phone");
    expect(text).toContain("With a simulated phone");
    expect(opened({ ...shake, practice: null } as typeof shake)).not.toContain("With a simulated phone");
  });
  it("says a first look for what it is, with the rates that it was taken at", () => {
    const looked = {
      ...found,
      recommended: null,
      why_not: "So few samples a second give a first look.",
      quality: { ...found.quality, rates_hz: [60.1, 50, 42] },
    };
    const known: [unknown[], unknown][] = [
      [["capture", "c1"], capture("resonance", looked)],
      [["overlay", "c1"], { earlier: [], baseline: null, other: null }],
    ];
    const text = opened(shake, known, { ...bench, last: [last] } as unknown as Bench);
    expect(text).toContain("A first look.");
    expect(text).toContain("20 s at 60, 50, and 42 samples a second");
    expect(text).not.toContain("clock steps");
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
    const text = opened(shake, [[["capture", "c1"], refused]], { ...bench, last: [last] } as unknown as Bench);
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
    const stops = plan({ start_mm: 100, step_mm: 2, targets: 3, cycles: 2 });
    expect(stops.length).toBe(12);
    expect(stops.slice(0, 6).map((p) => `${p.row.target_mm}${p.row.approach}`)).toEqual([
      "100+",
      "102+",
      "104+",
      "104-",
      "102-",
      "100-",
    ]);
  });
  it("names the reading it wants, and has the moves to take along", () => {
    const program = [
      asked("start_mm", { value: 100 }),
      asked("step_mm", { value: 2 }),
      asked("targets", { value: 5 }),
      asked("cycles", { value: 5 }),
    ];
    const text = opened(
      page("backlash", "x", {
        data: "csv",
        columns: ["target_mm", "approach", "reading_mm"],
        program,
        readings: { field: null, plain: false, columns: [column("reading_mm", "Indicator")], least: 1, most: 2000 },
      }),
    );
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
    };
    const text = draw(<ReversalResult capture={capture("backlash", found)} bench={bench} query="" />);
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
      words: "steps per mm of axis X",
      value: 80,
      was: 79,
      unit: "steps/mm",
      reason: "Travel test",
      by: "Wen",
      at: new Date().toISOString(),
      present: true,
      stand: "valid",
      doubt: "",
      script: "M92 X79.0000\nM500\nM503\n",
    };
    const c = capture("steps", found, { context: { steps_per_mm: 79 } });
    const text = draw(<StepsAfter capture={c} found={found} bench={bench} />, [[["ledger", 1], [row]]]);
    expect(text).toContain("Set now 79");
    expect(text).toContain("M92 X80.0000 M500 M503");
    expect(text).toContain("was 79 valid");
    expect(text).toContain("Way back M92 X79.0000");
  });
  it("sets nothing where nothing changes", () => {
    const c = capture("steps", found, { context: { steps_per_mm: 80 } });
    const text = draw(<StepsAfter capture={c} found={found} bench={bench} />, [[["ledger", 1], []]]);
    expect(text).toContain("leave it");
    expect(text).not.toContain("M92");
  });
});

it("an advice that asks for a measurement leads there, and that is not said twice", () => {
  const entry = (procedure: string, short: string, places: string[]) => ({
    procedure,
    short,
    places: places.map((place) => ({ place, label: place, question: "" })),
  });
  const here = {
    ...bench,
    entries: [entry("play", "Push and pull it", ["x", "y"]), entry("ringing-print", "Count ripples", ["print"])],
  } as unknown as Bench;
  const advice = [
    { action: "check_play", target: "y", reason: "Play first.", measure: "play" },
    { action: "print_a_corner", target: "y", reason: "Print a corner.", measure: "ringing-print" },
    { action: "weigh", target: "y", reason: "Weigh it.", measure: null },
  ];
  const next = { procedure: "ringing-print", place: "print", short: "Count ripples", why: "Does it ring alike?" };
  const c = capture("resonance", { judged: [], advice }, { place: "y" });
  const page = renderToStaticMarkup(around(<Answer capture={c} bench={here} query="?case=3" next={next} />, [], {}));
  expect([...page.matchAll(/href="(\/bench[^"]*)"[^>]*>([^<]*)</g)].map((m) => m.slice(1))).toEqual([
    ["/bench/1/play/y?case=3", "Push and pull it"],
    ["/bench/1/ringing-print/print?case=3", "Count ripples"],
  ]);
  expect(page).not.toContain("Then measure.");
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
  const text = draw(
    <Answer
      capture={c}
      bench={bench}
      query=""
      next={{ procedure: "resonance", place: "x", short: "Shake it", why: "Play shows there, too." }}
    />,
  );
  for (const part of [
    "Short by 0.090 mm ± 0.010",
    "The limit is typical.",
    "Do next. Look at the grub screw.",
    "Then. Then at the nut.",
    "Note. Few targets.",
    "Then measure. Play shows there, too. Shake it",
    "Result as JSON",
  ])
    expect(text).toContain(part);
});

it("every drawing in its folder is found by the name of its procedure", () => {
  for (const name of [
    "resonance",
    "backlash",
    "ripple-source",
    "layer-shift",
    "steps",
    "ringing-print",
    "motor-current",
  ])
    expect(drawingOf(name).Result, name).toBeTypeOf("function");
  expect(drawingOf("belt-tracking")).toEqual({});
});
