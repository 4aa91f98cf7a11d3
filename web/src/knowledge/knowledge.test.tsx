// @vitest-environment happy-dom
/** What is known, found by what one sees as well as by name, and told whole. */
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { type Me, MeContext } from "../session/me";
import { handle, slowServer } from "../tests/hands";
import { KnowledgePage } from "./KnowledgePage";

type Fault = Schemas["FaultRead"];
const fault = (id: string, label: string, more: Partial<Fault> = {}): Fault => ({
  id,
  label,
  group: "belts",
  kind: "mechanical",
  where: "at each belt",
  base_percent: 9,
  wears: false,
  only_on: [],
  not_on: [],
  homing: null,
  must: [],
  often: [],
  may: [],
  hides: [],
  told_by: [],
  begins_after: [],
  minutes: 10,
  state: "unplugged",
  tools: ["hex key"],
  parts: [],
  caution: "Unplug.",
  steps: ["Pluck both."],
  after: ["belt tension"],
  // biome-ignore lint/suspicious/noThenProperty: the word of the API
  then: "The clamp.",
  hand_to: "",
  note: "",
  ...more,
});
const FAULTS = [
  fault("grub", "Grub screw loose", { may: [{ finding: "echoes", label: "Echoes", percent: 12 }], group: "pulleys" }),
  fault("slack", "Belt slack", {
    must: [{ finding: "tension", label: "Tension below its band", percent: 97 }],
    often: [{ finding: "echoes", label: "Echoes", percent: 60 }],
    told_by: [{ check: "pluck", label: "Pluck the belts", minutes: 6, by: "Tension below its band", procedure: null }],
    begins_after: ["belt changed"],
  }),
];
type Check = Schemas["CheckRead"];
const CHECKS: Check[] = [
  {
    id: "pluck",
    label: "Pluck the belts",
    minutes: 6,
    setup: ["fetch"],
    waits_hours: 0,
    at_bench: true,
    swap: false,
    tools: ["microphone"],
    caution: "Fingers clear.",
    how: ["Pluck each."],
    looks_at: [{ finding: "tension", label: "Tension below its band" }],
    nothing: "All fine",
    first: ["Rock test"],
    only_on: [],
    note: "",
  },
];
const CHANGED: Schemas["ChangedOut"][] = [
  {
    kind: "fault",
    name: "slack",
    label: "Belt slack",
    field: "minutes",
    words: "minutes",
    value: 10,
    came: 8,
    why: "The cover is glued here.",
    who: "The lead",
    at: new Date().toISOString(),
  },
];
const page = (path: string, route: string, { changed = [] as typeof CHANGED, role = "lead" as Me["role"] } = {}) =>
  handle(
    <MeContext.Provider value={{ role } as Me}>
      <KnowledgePage />
    </MeContext.Provider>,
    [
      [["knowledge", "faults"], FAULTS],
      [["knowledge", "checks"], CHECKS],
      [["knowledge", "changed"], changed],
      [["findings"], []],
    ],
    { path, route },
  );
const names = () => screen.getByRole("navigation", { name: "Faults and checks" }).textContent;

describe("what is known", () => {
  it("is found by what it shows, what shows it most first", async () => {
    const hands = page("/knowledge", "/knowledge");
    const find = screen.getByLabelText("Find");
    await hands.type(find, "echoes");
    expect(names()).toBe("Belt slackGrub screw loose");
    await hands.clear(find);
    await hands.type(find, "slack");
    expect(names()).toBe("Belt slack");
    await hands.clear(find);
    await hands.type(find, "zeppelin");
    expect(names()).toBe("Nothing that is known says that.");
  });

  it("tells a fault whole: what it shows, what tells it, what to do and measure after", () => {
    page("/knowledge/slack", "/knowledge/:fault");
    const sheet = screen.getByRole("article", { name: "Belt slack" }).textContent!;
    for (const words of [
      "9 of a hundred complaints (typical)",
      "Often begins after: belt changed.",
      "Must showTension below its band 97 %",
      "Often showsEchoes 60 %",
      "Pluck the belts: tension below its band6 minutes",
      "Unplug.",
      "Pluck both.",
      "Measure again after it: belt tension.",
      "Not enough? The clamp.",
    ])
      expect(sheet).toContain(words);
    expect(screen.getByRole("link", { name: "Belt slack" }).getAttribute("aria-current")).toBe("page");
  });

  it("says when there is no such fault", () => {
    page("/knowledge/gremlin", "/knowledge/:fault");
    expect(screen.getByText("There is no such fault")).toBeTruthy();
  });

  it("tells a check whole, found by what it looks for", async () => {
    const hands = page("/knowledge/check/pluck", "/knowledge/check/:check");
    const sheet = screen.getByRole("article", { name: "Pluck the belts" }).textContent!;
    for (const words of [
      "About 6 minutes for a practised hand (typical); before it: fetch the instrument.",
      "Fingers clear.",
      "1 Pluck each.",
      "Have at hand: microphone.",
      "First: Rock test.",
      "Tension below its band",
      "Or: all fine.",
    ])
      expect(sheet).toContain(words);
    await hands.type(screen.getByLabelText("Find"), "tension below");
    expect(names()).toBe("Belt slackPluck the belts (check)");
  });
});

