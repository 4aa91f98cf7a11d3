/** The views as they stand with what the server has told: empty and full, for members and for technicians. */
import { beforeAll, describe, expect, it } from "vitest";
import type { Schemas } from "./api/client";
import { BeltsBench } from "./bench/BeltsBench";
import { BenchMachine, BenchStart } from "./bench/BenchStart";
import { Rounds } from "./bench/Rounds";
import { CaseList } from "./case/CaseList";
import { Floor } from "./floor/Floor";
import { Machine } from "./machine/Machine";
import { groups } from "./machine/Places";
import type { Me } from "./session/me";
import { SignIn } from "./session/SignIn";
import { draw, type Known, technician, withoutBrowser } from "./tests/draw";

const member: Me = { ...technician, role: "member" };
const lead: Me = { ...technician, role: "lead" };

beforeAll(withoutBrowser);

const tensioner = { kind: "threaded_idler", thread_pitch_mm: 0.7, wrap_deg: 180, tighten: "clockwise" };
const transmission = {
  kind: "belt",
  width_mm: 6,
  spans: [{ name: "left run", span_mm: 285, at: { x: 0, y: 0 } }],
  tensioner,
  tensioner_place: "front left",
};
const description = {
  kinematics: "corexy",
  transmissions: { a: transmission, b: transmission },
  pairs: [["a", "b"]],
} as unknown as Schemas["Description"];
const tension = (value: number, u95 = 0.5) => ({ value, u95, unit: "N", own: 0.1, shared: 0.4 });
const evidence = (procedure: string, question: string, condition: string, why: string, more: object = {}) => ({
  procedure,
  question,
  condition,
  why,
  at: "2026-03-01T09:00:00Z",
  verdict: "out_of_tolerance",
  words: "Tension",
  quantity: tension(16.4),
  low: 24,
  high: 36,
  source_of_limits: "limit",
  capture_id: "c1",
  in_doubt: false,
  ...more,
});
const place = (kind: string, name: string, condition: string, why: string, shown: object[] = []) => ({
  kind,
  place: name,
  name: kind === "axis" ? name.toUpperCase() : `${kind} ${name.toUpperCase()}`,
  condition,
  why,
  reason: `${kind} ${name.toUpperCase()}: ${why}`,
  evidence: shown,
});
const OUT = "Measured outside its limits.";
const condition = {
  fitness: "rough_only",
  reason: "belt A has the wrong tension",
  axes: [
    { axis: "x", condition: "out_of_adjustment", why: `Belt A: ${OUT}`, places: [0, 1] },
    { axis: "y", condition: "out_of_adjustment", why: `Belt A: ${OUT}`, places: [0, 1] },
    { axis: "z", condition: "not_known", why: "", places: [] },
  ],
  places: [
    place("belt", "a", "out_of_adjustment", OUT, [
      evidence("belt-pluck", "Is belt A tight enough?", "out_of_adjustment", OUT),
    ]),
    place("belt", "b", "not_known", "Nothing has been measured here yet."),
  ],
};
const outline = { kinematics: "corexy", transmissions: { a: { kind: "belt" }, b: { kind: "belt" } } };
const models = [{ id: 7, name: "Heron 300", outline }];
const tile = {
  id: 1,
  name: "Bowline",
  model_id: 7,
  fitness: "rough_only",
  reason: condition.reason,
  axes: condition.axes,
};

