/** Whole pages with what the server has told: a case at each of its steps, the report, the very first account. */
import { beforeAll, describe, expect, it } from "vitest";
import type { Schemas } from "./api/client";
import { CasePage } from "./case/CasePage";
import { Report } from "./case/Report";
import { FirstAccount } from "./session/SignIn";
import { draw, withoutBrowser } from "./tests/draw";

beforeAll(withoutBrowser);

const at = "2026-03-10T09:00:00Z";
const finding = (id: string, label: string, group: string, placed: string | null = null) => ({
  id,
  label,
  group,
  kind: group === "danger" ? "danger" : "seen",
  unit: null,
  placed,
  words: "",
});
const findings = [
  finding("echoes", "Echoes after a corner", "print", "axis"),
  finding("squeak", "Squeak or creak", "sound", "axis"),
  finding("smoke", "Burnt smell or smoke", "danger"),
  finding("nut_rocks", "A nut rocks on its screw", "hand", "screw"),
];
const knowledge = {
  // biome-ignore lint/suspicious/noThenProperty: the word of the API
  faults: [{ id: "grub", label: "Grub screw loose", after: ["steps"], then: "File the flat.", steps: [], hand_to: "" }],
  checks: [
    {
      id: "rock",
      label: "Rock test",
      answers: ["nut_rocks", "squeak"],
      swap: false,
      nothing: "All fine",
      how: [],
      caution: "",
      tools: [],
    },
  ],
  events: ["head_changed"],
};
const printer = {
  id: 1,
  name: "Bowline",
  description: { kinematics: "bed_slinger", transmissions: { x: { kind: "belt" } }, pairs: [] },
  condition: { fitness: "fit", reason: "", axes: [], places: [] },
};
const rock = {
  check: "rock",
  label: "Rock test",
  axis: null,
  minutes: 3,
  saves_minutes: 9,
  why: "It tells.",
  gate: null,
  // biome-ignore lint/suspicious/noThenProperty: the word of the API
  outcomes: [{ finding: "squeak", axis: null, label: "Squeak or creak", probability: 0.12, then: [] }],
};
const base = {
  id: 3,
  title: "Echoes, X",
  state: "in_work",
  printer_id: 1,
  printer: "Bowline",
  reported_by: "Jory",
  reported_at: at,
  closed_at: null,
  closing: "",
  words: "On all lids.",
  since: "last week",
  cause: "",
  taken_by: "Wen",
  fault: "",
  fault_axis: "",
  sounds: [],
  unaided: false,
  spots: { axis: ["x", "y"], belt: [], screw: [] },
  observations: [],
  pictures: [{ id: 7, before: null, fit: null, words: "The long face", width: 900, height: 560, by: "Jory", at }],
  log: [{ at, who: "Jory", kind: "reported", words: "On all lids." }],
  may_work: true,
  weighing: {
    result: { hypotheses: [], next: [rock], ask: [], placed_faults: 118, process_probability: 0.1 },
    sources: [],
    confirmed: {},
  },
};
const page = (more: object) =>
  draw(
    <CasePage />,
    [
      [["case", 3], { ...base, ...more }],
      [["printer", 1], printer],
      [["findings"], findings],
      [["knowledge"], knowledge],
    ],
    { path: "/cases/3", route: "/cases/:id" },
  );
const step = (kind: string, more: object = {}) => ({
  step: { kind, title: "Title", why: "Because.", minutes: 3, place: null, caution: "", ...more },
});

describe("a case", () => {
  it("that nobody has asks to be taken", () => {
    const text = page({ state: "reported", taken_by: null, ...step("take") });
    expect(text).toContain("Take it Enter");
    expect(text).not.toContain("What did it show?");
  });
  it("with a check asks what it showed, with how likely each is", () => {
    const text = page(step("check", { check: "rock", how: ["Push and pull."], caution: "Unplug.", tools: ["lamp"] }));
    expect(text).toContain("1 Push and pull.");
    expect(text).toContain("Take care. Unplug.");
    expect(text).toContain("Have at hand: lamp.");
    expect(text).toMatch(/What did it show\? A nut rocks on its screw Squeak or creak 12 % .*All fine 0 Not sure/);
    expect(text).toContain("Other checks, and what each would save");
  });
  it("with a repair asks whether it helped, and says what must be measured again", () => {
    const text = page(
      step("repair", {
        fault: "grub",
        how: ["Tighten."],
        after: ["steps"],
        // biome-ignore lint/suspicious/noThenProperty: the word of the API
        then: "File the flat.",
        state: "unplugged",
      }),
    );
    expect(text).toContain("Machine unplugged.");
    expect(text).toContain("Measure again after it: steps.");
    expect(text).toContain("Done, it is gone Done, still there");
  });
  it("with belts to set leads to the bench", () => {
    expect(page(step("set", { place: "x" }))).toContain("See what to turn Enter");
  });
  it("with danger shows the steps and no way on", () => {
    const text = page({ ...step("danger", { how: ["Unplug it."], caution: "Do not power it." }), state: "reported" });
    expect(text).toContain("1 Unplug it.");
    expect(text).not.toContain("Bench");
    expect(text).not.toContain("Take it");
  });
  it("that is closed can be opened again and shows what it was", () => {
    const closed = { state: "closed", fault: "grub", fault_axis: "x", cause: "Backed out", weighing: null };
    const text = page({ ...closed, ...step("done") });
    expect(text).toContain("Open it again");
    expect(text).toContain("Grub screw loose, X");
    expect(text).toContain("Not enough? File the flat.");
  });
  it("shows its pictures with who took them, and its log", () => {
    const text = page(step("check", { check: "rock" }));
    expect(text).toContain("The long face Jory");
    expect(text).toContain("On all lids.");
  });
});

describe("a report", () => {
  const form = () =>
    draw(
      <Report />,
      [
        [["printer", 1], printer],
        [["findings"], findings],
      ],
      { path: "/report/1", route: "/report/:id" },
    );
  it("offers what one can see standing before the machine, and nothing that needs a tool", () => {
    const text = form();
    expect(text).toContain("What is wrong with Bowline?");
    expect(text).toContain("Echoes after a corner");
    expect(text).toContain("Burnt smell or smoke");
    expect(text).not.toContain("A nut rocks on its screw");
  });
  it("asks since when, and for a picture", () => {
    for (const words of ["Since when?", "A picture of the print", "Nothing chosen yet"])
      expect(form()).toContain(words);
  });
});

it("the first account asks for the code that was printed", () => {
  const text = draw(<FirstAccount />, [], { path: "/first?code=123456", route: "*" });
  expect(text.toLowerCase()).toContain("code");
  expect(text).toContain("Password");
});

it("a page says what it is fetching until it has come", () => {
  expect(draw(<CasePage />, [], { path: "/cases/3", route: "/cases/:id" })).toContain("Fetching the case");
  const none: Schemas["FindingOut"][] = [];
  expect(draw(<Report />, [[["findings"], none]], { path: "/report/1", route: "/report/:id" })).toContain(
    "Fetching the form",
  );
});
