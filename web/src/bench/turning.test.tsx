// @vitest-environment happy-dom
/** What was turned, written down: as said, otherwise, back; once; and the rounds with their course. */
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Schemas } from "../api/client";
import { draw } from "../tests/draw";
import { handle, slowServer } from "../tests/hands";
import { turnedBack } from "./BeltsBench";
import type { Bench } from "./drawing";
import { Schools, Sets, Turning } from "./Turning";

const bench = { printer_id: 3, printer: "Sheepshank" } as Bench;
const q = (value: number, u95 = 0.02, unit = "mm") => ({ value, u95, unit });
const turnable = (target: string) => ({
  target,
  title: `Screw ${target}`,
  unit: "turns",
  ways: ["clockwise", "anticlockwise"],
});
const capture = (id: string, value: number, verdict = "out_of_tolerance") =>
  ({
    id,
    verdict,
    found: {
      procedure: "bed",
      judged: [{ words: "Tilts", quantity: q(value), limits: { low: null, high: 0.1 }, verdict }],
      turnables: [turnable("front"), turnable("rear")],
      advice:
        verdict === "out_of_tolerance"
          ? [
              {
                action: "turn",
                target: "rear",
                amount: q(0.25, 0.02, "turns"),
                direction: "anticlockwise",
                reason: "Turn it.",
              },
            ]
          : [],
    },
  }) as unknown as Schemas["CaptureOut"];
const action = (target: string, turns: number, direction: string) => ({
  id: 1,
  target,
  turns,
  unit: "turns",
  direction,
});
const sets = (rounds: [Schemas["CaptureOut"], object[]][], course: object | null) => [
  ["sets", 3, "bed", "bed", null],
  {
    rounds: rounds.map(([c, actions], i) => ({ number: i + 1, readings: [{ place: "bed", capture: c }], actions })),
    course,
  },
];
const of = { bench, procedure: "bed", place: "bed", caseId: null };
const turning = (c: Schemas["CaptureOut"], known: unknown[], onAgain = vi.fn()) =>
  handle(<Turning {...of} capture={c} onAgain={onAgain} />, [known as [unknown[], unknown]]);

describe("what was turned", () => {
  it("is written down as said, once, and then it is measured again", async () => {
    const server = slowServer();
    const again = vi.fn();
    const hands = turning(capture("c1", 0.4), sets([[capture("c1", 0.4), []]], null), again);
    const done = screen.getByRole("button", { name: "Done as said, measure again" });
    await hands.click(done);
    await hands.click(done);
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect((server.sent[0]!.body as { turned: object[] }).turned).toEqual([
      { target: "rear", amount: 0.25, way: "anticlockwise", advised: 0.25 },
    ]);
    expect(again).not.toHaveBeenCalled();
    server.answer({ rounds: [], course: null });
    await waitFor(() => expect(again).toHaveBeenCalledOnce());
  });

  it("may be otherwise than said: signs tell the way, and what is no amount is asked again", async () => {
    const server = slowServer();
    const hands = turning(capture("c1", 0.4), sets([[capture("c1", 0.4), []]], null));
    await hands.click(screen.getByRole("button", { name: "I turned it differently" }));
    const send = screen.getByRole("button", { name: "So I turned it, measure again" });
    await hands.click(send);
    expect(screen.getByRole("alert").textContent).toContain("Enter how far");
    await hands.type(screen.getByLabelText(/Screw front/), "some");
    await hands.click(send);
    expect(screen.getByRole("alert").textContent).toContain("“some” is no amount");
    await hands.clear(screen.getByLabelText(/Screw front/));
    await hands.type(screen.getByLabelText(/Screw front/), "-0,5");
    await hands.type(screen.getByLabelText(/Screw rear/), "0.1");
    await hands.click(send);
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect((server.sent[0]!.body as { turned: object[] }).turned).toEqual([
      { target: "front", amount: 0.5, way: "anticlockwise", advised: null },
      { target: "rear", amount: 0.1, way: "clockwise", advised: -0.25 },
    ]);
  });

  it("is turned back where it got worse", async () => {
    const server = slowServer();
    const rounds: [Schemas["CaptureOut"], object[]][] = [
      [capture("c1", 0.4), [action("rear", 0.25, "clockwise")]],
      [capture("c2", 0.6), []],
    ];
    const hands = turning(
      capture("c2", 0.6),
      sets(rounds, { state: "worse", words: "It got worse.", improvement: q(-50, 5, "%") }),
    );
    await hands.click(screen.getByRole("button", { name: "I turned it back, measure again" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect((server.sent[0]!.body as { turned: object[] }).turned).toEqual([
      { target: "rear", amount: 0.25, way: "anticlockwise", advised: null },
    ]);
  });

  it("is not asked of a measurement after which it was turned already", () => {
    const c = capture("c1", 0.4);
    turning(c, sets([[c, [action("rear", -0.25, "anticlockwise")]]], null));
    expect(screen.queryByRole("button")).toBeNull();
  });
});

describe("the rounds", () => {
  it("stand side by side with what was turned, whether they hold, and how much is gone", () => {
    const rounds: [Schemas["CaptureOut"], object[]][] = [
      [capture("c1", 0.4), [action("rear", -0.25, "anticlockwise")]],
      [capture("c2", 0.05, "in_tolerance"), []],
    ];
    const known = sets(rounds, {
      state: "holds",
      words: "It holds, after 1 round of turning.",
      improvement: q(87.5, 5, "%"),
    });
    const text = draw(<Sets {...of} />, [known as [unknown[], unknown]]);
    for (const part of [
      "It holds, after 1 round",
      "88 % of the first error is gone (± 5 %)",
      "then rear 0.25 turns anticlockwise",
      "0.400",
      "0.050",
    ])
      expect(text).toContain(part);
    expect(draw(<Sets {...of} />, [sets([[capture("c1", 0.4), []]], null) as [unknown[], unknown]])).toBe("");
  });
});

describe("schools", () => {
  it("answer side by side with why, and the one that is followed is marked", () => {
    const found = {
      procedure: "gantry",
      schools: [
        { school: "one", title: "One screw", answer: "z2: 12° clockwise.", why: "The other stays.", chosen: true },
        { school: "both", title: "Both", answer: "z1: 6°.", why: "The middle stays.", chosen: false },
      ],
    } as unknown as Schemas["CaptureOut"]["found"];
    const text = draw(<Schools found={found} />);
    expect(text).toContain("One screw , followed here");
    expect(text).toContain("z1: 6°.");
    expect(text.match(/followed here/g)).toHaveLength(1);
  });
});

describe("belts that turning made worse", () => {
  const action = (place: string, turns: number) => ({ id: 1, place, turns, unit: "turns", direction: "clockwise" });
  const round = (...actions: object[]) => ({ number: 1, readings: [], actions });
  const course = (place: string, state: string) => ({ place, course: { state, words: "", improvement: null } });
  const back = (rounds: object[], courses: object[]) =>
    turnedBack({ rounds, courses } as unknown as Schemas["RoundsOut"]);

  it("are turned back by all that was turned of them before the newest reading", () => {
    const rounds = [round(action("a", 1)), round(action("a", 0.5), action("a", 0.25), action("b", 0.5)), round()];
    expect(back(rounds, [course("a", "worse"), course("b", "helps")])).toEqual([
      { place: "a", turns: -0.75, advised: -0.75 },
    ]);
  });
  it("are left alone where nothing was turned, or where it helps", () => {
    expect(back([round()], [course("a", "worse")])).toEqual([]);
    expect(back([round(action("a", 1)), round()], [course("a", "helps")])).toEqual([]);
  });
});