describe("the floor", () => {
  const floor = (areas: unknown[], wanted: unknown[] = []): Known => [
    [["floor"], { models, areas, wanted, wanted_count: wanted.length + 3 }],
  ];
  const wanted = [
    { title: "Bowline: Echoes", why: "Nobody has taken it yet.", kind: "case", printer_id: 1, case_id: 3, place: null },
    { title: "Marline: set belt A", why: "Outside.", kind: "measure", printer_id: 2, case_id: null, place: "a" },
  ];

  it("shows each machine with fitness in words and what wants attention first", () => {
    const text = draw(<Floor />, floor([{ name: "Long walk", printers: [tile] }], wanted));
    expect(text).toContain("Long walk");
    expect(text).toContain("Rough work only");
    expect(text).toContain("belt A has the wrong tension");
    expect(text).toMatch(/Wants you, most pressing first Bowline: Echoes .* Open the case 1 .*Marline: set belt A/);
  });
  it("says how much more wants somebody than stands there", () => {
    expect(draw(<Floor />, floor([{ name: "Long walk", printers: [tile] }], wanted))).toContain("And 3 more");
  });
  it("folds those that are fit to a line an area where there are many, and can be searched", () => {
    const many = Array.from({ length: 30 }, (_, i) => ({
      ...tile,
      id: i,
      name: `M${i}`,
      fitness: i ? "fit" : "rough_only",
    }));
    const text = draw(<Floor />, floor([{ name: "Long walk", printers: many }]));
    expect(text).toContain("Find one of 30 machines");
    expect(text).toContain("Fit for use 29 machines");
    expect(text.match(/crossed belts/g)).toHaveLength(1);
  });
  it("gives a member fitness and the button to report, and no list of work", () => {
    const text = draw(<Floor />, floor([{ name: "Long walk", printers: [tile] }]), { me: member });
    expect(text).toContain("Report a fault");
    expect(text).not.toContain("Wants you");
  });
  it("says what to do first where it is empty, to whom it concerns", () => {
    expect(draw(<Floor />, floor([]), { me: lead })).toContain("Begin with the workshop");
    expect(draw(<Floor />, floor([]), { me: member })).toContain("has not put any machine here yet");
  });
  it("says that it is fetching what has not come", () => {
    expect(draw(<Floor />, [])).toContain("Fetching the floor");
  });
});

describe("a machine", () => {
  const printer = {
    id: 1,
    name: "Bowline",
    model: "Heron 300",
    area: "Long walk",
    serial: "RW-01",
    simulated: false,
    description,
    condition,
    limits: [{ what: "tension", place: "a", low: 24, high: 36, unit: "N", source: "maker's manual, page 31" }],
    open_cases: [{ id: 3, title: "Echoes, X", reported_by: "Jory", reported_at: "2026-03-02T09:00:00Z" }],
    tagged_out: "",
    before_lifting: [],
    tagged_out_by: "",
    tagged_out_at: null,
    looks: [],
  };
  const line = {
    at: "2026-03-01T09:00:00Z",
    who: "Oda",
    kind: "measured",
    words: "Plucked belt A",
    place: "a",
    case_id: null,
  };
  const known = (p: unknown, record: unknown[] = []): Known => [
    [["printer", 1], p],
    [["record", 1, "", ""], { pages: [{ lines: record, more: false }], pageParams: [1] }],
  ];
  const where = { path: "/machines/1", route: "/machines/:id" };

  it("shows belts by condition with the age of the evidence, limits with their source, and the record", () => {
    const text = draw(<Machine />, known(printer, [{ ...line, capture_id: "c" }]), where);
    expect(text).toContain("16.40 ± 0.50 N");
    expect(text).toContain("Nothing has been measured here yet.");
    expect(text).toContain("24 to 36 N (maker's manual, page 31)");
    expect(text).toContain("Plucked belt A original");
    expect(text).toContain("Echoes, X Jory");
  });
  it("says how the record begins where there is none", () => {
    expect(draw(<Machine />, known(printer), where)).toContain("The first measurement begins the record.");
  });
  it("is held for a danger on another of its model until somebody has looked", () => {
    const look = { id: 4, danger: "Smoke or a burnt smell", on: "Carrick", case_id: 9, at: "2026-03-01T09:00:00Z" };
    const held = { ...printer, condition: { ...condition, fitness: "look_first", reason: "smoke" }, looks: [look] };
    const text = draw(<Machine />, known(held), where);
    expect(text).toContain("Look first : smoke");
    expect(text).toContain("On Carrick , of the same model: smoke or a burnt smell");
    expect(text).toContain("It is unplugged");
  });
  it("lists what was changed since it was measured as in doubt, with the way to measure it", () => {
    const why = "In doubt: X was set to 80.";
    const doubt = evidence("steps", "Does X travel as far as told?", "not_known", why, { in_doubt: true });
    const places = [...condition.places, place("axis", "x", "not_known", why, [doubt])];
    const axes = condition.axes.map((a) => (a.axis === "x" ? { ...a, places: [0, 1, 2] } : a));
    const text = draw(<Machine />, known({ ...printer, condition: { ...condition, places, axes } }), where);
    expect(text).toContain("Does X travel as far as told? Tension. In doubt: X was set to 80. Measured");
  });
  it("says who tagged it out, and lets that be lifted", () => {
    const tagged = { ...printer, tagged_out: "Smoke", tagged_out_by: "Jory" };
    const text = draw(<Machine />, known(tagged), where);
    expect(text).toContain("Tagged out by Jory");
    expect(text).toContain("Lift the tag");
    expect(text).not.toContain("Before it may be used again");
    const missing = [{ words: "What it has stored was not read back.", leads_to: "/machines/1/stored", danger: false }];
    const held = draw(<Machine />, known({ ...tagged, before_lifting: missing }), where);
    expect(held).toContain("Before it may be used again What it has stored was not read back.");
    expect(held).toContain("Or: how was it made sure of?");
    const grave = draw(<Machine />, known({ ...tagged, before_lifting: [{ ...missing[0]!, danger: true }] }), where);
    expect(grave).not.toContain("Or: how was it made sure of?");
  });
  it("shows a member no figures and the way to report", () => {
    const text = draw(<Machine />, known(printer), { ...where, me: member });
    expect(text).toContain("Report a fault");
    expect(text).not.toContain("16.40");
    expect(text).not.toContain("Tag out");
  });
});

