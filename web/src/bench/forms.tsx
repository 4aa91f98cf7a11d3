/** What differs between the procedures whose readings are typed: words, fields, context, drawing. Data, one page. */
import type { ReactNode } from "react";
import type { Schemas } from "../api/client";
import type { Column, Row } from "../kit/ReadingsField";
import { ShaperTable } from "./ShaperTable";
import { ShiftRulers } from "./ShiftRulers";
import { StepsAfter } from "./StepsAfter";
import { TravelProgram } from "./TravelProgram";

export type Bench = Schemas["BenchOut"];
type Belt = Schemas["BenchBelt"];
type Found = Schemas["CaptureOut"]["found"];
type Transmission = NonNullable<Bench["machine"]["transmissions"]>[string];
export type Setting = {
  name: string;
  label: string;
  hint: string;
  start?: (belt: Belt | undefined, bench: Bench, place: string) => string;
  optional?: boolean;
  /** Kept on this device for the machine: the next one need not type it again. */
  remember?: boolean;
  choice?: [string, string][];
  /** Only asked while another choice stands so. */
  when?: [string, string];
};

export type Form = {
  title: (place: string) => string;
  how: string[];
  caution: string;
  instruments: RegExp;
  columns: Column[];
  watch?: string;
  least: number;
  settings: Setting[];
  practice?: boolean;
  context: (
    rows: Row[],
    settings: Record<string, number | undefined>,
    place: string,
    belt: Belt | undefined,
    bench: Bench,
    choices: Record<string, string>,
  ) => object;
  /** About what a column's readings should be, where the settings tell. */
  expect?: (column: string, settings: Record<string, number | undefined>) => number | undefined;
  /** The readings are those of a wall: which one is asked, the axis follows from it. */
  byWall?: boolean;
  heading?: (found: Found) => string | undefined;
  /** Something to do before the readings. */
  before?: (place: string) => ReactNode;
  after?: (capture: Schemas["CaptureOut"], bench: Bench) => ReactNode;
};

/** The drive that moves an axis: its own, or one of those that share it. */
export function driveOf(bench: Bench, axis: string): Transmission | null {
  const all = bench.machine.transmissions ?? {};
  const names = { x: ["x", "a", "t1"], y: ["y", "y1", "b", "t1"], z: ["z", "z1", "t1"], e: ["e"] }[axis] ?? [axis];
  for (const n of names) if (all[n]) return all[n];
  return null;
}

/** Microsteps for a millimetre, by teeth, lead or diameter: what the field starts with. */
function theorySteps(bench: Bench, axis: string): string {
  const d = driveOf(bench, axis);
  if (!d) return "";
  const turn =
    d.kind === "belt"
      ? d.pitch_mm * d.teeth
      : d.kind === "screw"
        ? d.lead_mm
        : d.drive_diameter_mm
          ? Math.PI * d.drive_diameter_mm
          : null;
  return turn ? String(Number(((d.motor_steps_per_rev * d.microsteps * d.gear_ratio) / turn).toFixed(3))) : "";
}

