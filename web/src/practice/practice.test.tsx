// @vitest-environment happy-dom
/** Practice: lessons and record, the bar, what is met, the print as it is drawn and told, the account. */
import { screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { handle, slowServer } from "../tests/hands";
import { AccountPage } from "./AccountPage";
import { AlonePage } from "./AlonePage";
import { besideAt, practising } from "./beside";
import { Company } from "./Company";
import { AskThem, LookHere, MendHere } from "./DoIt";
import { PracticeBar } from "./PracticeBar";
import { PracticeHome } from "./PracticeHome";
import { PrintSeen } from "./PrintSeen";
import { took } from "./practice";

const WALL: Schemas["Wall"] = {
  along: "x",
  ripple_mm: 0,
  ripple_every_mm: 2,
  lines_every_mm: null,
  leans_mm: 0,
  too_long: 0,
  ledges: [],
  lip_at_turn: false,
};
const SOUND: Schemas["Print"] = {
  walls: [WALL, { ...WALL, along: "y" }],
  ring: { x: 1, y: 1, lean: 0, flat: [], gap: [] },
  too_tall: 0,
  bands_every_mm: null,
  bands_grow: false,
  bands_uneven: false,
  strings: 0,
  drooping: 0,
  thin: 0,
  missing: [],
  bulging: 0,
  sheen: false,
  infill_gap: false,
  first_uneven: 0,
  first_gap: "",
  corner_up: false,
  knocked: false,
  stopped_at: null,
  lettering_closed: false,
};
const RUN: Schemas["PracticeRun"] = {
  id: 3,
  name: "slack_belt",
  title: "A square with soft corners",
  why: "",
  person: "Oda",
  mine: true,
  seed: 5,
  printer_id: 9,
  case_id: 7,
  plugged: true,
  hot: true,
  minutes: 75,
  cost: 18,
  closed: false,
  unaided: false,
  looks: SOUND,
  printed: 0,
  how: "",
  ended_at: null,
  told: null,
};
const LESSON: Schemas["PracticeLesson"] = {
  id: "slack_belt",
  title: "A square with soft corners",
  step: 1,
  minutes: 10,
  kinematics: "bed_slinger",
  machine: "Practice Sanderling",
  why: "Why.",
  done: 2,
  right: true,
};
const PRACTICE: Schemas["PracticeOut"] = {
  lessons: [LESSON, { ...LESSON, id: "grub_screw", title: "Steps, now and then", step: 2, done: 0, right: false }],
  machines: { bed_slinger: "Practice Sanderling", fixed_bed: "", corexy: "", delta: "", belt_bed: "" },
  record: [],
  now: null,
  people: [],
};

const practise = () => {
  document.documentElement.dataset.practice = "";
};
afterEach(() => {
  delete document.documentElement.dataset.practice;
});

describe("the two places", () => {
  it("are told apart by the page, and the other is a port of this host or an address", () => {
    expect(practising()).toBe(false);
    practise();
    expect(practising()).toBe(true);
    expect(besideAt("")).toBeNull();
    expect(besideAt("8710")).toMatch(/:8710$/);
    expect(besideAt("https://practice.example")).toBe("https://practice.example");
    expect([took(7.4), took(60), took(75)]).toEqual(["7 min", "1 h 0 min", "1 h 15 min"]);
  });
});

describe("the lessons", () => {
  it("lead on to the first that was not put right, and begin it as one wants", async () => {
    practise();
    const server = slowServer();
    const user = handle(<PracticeHome />, [[["practice"], PRACTICE]]);
    expect(screen.getByText("Put right")).toBeTruthy();
    await user.click(screen.getByRole("checkbox", { name: /Without the advice/ }));
    await user.click(screen.getByRole("button", { name: "Begin: Steps, now and then" }));
    expect(server.sent[0]).toMatchObject({ url: "/api/practice/runs" });
    expect(await server.sent[0]!.body).toMatchObject({ lesson: "grub_screw", unaided: true });
  });

  it("cannot be begun two at a time", () => {
    practise();
    slowServer();
    handle(<PracticeHome />, [[["practice"], { ...PRACTICE, now: RUN }]]);
    expect(screen.getByRole("button", { name: "Begin: Steps, now and then" })).toHaveProperty("disabled", true);
    expect(screen.getByText(/in the middle of/)).toBeTruthy();
  });
});

describe("the bar", () => {
  it("says what it took and how the machine stands, and asks before an open case is given up", async () => {
    practise();
    const server = slowServer();
    const user = handle(<PracticeBar />, [[["practice"], { ...PRACTICE, now: RUN }]]);
    const bar = screen.getByRole("region", { name: "Lesson" });
    expect(bar.textContent).toContain("1 h 15 min, parts 18");
    await user.click(screen.getByRole("button", { name: "End the lesson" }));
    expect(server.sent).toHaveLength(0);
    await user.click(screen.getByRole("button", { name: "Give it up" }));
    expect(server.sent[0]!.url).toBe("/api/practice/runs/3/end");
  });

  it("is nowhere in the workshop", () => {
    slowServer();
    handle(<PracticeBar />, [[["practice"], { ...PRACTICE, now: RUN }]]);
    expect(screen.queryByRole("region", { name: "Lesson" })).toBeNull();
  });
});

describe("doing it", () => {
  it("tells what is met, and stands nowhere in the workshop", async () => {
    const server = slowServer();
    handle(<LookHere check="grub_marks" place="y" measured={false} />, [[["practice"], { ...PRACTICE, now: RUN }]]);
    expect(screen.queryByRole("button")).toBeNull();
    practise();
    const user = handle(<LookHere check="grub_marks" place="y" measured={false} />, [
      [["practice"], { ...PRACTICE, now: RUN }],
    ]);
    await user.click(screen.getByRole("button", { name: "Do it on the machine" }));
    server.answer({ met: [{ place: "y", words: "The pen line is broken." }], run: RUN });
    expect(await screen.findByText("The pen line is broken.")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Do it once more" })).toBeTruthy();
  });

  it("asks whoever complains, and mends before one says that it helped", async () => {
    practise();
    const server = slowServer();
    const user = handle(
      <>
        <AskThem finding="comes_and_goes" places={[]} />
        <MendHere fault="belt_slack" place="x" />
      </>,
      [[["practice"], { ...PRACTICE, now: RUN }]],
    );
    await user.click(screen.getByRole("button", { name: /^Ask/ }));
    server.answer({ met: [{ place: "", words: "It is there each time." }], run: RUN });
    expect(await screen.findByText("It is there each time.")).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Do it on the machine" }));
    server.answer({ met: [], run: RUN });
    expect(await screen.findByText(/before you say that it helped/)).toBeTruthy();
  });
});

describe("the print", () => {
  const told = (p: Partial<Schemas["Print"]>) => {
    handle(<PrintSeen p={{ ...SOUND, ...p }} />, []);
    return screen.getAllByRole("img").map((i) => i.getAttribute("aria-label"));
  };

  it("is even where nothing is wrong, and has all its layers", () => {
    expect(told({})).toEqual([
      "Wall along X. Even.",
      "Wall along Y. Even.",
      "The lid with its ring. Round and square.",
      "The underside, and two posts. Even, and clean between the posts.",
    ]);
    expect(document.querySelectorAll("svg")[0]!.querySelectorAll("g > path").length).toBe(60);
  });

  it("shows what is wrong with it, and says so to who cannot see it", () => {
    const rippled = { ...WALL, ripple_mm: 0.05, ledges: [{ at: 0.5, aside_mm: 2 }], too_long: -0.01 };
    const labels = told({
      walls: [rippled, WALL],
      missing: [0.3, 0.6],
      stopped_at: 0.8,
      strings: 1,
      first_gap: "loose",
      ring: { x: 0.99, y: 1, lean: 0.003, flat: ["x"], gap: ["y"] },
    });
    expect(labels[0]).toBe(
      "Wall along X. Stripes after the corner that die away. Stands aside from 1 height on. Layers missing. It ends before its height. Shorter than drawn.",
    );
    expect(labels[2]).toContain("Long along Y. Pushed over. Flat where X turns round. Open where Y turns round.");
    expect(labels[3]).toContain("Loose lines all over. Hairs hang");
    expect(document.querySelectorAll("svg")[0]!.querySelectorAll("g > path").length).toBeLessThan(50);
  });
});

describe("the account", () => {
  it("sets one's own way beside the advice's, with what was true and not safe", () => {
    slowServer();
    const way = {
      steps: [{ words: "Mended: Belt slack, X", minutes: 10, cost: 0 }],
      solved: true,
      stopped: false,
      told_rank: 1,
      three_rank: 1,
    };
    const told: Schemas["PracticeAccount"] = {
      truths: ["Belt slack, X"],
      found: true,
      right: false,
      made: ["Belt over-tight, Y"],
      way: [{ words: "Looked", minutes: 4, cost: 0 }],
      minutes: 4,
      cost: 0,
      advised: way,
      advised_minutes: 10,
      advised_cost: 0,
      unread: ["The belt feels slack: it was there, and nobody said so."],
      too_soon: [],
      unsafe: [],
      figures: [{ words: "belt pluck, X", measured: { value: 12.3, u95: 0.4, unit: "N" }, true: 12.5, within: true }],
      teaches: "Belts first.",
    };
    const ended = { ...RUN, how: "ended" as const, ended_at: "2026-11-01T10:00:00Z", told };
    handle(<AccountPage />, [[["practice-run", 3], ended]], { path: "/lessons/3", route: "/lessons/:id" });
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Named, but not put right");
    expect(screen.getByText("Belt slack, X")).toBeTruthy();
    expect(screen.getByText(/it was there, and nobody said so/)).toBeTruthy();
    expect(screen.getByText("12.3 ± 0.40 N")).toBeTruthy();
    expect(screen.getByText("Belts first.")).toBeTruthy();
    expect(screen.getByRole("heading", { name: "The way of the advice" })).toBeTruthy();
  });
});

const COMPANY: Schemas["Company"] = {
  needed: true,
  label: "Belt tension by pitch",
  may: [{ id: 4, name: "Lead" }],
  now: "",
  fits: false,
};

describe("a second person", () => {
  const draw = (told: Schemas["Company"]) =>
    handle(<Company kind="procedure" name="belt-pluck" />, [[["company", "procedure", "belt-pluck"], told]]);

  it("is asked for where one may not do it alone, and stays said", async () => {
    const server = slowServer();
    const user = draw(COMPANY);
    await user.selectOptions(screen.getByLabelText("Who is with you?"), "4");
    await user.click(screen.getByRole("button", { name: "They are here" }));
    expect(server.sent[0]!.body).toEqual({ second_id: 4 });
    server.answer({ ...COMPANY, now: "Lead", fits: true });
    expect(await screen.findByText("With Lead.")).toBeTruthy();
  });

  it("is not spoken of where none is needed", () => {
    slowServer();
    draw({ ...COMPANY, needed: false });
    expect(screen.queryByText(/second person/)).toBeNull();
  });
});

describe("who may do what alone", () => {
  it("is given with why, for what was not given yet, and taken back", async () => {
    const server = slowServer();
    const may = {
      id: 8,
      kind: "procedure" as const,
      name: "drag",
      label: "Drag",
      by: "Lead",
      at: "2026-11-01T10:00:00Z",
      why: "Seen.",
      record: 3,
    };
    const all: Schemas["AloneAll"] = {
      asks: true,
      people: [{ id: 2, username: "tech", name: "Wen", lead: false, may: [may] }],
      things: [
        { kind: "procedure", name: "drag", label: "Drag" },
        { kind: "repair", name: "belt_slack", label: "Mend: Belt slack" },
      ],
    };
    const user = handle(<AlonePage />, [[["alone"], all]]);
    expect(screen.getByText(/with 3 lessons before them: Seen\./)).toBeTruthy();
    expect(screen.getByText(/None was brought along for Wen/)).toBeTruthy();
    await user.selectOptions(screen.getByLabelText("Give"), "repair belt_slack");
    await user.type(screen.getByLabelText("Why"), "Ten times.");
    await user.click(screen.getByRole("button", { name: "Wen may do it alone" }));
    expect(server.sent[0]).toMatchObject({
      url: "/api/alone/people/2",
      body: { kind: "repair", name: "belt_slack", why: "Ten times.", statement: "" },
    });
    server.answer({ ...all, people: [{ ...all.people[0]!, may: [] }] });
    expect(await screen.findByText("Nothing yet.")).toBeTruthy();
  });
});
