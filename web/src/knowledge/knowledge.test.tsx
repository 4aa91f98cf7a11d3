// @vitest-environment happy-dom
/** What is known, found by what one sees as well as by name, and told whole. */
import { screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { handle } from "../tests/hands";
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
const page = (path: string, route: string) =>
  handle(
    <KnowledgePage />,
    [
      [["knowledge", "faults"], FAULTS],
      [["findings"], []],
    ],
    { path, route },
  );
const names = () => screen.getByRole("navigation", { name: "Faults" }).textContent;

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
});