describe("cases", () => {
  const brief = {
    id: 3,
    title: "Echoes, X",
    state: "not_verified",
    printer_id: 1,
    printer: "Bowline",
    reported_by: "Jory",
    reported_at: "2026-03-02T09:00:00Z",
    closed_at: null,
    closing: "",
  };
  it("are listed with where they stand", () => {
    const text = draw(<CaseList />, [[["cases", "open", ""], [brief]]]);
    expect(text).toContain("Bowline : Echoes, X");
    expect(text).toContain("Mended, not verified");
  });
  it("are a member's own for a member", () => {
    expect(draw(<CaseList />, [[["cases", "open", ""], []]], { me: member })).toContain("What you have reported");
  });
});

describe("the bench", () => {
  const belt = (name: string, last: unknown = null) => ({
    place: name,
    partner: name === "a" ? "b" : "a",
    belt: transmission,
    span_mm: 285,
    span_name: "left run",
    head_at: { x: 0, y: 0 },
    target_low_n: 24,
    target_high_n: 36,
    last,
  });
  const capture = (name: string, value: number) => ({
    id: name,
    place: name,
    round: 1,
    taken_at: "2026-03-01T09:00:00Z",
    verdict: "out_of_tolerance",
    found: {
      tension: tension(value),
      frequency: { value: 78.4, u95: 0.07, unit: "Hz" },
      plucks: [
        { at_s: 0.5, frequency_hz: 78.4, used: true, why_not: null },
        { at_s: 1.6, frequency_hz: 73.9, used: false, why_not: "rubbed: it died away at once" },
      ],
      partials: [],
      warnings: [{ code: "mains_hum", message: "Mains hum at 50 Hz was heard and left out." }],
    },
  });
  const bench = {
    printer_id: 1,
    printer: "Bowline",
    kinematics: "corexy",
    simulated: false,
    belts: [belt("a", capture("a", 16.4)), belt("b")],
    instruments: [
      {
        id: 1,
        name: "Bench microphone",
        kind: "microphone",
        doubt: "Its check was due on 2026-01-02.",
        on_network: false,
      },
    ],
    first: [
      {
        procedure: "belt-pluck",
        place: "a",
        short: "Pluck it",
        label: "A",
        question: "What tension has belt A?",
        minutes: 6,
        why: "Slack three days ago.",
      },
    ],
    entries: [
      {
        procedure: "belt-pluck",
        group: "Are the belts right?",
        short: "Pluck it",
        minutes: 6,
        instruments: ["microphone"],
        places: ["a", "b"].map((p) => ({ place: p, label: p.toUpperCase(), question: `Is belt ${p} tight enough?` })),
      },
      {
        procedure: "backlash",
        group: "Does it go where it is told?",
        short: "Reversal test",
        minutes: 20,
        instruments: ["dial indicator"],
        places: [{ place: "x", label: "X", question: "Does X come back?" }],
      },
    ],
    last: [
      {
        procedure: "belt-pluck",
        place: "a",
        quantity: { value: 16.4, u95: 0.5, unit: "N" },
        verdict: "out_of_tolerance",
        at: new Date(Date.now() - 3 * 86400000).toISOString(),
        capture_id: "c1",
      },
    ],
  };
  const advice = {
    imbalance_percent: { value: 44.5, u95: 0.3, unit: "%" },
    slacker: "a",
    coupling: 0.1,
    holds: false,
    advice: [{ action: "tighten_belt", target: "a", reason: "16.4 N, 30 N wanted." }],
    belts: [
      {
        id: "a",
        verdict: "out_of_tolerance",
        turns: { value: 1, u95: 0.3, unit: "turns" },
        direction: "clockwise",
        tighten: true,
        newtons_per_turn: { value: 12, u95: 5, unit: "N/turn" },
        learned_from: 2,
        expect: { value: 28.4, u95: 4.8, unit: "N" },
      },
    ],
  };
  const rounds = (missing: string[], turned: boolean, holds = false) => ({
    places: ["a", "b"],
    missing,
    courses: [] as Schemas["BeltCourse"][],
    advice: missing.length ? null : { ...advice, holds, ...(holds ? { advice: [], belts: [] } : {}) },
    rounds: [
      {
        number: 1,
        readings: [
          { place: "a", capture: capture("a", 16.4) },
          ...(missing.includes("b") ? [] : [{ place: "b", capture: capture("b", 25.9) }]),
        ],
        actions: turned
          ? [
              {
                id: 1,
                place: "a",
                turns: 0.5,
                unit: "turns",
                direction: "clockwise",
                advised: 0.5,
                by: "Wen",
                at: "2026-03-01T09:05:00Z",
                note: "",
              },
            ]
          : [],
      },
    ],
  });
  const where = { path: "/bench/1/belts/a?case=3", route: "/bench/:id/belts/:place" };
  const known = (r: unknown): Known => [
    [["bench", 1], bench],
    [["rounds", 1, "a", 3], r],
  ];

  it("says which belt is next", () => {
    expect(draw(<BeltsBench />, known(rounds(["b"], false)), where)).toContain("Now pluck belt B.");
  });
  it("warns where the chosen way cannot record, and of an instrument that is overdue only when chosen", () => {
    const text = draw(<BeltsBench />, known(rounds(["b"], false)), where);
    expect(text).toContain("The browser gives the microphone only to secure pages.");
    expect(text).toContain("Bench microphone");
    expect(text).not.toContain("check was due");
    expect(text).not.toContain("stand-in");
  });
  it("says what to turn, which way, how far and what to expect", () => {
    const text = draw(<BeltsBench />, known(rounds([], false)), where);
    expect(text).toContain("A, front left: 1 turn clockwise.");
    expect(text).toContain(
      "This machine gives 12.0 ± 5.0 N/turn, as learned from 2 rounds. Expect 28.4 ± 4.8 N after it.",
    );
    expect(text).toContain("Difference 44.50 ± 0.30 % ; A is the slacker.");
    expect(text).toContain("Stop if a printed part creaks.");
  });
  it("says what turning came to", () => {
    const improvement = { value: 62, u95: 4, unit: "%" };
    const courses = [
      { place: "a", course: { state: "helps" as const, words: "It helps: 4.1 N less. Go on.", improvement } },
    ];
    const text = draw(<BeltsBench />, known({ ...rounds([], false), courses }), where);
    expect(text).toContain("A. It helps: 4.1 N less. Go on. 62 % of what it was off by at first is gone (± 4 %).");
  });
  it("says that a turn is by the book until this machine was turned", () => {
    const read = rounds([], false);
    const belts = read.advice!.belts.map((b) => ({ ...b, learned_from: 0 }));
    const text = draw(<BeltsBench />, known({ ...read, advice: { ...read.advice!, belts } }), where);
    expect(text).toContain("By the book it gives 12.0 ± 5.0 N/turn; this machine was not turned yet.");
    expect(text).not.toContain("This machine gives");
  });
  it("names the pluck that was left out, and why", () => {
    const text = draw(<BeltsBench />, known(rounds([], false)), where);
    expect(text).toContain("✕ at 1.6 s: rubbed: it died away at once");
    expect(text).toContain("Mains hum at 50 Hz");
  });
  it("says when it holds, and leads back to the case", () => {
    const text = draw(<BeltsBench />, known(rounds([], false, true)), where);
    expect(text).toContain("It holds. Nothing more to turn.");
    expect(text).toContain("Back to the case");
  });
  it("keeps the rounds side by side with what was turned between", () => {
    const text = draw(
      <Rounds printerId={1} place="a" caseId={3} belts={bench.belts as never} />,
      known(rounds([], true)),
    );
    expect(text).toContain("16.40 ± 0.50 N");
    expect(text).toContain("then ½ turn clockwise");
  });
  it("begins with what one wants to know, the last figure and how old it is, and what is at hand", () => {
    const machine: Known = [
      [["bench", 1], bench],
      [["printer", 1], { id: 1, description, condition }],
    ];
    const text = draw(<BenchMachine />, machine, { path: "/bench/1", route: "/bench/:id" });
    expect(text.indexOf("First, on this machine")).toBeLessThan(text.indexOf("Are the belts right?"));
    expect(text).toContain("1 What tension has belt A? Slack three days ago. Pluck it, 6 min");
    expect(text).toContain("never used here");
    expect(text).toContain("A 16.40 ± 0.50 N , 3 days ago");
    expect(text).toContain("B never");
    expect(text).toContain("dial indicator");
  });
  it("asks which machine, and says where there is none", () => {
    const floor = { models, areas: [{ name: "Long walk", printers: [tile] }], wanted: [], wanted_count: 0 };
    expect(draw(<BenchStart />, [[["floor"], floor]])).toContain("Heron 300, Long walk");
    expect(draw(<BenchStart />, [[["floor"], { models, areas: [], wanted: [], wanted_count: 0 }]])).toContain(
      "There is no machine on the floor yet.",
    );
  });
});

it("the door asks for name and password, and shows the demo's sign-ins only there", () => {
  const state = { me: null, first_account: false, demo: false, open_reports: false } as Schemas["SessionState"];
  expect(draw(<SignIn state={state} />, [])).not.toContain("tide-table");
  expect(draw(<SignIn state={state} />, [])).toContain("Name to sign in with");
});

it("a machine's places stand by axis, a crossed pair once, folded to the worst with its reason", () => {
  const motor = place("motor", "a", "sound", "Measured within its limits.");
  const c = { ...condition, places: [...condition.places, motor, place("axis", "z", "worn", "It has play.")] };
  c.axes = c.axes.map((a) => ({ ...a, places: a.axis === "z" ? [3] : [0, 1, 2] }));
  const found = groups(c as never);
  expect(found.map((g) => [g.name, g.condition, g.places.length])).toEqual([
    ["X and Y", "out_of_adjustment", 3],
    ["Z", "worn", 1],
  ]);
  expect(found[0]!.why).toBe(`belt A: ${OUT}`);
});
