/** The weighing as it is drawn: bars with their reasons, what-if, danger-free ends, and checks with their gates. */
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { draw } from "../tests/draw";
import { OtherChecks } from "./CheckStep";
import { Seen } from "./Seen";
import { Weighing } from "./Weighing";

type Case = Schemas["CaseOut"];

const at = "2026-03-10T09:00:00Z";
const bar = (
  fault: string,
  label: string,
  probability: number,
  because: Schemas["Reason"][] = [],
  kind = "mechanical",
) => ({ fault, label, axis: null, kind, probability, because }) as Schemas["Hypothesis"];
const seen = (
  id: number,
  finding: string,
  label: string,
  state: "present" | "absent" | "unknown",
  group = "print",
) => ({
  id,
  finding,
  label,
  axis: "x",
  group,
  state,
  value: null,
  unit: null,
  note: "",
  check: "",
  by: "Wen",
  at,
});
const check = (id: string, label: string, gate: string | null) =>
  ({
    check: id,
    label,
    axis: null,
    minutes: 6,
    saves_minutes: 14.2,
    why: "",
    gate,
    outcomes: [],
  }) as unknown as Schemas["NextCheck"];

const CASE = {
  id: 3,
  title: "Echoes, X",
  state: "in_work",
  printer_id: 1,
  printer: "Bowline",
  reported_by: "Jory",
  reported_at: at,
  closed_at: null,
  closing: "",
  words: "",
  since: "last week",
  cause: "",
  taken_by: "Wen",
  fault: "",
  fault_axis: "",
  observations: [
    seen(1, "echoes_after_corners", "Echoes after a corner", "present"),
    seen(2, "squeak", "Squeak", "absent", "sound"),
    seen(3, "buzz", "Buzz", "unknown", "sound"),
    seen(4, "buzz", "Buzz", "present", "sound"),
  ],
  pictures: [],
  log: [],
  sounds: [],
  unaided: false,
  spots: { axis: ["x", "y", "z"], belt: ["a", "b"], screw: [] },
  step: { kind: "check", title: "Rock it", why: "", minutes: 3 },
  may_work: true,
  weighing: {
    result: {
      hypotheses: [
        bar("belt_slack", "Belt slack, A", 0.46, [
          { words: "Echoes after a corner: seen (for it)", bits: 1.2 },
          { words: "Nothing rocks: seen (against it)", bits: -0.8 },
        ] as Schemas["Reason"][]),
        bar("damp_filament", "Damp filament", 0.2, [], "process"),
        bar("other", "Something that is not on the list", 0.004, [], "other"),
      ],
      next: [check("rock", "Rock test", null), check("resonance", "Resonance", "First play: it would be worthless.")],
      ask: [
        { finding: "only_fast", label: "Only in fast moves" },
        { finding: "buzz", label: "Buzz" },
        { finding: "echoes_after_corners", label: "Echoes: on which wall?", places: ["x", "y"] },
      ],
      placed_faults: 124,
      process_probability: 0.35,
    },
    sources: ["Began after: head changed on 1 March"],
    confirmed: { belt_slack: 2 },
  },
} as unknown as Case;

describe("the bars", () => {
  it("say how likely, and why for and against", () => {
    const text = draw(<Weighing c={CASE} whatIf={null} />);
    expect(text).toContain("Belt slack, A 46 %");
    expect(text).toMatch(/\+ Echoes after a corner: seen \(for it\).*− Nothing rocks: seen \(against it\)/);
    expect(text).toContain("Damp filament (process)");
    expect(text).toContain("<1 %".replace("<", "&lt;"));
  });
  it("say that nothing speaks for a bar that stands by its base rate", () => {
    expect(draw(<Weighing c={CASE} whatIf={null} />)).toContain("it stands by how common it is");
  });
  it("show where the evidence came from and what has been learned", () => {
    const text = draw(<Weighing c={CASE} whatIf={null} />);
    expect(text).toContain("Began after: head changed on 1 March");
    expect(text).toContain("2 confirmed causes on this model count");
    expect(text).toContain("35 % for the process");
  });
  it("move in a what-if and name what joins them", () => {
    const then = [
      { fault: "belt_slack", label: "Belt slack, A", axis: null, probability: 0.05 },
      { fault: "carriage_play", label: "Play in a carriage", axis: null, probability: 0.8 },
    ];
    const text = draw(<Weighing c={CASE} whatIf={{ label: "It rocks", bars: then }} />);
    expect(text).toContain("If “It rocks”:");
    expect(text).toContain("then 5 %");
    expect(text).toContain("Play in a carriage 80 % then");
  });
  it("say what does not fit together, and what to look at again", () => {
    const message = "The answers do not fit together; look again at “The belt feels slack”.";
    const weighing = {
      ...CASE.weighing!,
      result: { ...CASE.weighing!.result, warnings: [{ code: "do_not_fit", message }] },
    };
    expect(draw(<Weighing c={{ ...CASE, weighing } as Case} whatIf={null} />)).toContain(message);
  });
  it("give way to what it was once the case is closed", () => {
    const closed = { ...CASE, state: "closed", cause: "Belt A slack", weighing: null } as Case;
    const text = draw(<Weighing c={closed} whatIf={null} />);
    expect(text).toContain("What it was");
    expect(text).toContain("Belt A slack");
    expect(text).not.toContain("What it may be");
  });
});

describe("what has been seen", () => {
  it("shows the last word on each finding, by where one meets it", () => {
    const text = draw(<Seen c={CASE} changed={() => undefined} />);
    expect(text).toContain("On the print");
    expect(text).toContain("To hear");
    expect(text.match(/Buzz, X/g)).toHaveLength(1);
    expect(text).toContain("Looked for and not there, or not sure (1)");
  });
  it("asks what would move the bars, with a key, and not what has been answered", () => {
    const text = draw(<Seen c={CASE} changed={() => undefined} />);
    expect(text).toContain("Only in fast moves? Yes 1 No Not sure");
    expect(text).not.toContain("Buzz?");
  });
  it("asks where a thing is that was told without its place", () => {
    const text = draw(<Seen c={CASE} changed={() => undefined} />);
    expect(text).toMatch(/Echoes: on which wall\? (X Y|Runs left to right \(X\) Runs front to back \(Y\))/);
  });
  it("offers no entry on a closed case", () => {
    const text = draw(<Seen c={{ ...CASE, state: "closed" } as Case} changed={() => undefined} />);
    expect(text).not.toContain("What else?");
    expect(text).not.toContain("Take back my last");
  });
});

it("other checks say what they save and what should come first", () => {
  const text = draw(<OtherChecks c={CASE} onPick={() => undefined} />);
  expect(text).toContain("Rock test , 6 minutes, saves 14 more than it takes");
  expect(text).toContain("First play: it would be worthless.");
  const dear = { ...CASE.weighing!.result.next[0]!, check: "swap", label: "Swap machines", saves_minutes: -20 };
  const weighing = { ...CASE.weighing!, result: { ...CASE.weighing!.result, others: [dear] } };
  const more = draw(<OtherChecks c={{ ...CASE, weighing } as Case} onPick={() => undefined} />);
  expect(more).toMatch(
    /Those that take longer than they are expected to save \(1\) Swap machines , \d+ minutes Do this/,
  );
});
