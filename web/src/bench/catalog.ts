/** What can be measured: the question it answers, with which instrument, in how many minutes, at which places. */
import type { Schemas } from "../api/client";

type Bench = Schemas["BenchOut"];

export type Entry = {
  procedure: string;
  question: (place: string) => string;
  short: string;
  instrument: string;
  minutes: number;
  group: string;
  places: (b: Bench) => string[];
  path: (id: number, place: string) => string;
  /** What the link is called, where it is not the place's own name. */
  label?: (place: string) => string;
};

const typed = (procedure: string) => (id: number, place: string) => `/bench/${id}/${procedure}/${place}`;
const belts = (b: Bench) => b.belts.map((x) => x.place);
const all = () => ["x", "y", "z"];
const named = (place: string) => place.toUpperCase();
const motors = (b: Bench) => Object.keys(b.machine.transmissions ?? {});

export const GROUPS = [
  "Are the belts right?",
  "What rings, what repeats?",
  "Does it go where it is told?",
  "Is the motor strong enough?",
] as const;

export const CATALOG: Entry[] = [
  {
    procedure: "belt-pluck",
    question: (p) => `Is belt ${named(p)} tight enough?`,
    short: "Pluck it",
    instrument: "microphone",
    minutes: 3,
    group: GROUPS[0],
    places: belts,
    path: (id, place) => `/bench/${id}/belts/${place}`,
  },
  {
    procedure: "belt-deflection",
    question: (p) => `Is belt ${named(p)} tight enough?`,
    short: "Press it",
    instrument: "spring scale",
    minutes: 6,
    group: GROUPS[0],
    places: belts,
    path: typed("belt-deflection"),
  },
  {
    procedure: "belt-tracking",
    question: (p) => `Does belt ${named(p)} run true?`,
    short: "Does it run true?",
    instrument: "feeler gauge",
    minutes: 5,
    group: GROUPS[0],
    places: belts,
    path: typed("belt-tracking"),
  },
  {
    procedure: "resonance",
    question: (p) => `At what does ${named(p)} ring?`,
    short: "Shake it",
    instrument: "accelerometer",
    minutes: 15,
    group: GROUPS[1],
    places: (b) => (b.kinematics === "corexy" ? ["x", "y", "a", "b"] : ["x", "y"]),
    path: typed("resonance"),
  },
  {
    procedure: "ringing-print",
    question: (p) => `What rings after a corner: ${named(p)}?`,
    label: (p) => `Wall along ${p === "x" ? "Y" : "X"}`,
    short: "Count ripples after a corner",
    instrument: "caliper",
    minutes: 35,
    group: GROUPS[1],
    // By its walls: along X (it shows Y) first.
    places: () => ["y", "x"],
    path: typed("ringing-print"),
  },
  {
    procedure: "ripple-source",
    question: (p) => `What makes the pattern along ${named(p)}?`,
    label: (p) => (p === "z" ? "From layer to layer" : `Wall along ${named(p)}`),
    short: "Measure a pattern, or photograph it",
    instrument: "caliper or camera",
    minutes: 10,
    group: GROUPS[1],
    places: all,
    path: typed("ripple-source"),
  },
  {
    procedure: "layer-shift",
    question: () => "Why did the layers step aside?",
    short: "Measure the step",
    instrument: "caliper",
    minutes: 5,
    group: GROUPS[1],
    places: (b) => (["delta", "belt_bed"].includes(b.kinematics) ? [] : ["all"]),
    path: typed("layer-shift"),
  },
  {
    procedure: "steps",
    question: (p) => (p === "e" ? "Does it feed as much as told?" : `Does ${named(p)} travel as far as told?`),
    short: "Travel test",
    instrument: "caliper or rule",
    minutes: 10,
    group: GROUPS[2],
    places: () => ["x", "y", "z", "e"],
    path: typed("steps"),
  },
  {
    procedure: "backlash",
    question: (p) => `Does ${named(p)} come back to the same place?`,
    short: "Reversal test",
    instrument: "dial indicator",
    minutes: 20,
    group: GROUPS[2],
    places: all,
    path: typed("backlash"),
  },
  {
    procedure: "motor-current",
    question: (p) => `Has motor ${named(p)} the right current?`,
    short: "Read the reference",
    instrument: "meter",
    minutes: 8,
    group: GROUPS[3],
    places: motors,
    path: typed("motor-current"),
  },
];

export const INSTRUMENTS = [...new Set(CATALOG.flatMap((e) => e.instrument.split(" or ")))];