export const FORMS: Record<string, Form> = {
  "belt-deflection": {
    title: (p) => `Press belt ${p.toUpperCase()}`,
    how: [
      "Head still. Find the middle of the free span.",
      "Hook the spring scale on the belt and pull square to it until it has moved 5 to 10 mm.",
      "Read the force and how far it moved. Three times, at two depths.",
    ],
    instruments: /scale/,
    caution: "Motors off and unplugged: the head must not move by itself while your hand is in the frame.",
    columns: [
      { name: "force_n", label: "Force", unit: "N", min: 0.01, max: 200 },
      { name: "deflection_mm", label: "Deflection", unit: "mm", min: 0.1, max: 100 },
    ],
    least: 1,
    settings: [
      {
        name: "span_mm",
        label: "Free span, mm",
        hint: "Pulley to clamp.",
        start: (b) => (b?.span_mm ? String(b.span_mm) : ""),
      },
      { name: "resolution_n", label: "Scale reads to, N", hint: "Its smallest step.", start: () => "0.1" },
      { name: "resolution_mm", label: "Rule reads to, mm", hint: "Its smallest step.", start: () => "0.5" },
    ],
    context: (readings, s, axis, belt) => ({
      ...s,
      readings,
      axis,
      axial_stiffness_n: belt?.axial_stiffness_n,
      loop_length_mm: belt?.belt.loop_length_mm,
      target_n: belt ? { low: belt.target_low_n, high: belt.target_high_n } : undefined,
    }),
  },
  "belt-tracking": {
    title: (p) => `Does belt ${p.toUpperCase()} run true?`,
    how: [
      "Move the head by hand to one end, slowly.",
      "At the idler, measure the gap from the belt's edge to the upper and to the lower flange.",
      "The same in the middle and at the other end.",
    ],
    instruments: /gauge|caliper/,
    caution: "Unplugged. Motors pushed by hand make current: move slowly.",
    columns: [
      { name: "travel_mm", label: "Place", unit: "mm", min: -2000, max: 2000 },
      { name: "clearance_top_mm", label: "Above", unit: "mm", min: 0, max: 20 },
      { name: "clearance_bottom_mm", label: "Below", unit: "mm", min: 0, max: 20 },
    ],
    least: 2,
    settings: [
      { name: "limit_mm", label: "May wander, mm", hint: "0.2 is typical.", start: () => "0.2" },
      { name: "resolution_mm", label: "Gauge reads to, mm", hint: "Its smallest step.", start: () => "0.05" },
    ],
    context: (positions, s, axis) => ({ ...s, positions, axis }),
  },
  "ringing-print": {
    title: () => "Ripples after a corner",
    byWall: true,
    how: [
      "Light the wall from the side. Find a corner with echoes after it.",
      "Begin where the head has its full speed, past the ramp.",
      "Count ripples from crest to crest and measure their distance together. At two corners or more.",
    ],
    instruments: /caliper/,
    caution: "Take the part off with a flexible plate first; a blade slips towards the hand.",
    columns: [
      { name: "count", label: "Ripples", unit: "count", min: 1, max: 200 },
      { name: "distance_mm", label: "Over", unit: "mm", min: 0.1, max: 500 },
    ],
    least: 1,
    practice: true,
    settings: [
      { name: "speed_mm_s", label: "Wall speed, mm/s", hint: "From the slicer's profile." },
      {
        name: "acceleration_mm_s2",
        label: "Acceleration, mm/s²",
        hint: "Tells from where ripples count.",
        optional: true,
      },
      { name: "resolution_mm", label: "Caliper and eye, mm", hint: "0.2 is typical.", start: () => "0.2" },
    ],
    context: (ripples, s, axis, _, bench) => ({
      ...s,
      ripples,
      wall_runs: bench.walls.find((w) => w.axis === axis)?.runs,
      kinematics: bench.kinematics,
    }),
    after: (c) =>
      "undamped_frequency" in c.found ? (
        <>
          {c.found.whose ? <p className="text-[19px] font-semibold">{c.found.whose}</p> : null}
          {c.found.count_from_mm != null ? (
            <p>
              Count only from {c.found.count_from_mm.toFixed(1)} mm after the corner: before, the head is still speeding
              up.
            </p>
          ) : null}
          <ShaperTable shapers={c.found.shapers ?? []} recommended={c.found.recommended} />
        </>
      ) : null,
  },
  "layer-shift": {
    title: () => "Why did the layers step aside?",
    how: [
      "Look from the front: how far to the right (+) or left (−) do the layers above the step lie?",
      "Then in depth: away from you is +, towards you −.",
      "Calipers over both faces at three heights above and below; the difference is the step.",
    ],
    instruments: /caliper/,
    caution: "Take the part off with a flexible plate first; a blade slips towards the hand.",
    columns: [],
    least: 0,
    practice: true,
    settings: [
      { name: "shift_x_mm", label: "To the right (X), mm", hint: "Minus where it is to the left." },
      { name: "shift_y_mm", label: "Away from you (Y), mm", hint: "Minus where it is towards you." },
      { name: "u95_mm", label: "Good to ±, mm", hint: "0.1 is typical for calipers on layers.", start: () => "0.1" },
      { name: "shifts", label: "How many steps in all", hint: "The figures are those of one.", start: () => "1" },
      {
        name: "progressive",
        label: "How did it come?",
        hint: "Creeping: a little at each of many layers.",
        choice: [
          ["no", "At once"],
          ["yes", "Creeping one way"],
        ],
      },
      {
        name: "drivers_changed",
        label: "Drivers or firmware changed lately?",
        hint: "Then microsteps may not match.",
        choice: [
          ["no", "No"],
          ["yes", "Yes"],
        ],
      },
    ],
    context: (_, s, axis, __, bench, choices) => ({
      ...s,
      shifts: Math.max(1, Math.round(s.shifts ?? 1)),
      progressive: choices.progressive === "yes",
      drivers_changed: choices.drivers_changed === "yes",
      kinematics: bench.kinematics,
      transmissions: bench.machine.transmissions,
      axis: axis === "all" ? undefined : axis,
    }),
    heading: (f) => ("mechanisms" in f && f.mechanisms[0] ? MECHANISM[f.mechanisms[0].mechanism] : undefined),
    after: (c) => ("mechanisms" in c.found ? <ShiftRulers found={c.found} /> : null),
  },
  steps: {
    title: (p) => `Does ${p.toUpperCase()} travel as far as told?`,
    how: [
      "Command a long travel: 100 mm, or 200. The moves can be taken along below.",
      "Measure how far it went. Approach each end from the same side, so that play does not count.",
      "Five times. One reading changes nothing.",
    ],
    before: (p) => <TravelProgram axis={p} />,
    instruments: /caliper|rule/,
    caution: "Hands out while it moves. A hot nozzle burns: measure at the cold end of the axis.",
    columns: [{ name: "measured_mm", label: "Measured", unit: "mm", min: 0.1, max: 3000 }],
    expect: (_, s) => s.commanded_mm,
    least: 1,
    practice: true,
    settings: [
      { name: "commanded_mm", label: "Told to travel, mm", hint: "Longer is surer.", start: () => "100" },
      {
        name: "steps_per_mm",
        label: "Steps per mm now",
        hint: "Read it back from the machine; this is what teeth and lead say.",
        start: (_, bench, p) => theorySteps(bench, p),
        remember: true,
      },
      { name: "resolution_mm", label: "Reads to, mm", hint: "Its smallest step.", start: () => "0.01" },
      {
        name: "stated_u95_mm",
        label: "Hand and feel ±, mm",
        hint: "0.03 is typical of calipers, 0.3 of a rule.",
        start: () => "0.03",
      },
    ],
    context: (rows, s, axis, _, bench) => ({
      ...s,
      axis,
      measured_mm: rows.map((r) => r.measured_mm),
      transmission: driveOf(bench, axis) ?? { kind: "extruder" },
    }),
    after: (c, bench) => ("ratio_suspect" in c.found ? <StepsAfter capture={c} found={c.found} bench={bench} /> : null),
  },
  "motor-current": {
    title: (p) => `Current of motor ${p.toUpperCase()}`,
    how: [
      "Is the current a stored value? Read it back and enter it; the board stays closed.",
      "Else: board open, powered, motors idle. Black lead on the supply's minus; red lead, insulated to the tip, on the driver's reference point. Read the volts.",
      "Sense resistor and factor stand in the driver's data sheet, the rating on the motor.",
    ],
    instruments: /meter/,
    caution:
      "The board is live. One hand, insulated tool, no ring or bracelet. Power off before you turn anything; mains parts are for qualified people.",
    columns: [],
    least: 0,
    settings: [
      {
        name: "set_by",
        label: "How is it set?",
        hint: "By a screw at the driver, or as a stored value.",
        choice: [
          ["reference", "At the driver"],
          ["stored", "Stored value"],
        ],
        remember: true,
      },
      {
        name: "stored_rms_a",
        label: "Stored current, A",
        hint: "R.m.s. a phase, as the machine tells it.",
        when: ["set_by", "stored"],
      },
      { name: "reference_v", label: "Reference, V", hint: "As the meter shows it.", when: ["set_by", "reference"] },
      {
        name: "sense_ohm",
        label: "Sense resistor, Ω",
        hint: "On the driver: R100 is 0.1 Ω.",
        remember: true,
        when: ["set_by", "reference"],
      },
      {
        name: "gain",
        label: "Driver's factor",
        hint: "Peak current is V / (factor × Ω); data sheet.",
        remember: true,
        when: ["set_by", "reference"],
      },
      {
        name: "motors_on_driver",
        label: "Motors on this driver",
        hint: "Two screws often hang on one.",
        choice: [
          ["1", "One"],
          ["2", "Two in parallel: half each"],
          ["2s", "Two in series: all each"],
        ],
        remember: true,
      },
      { name: "rated_a", label: "Motor's rating, A", hint: "R.m.s. a phase, on its label.", remember: true },
      { name: "case_temperature_c", label: "Motor's case, °C", hint: "After a print.", optional: true },
      {
        name: "resolution_v",
        label: "Meter reads to, V",
        hint: "Its smallest step.",
        start: () => "0.01",
        when: ["set_by", "reference"],
      },
    ],
    context: (_, s, axis, __, ___, choices) => ({
      ...s,
      axis,
      motors_on_driver: choices.motors_on_driver === "1" ? 1 : 2,
      wiring: choices.motors_on_driver === "2s" ? "series" : "parallel",
    }),
    after: (c) =>
      "cautions" in c.found ? (
        <ul className="grid gap-1">
          {c.found.cautions.map((words) => (
            <li key={words} className="border-l-[5px] border-watch pl-3">
              {words}
            </li>
          ))}
        </ul>
      ) : null,
  },
};