describe("what a workshop changes", () => {
  it("stands beside how it came, and goes back", async () => {
    const server = slowServer();
    const hands = page("/knowledge/slack", "/knowledge/:fault", { changed: CHANGED });
    const here = screen.getByRole("region", { name: "Changed in this workshop" });
    expect(here.textContent).toContain("Minutes10It came as: 8The lead, just now: The cover is glued here.");
    expect(names()).toContain("Belt slackchanged");
    await hands.click(screen.getByRole("button", { name: "Back to how it came: Belt slack, minutes" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/knowledge/faults/slack",
      body: { mend: { shows: {} }, back: ["minutes"], why: "" },
    });
    server.answer([]);
    await waitFor(() => expect(screen.queryByRole("region", { name: "Changed in this workshop" })).toBeNull());
  });

  it("sends only what was typed anew, lists line by line, rates as shares", async () => {
    const server = slowServer();
    const hands = page("/knowledge/slack", "/knowledge/:fault");
    await hands.click(screen.getByRole("button", { name: "Change it for this workshop" }));
    const type = async (label: string, words: string) => {
      await hands.clear(screen.getByRole("textbox", { name: label }));
      await hands.type(screen.getByRole("textbox", { name: label }), words);
    };
    await type("Minutes for a practised hand", "12,5");
    await type("What to do", "Pluck both.{Enter} {Enter}Turn half a turn.");
    await hands.click(screen.getByText("How often it shows what (2)"));
    await type("Echoes, in percent", "35");
    await type("Why?", "Met twice.");
    await hands.click(screen.getByRole("button", { name: "Keep it so here" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toEqual({
      mend: { minutes: 12.5, steps: ["Pluck both.", "Turn half a turn."], shows: { echoes: 0.35 } },
      back: [],
      why: "Met twice.",
    });
    // What the server refuses stands at its field, and what was typed stays.
    server.answer({ status: 422, code: "out_of_range", title: "", detail: "At most 600.", field: "mend.minutes" }, 422);
    await waitFor(() => expect(screen.getAllByText("At most 600.").length).toBeGreaterThan(0));
    expect(screen.getByLabelText<HTMLInputElement>("Minutes for a practised hand").value).toBe("12,5");
  });

  it("a figure that is none is said at its field, and nothing is sent", async () => {
    const server = slowServer();
    const hands = page("/knowledge/check/pluck", "/knowledge/check/:check");
    await hands.click(screen.getByRole("button", { name: "Change it for this workshop" }));
    expect(screen.queryByLabelText("Caution")).toBeNull();
    await hands.clear(screen.getByLabelText("Minutes for a practised hand"));
    await hands.type(screen.getByLabelText("Minutes for a practised hand"), "long");
    await hands.click(screen.getByRole("button", { name: "Keep it so here" }));
    expect(screen.getByText("Enter a figure.")).toBeTruthy();
    expect(server.sent).toEqual([]);
  });

  it("is the lead's", () => {
    page("/knowledge/slack", "/knowledge/:fault", { changed: CHANGED, role: "technician" });
    expect(screen.getByText("It came as: 8")).toBeTruthy();
    expect(screen.queryByRole("button")).toBeNull();
  });

  it("is listed on a page of its own", () => {
    page("/knowledge/changed", "/knowledge/changed", { changed: CHANGED });
    const sheet = screen.getByRole("article", { name: "Changed in this workshop" });
    expect(sheet.textContent).toContain("Belt slack: minutes10It came as: 8");
  });
});
