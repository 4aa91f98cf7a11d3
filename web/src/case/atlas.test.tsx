// @vitest-environment happy-dom
/** A report by pointing at what it looks like: several things, closer words, where they are, in one sending. */
import { screen, waitFor, within } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { handle, slowServer } from "../tests/hands";
import { Atlas } from "./Atlas";
import { Report } from "./Report";

type Finding = Schemas["FindingOut"];
const finding = (id: string, label: string, more: Partial<Finding> = {}): Finding => ({
  id, label, group: "print", kind: "seen", unit: null, placed: null, words: "", asked: null, either: [], among: [],
  qualifies: false, reads_as: [], drawing: [{ of: "part", d: "M0 0H9" }], ...more,
}); // biome-ignore format: a table
const FINDINGS = [
  finding("echoes", "Echoes after a corner", { placed: "axis", asked: "wall" }),
  finding("round", "Circles do not come out round", { placed: "axis", among: ["x", "y"], either: ["oval", "gapped"] }),
  finding("oval", "Circles come out oval", { placed: "axis", among: ["x", "y"], words: "egg" }),
  finding("gapped", "Circles have a gap", { placed: "axis", among: ["x", "y"] }),
  finding("fast", "Only in fast moves", { group: "machine", qualifies: true }),
  finding("smoke", "Smoke", { group: "danger", kind: "danger" }),
];

function report() {
  const server = slowServer();
  const hands = handle(
    <Report />,
    [
      [["printer", 1], { id: 1, name: "Bowline", description: null }],
      [["findings"], FINDINGS],
    ],
    { path: "/report/1", route: "/report/:id" },
  );
  return { server, hands };
}
const card = (name: string) => screen.getByRole("button", { name });

describe("the atlas", () => {
  beforeEach(() => sessionStorage.clear());

  it("shows each thing once, its closer words when it is chosen or typed", async () => {
    const { hands } = report();
    expect(screen.queryByRole("button", { name: "Circles come out oval" })).toBeNull();
    expect(screen.queryByRole("button", { name: "Only in fast moves" })).toBeNull();
    await hands.type(screen.getByLabelText("Find it by a few letters"), "egg");
    expect(card("Circles come out oval")).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Echoes after a corner" })).toBeNull();
  });

  it("sends several in one report, the closer word in place of the general one, each with its place", async () => {
    const { server, hands } = report();
    await hands.click(card("Circles do not come out round"));
    expect(card("Circles do not come out round").getAttribute("aria-pressed")).toBe("true");
    await hands.click(card("Circles come out oval"));
    expect(screen.queryByLabelText("Up and down (Z)")).toBeNull();
    await hands.click(screen.getByLabelText("Left to right (X)"));
    await hands.click(card("Echoes after a corner"));
    await hands.click(screen.getByLabelText("Runs front to back (Y)"));
    await hands.click(screen.getByLabelText("Only in fast moves"));
    await hands.click(card("Send the report"));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toMatchObject({
      printer_id: 1,
      finding: "oval",
      axis: "x",
      also: [
        { finding: "echoes", wall: "y", axis: "" },
        { finding: "fast", axis: "" },
      ],
    });
  });

  it("says a thing once, though its closer word was chosen by letters before", async () => {
    const { server, hands } = report();
    await hands.type(screen.getByLabelText("Find it by a few letters"), "circles");
    await hands.click(card("Circles come out oval"));
    await hands.click(card("Circles do not come out round"));
    const which = screen.getByRole("group", { name: "Which, if you can tell?" });
    await hands.click(within(which).getByRole("button", { name: "Circles come out oval" }));
    await hands.click(card("Send the report"));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toMatchObject({ finding: "oval", also: [] });
  });

  it("takes back what was chosen, and sends nothing without anything", async () => {
    const { hands } = report();
    await hands.click(card("Echoes after a corner"));
    await hands.click(card("Not this: Echoes after a corner"));
    expect((card("Send the report") as HTMLButtonElement).disabled).toBe(true);
  });

  it("warns at once of a danger", async () => {
    const { hands } = report();
    await hands.click(card("Smoke"));
    expect(screen.getByText(/Pull the mains plug now/)).toBeTruthy();
  });

  it("stands beside a field that finds by letters without one of its own", () => {
    handle(<Atlas bare findings={FINDINGS} chosen={["echoes"]} toggle={() => undefined} />, [], {});
    expect(screen.queryByRole("textbox")).toBeNull();
    expect(card("Echoes after a corner").getAttribute("aria-pressed")).toBe("true");
  });

  it("keeps what was chosen over a reload", async () => {
    const { hands } = report();
    await hands.click(card("Echoes after a corner"));
    await waitFor(() => expect(JSON.parse(sessionStorage.getItem("report-1")!).seen).toHaveLength(1));
  });
});