// Filament is measured by a mark before the drive gears.
FORMS["steps:e"] = {
  ...FORMS.steps!,
  title: () => "Does it feed as much as told?",
  how: [
    "Nozzle hot, or taken off so that nothing pushes back. A mark on the filament, 120 mm before it goes in.",
    "Feed 100 mm slowly. Measure from where it goes in to the mark.",
    "A new mark each time, three times or more, always at the same distance.",
  ],
  caution: "A hot nozzle burns and drips: keep hands and cables off it.",
  columns: [{ name: "mark_after_mm", label: "To the mark now", unit: "mm", min: 0, max: 2000 }],
  expect: (_, s) => (s.mark_before_mm ?? 0) - (s.commanded_mm ?? 0) || undefined,
  practice: false,
  before: undefined,
  settings: [
    { name: "mark_before_mm", label: "Mark stood at, mm", hint: "Before the feed.", start: () => "120" },
    ...FORMS.steps!.settings,
  ],
  context: (rows, s, axis, _, bench) => ({
    ...s,
    axis,
    mark_after_mm: rows.map((r) => r.mark_after_mm),
    transmission: driveOf(bench, axis) ?? { kind: "extruder" },
  }),
};

const MECHANISM: Record<string, string> = {
  tooth_jump: "Most likely the belt jumped a tooth",
  lost_cycles: "Most likely the motor stalled",
  pulley_slip: "Most likely a pulley slips on its shaft",
  part_moved: "Most likely the part came loose",
  resolution_mismatch: "Most likely the microsteps do not match",
};
