// @vitest-environment happy-dom
/** What is said in a case: with its figure where there is one, with its place, or that nobody knows where. */
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { handle, slowServer } from "../tests/hands";
import { Seen } from "./Seen";

const FINDINGS = [
  { id: "bands", label: "Regular bands", group: "print", unit: "mm", reads_as: ["pattern_at_lead"], placed: null },
  { id: "echoes", label: "Echoes", group: "print", unit: null, reads_as: [], placed: "axis", asked: "wall" },
].map((f) => ({ kind: "seen", words: "", either: [], among: [], drawing: [], asked: null, ...f }));

function seen(ask: object[] = []) {
  const server = slowServer();
  const c = {
    id: 7,
    printer_id: 1,
    printer: "Bowline",
    title: "Echoes",
    state: "in_work",
    observations: [],
    pictures: [],
    sounds: [],
    unaided: false,
    spots: {},
    weighing: { result: { ask } },
  } as unknown as Schemas["CaseOut"];
  const hands = handle(<Seen c={c} changed={() => undefined} />, [[["findings"], FINDINGS]]);
  return { server, hands };
}

describe("what is said in a case", () => {
  it("carries the figure that was measured, and says what is none", async () => {
    const { server, hands } = seen();
    await hands.type(screen.getByLabelText("What else?"), "bands{Enter}");
    const figure = screen.getByLabelText("From one to the next, where measured");
    await hands.type(figure, "eight");
    await hands.click(screen.getByRole("button", { name: "Seen" }));
    expect(screen.getByText("Enter a figure.")).toBeTruthy();
    expect(server.sent).toEqual([]);
    await hands.clear(figure);
    await hands.type(figure, "8,1");
    await hands.click(screen.getByRole("button", { name: "Seen" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/cases/7/observations",
      body: { finding: "bands", state: "present", value: 8.1 },
    });
  });

  it("may be that nobody knows where: it is said again without a place", async () => {
    const { server, hands } = seen([{ finding: "echoes", label: "Echoes: on which wall?", places: ["x", "y"] }]);
    await hands.click(screen.getByRole("button", { name: "Not sure" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toMatchObject({
      finding: "echoes",
      state: "present",
      axis: "",
      note: "not sure where",
    });
  });
});
