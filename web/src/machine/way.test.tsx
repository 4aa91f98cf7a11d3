// @vitest-environment happy-dom
/** The way back as one sitting: what is being done, the step after it, and an end. */
import { act, screen, waitFor } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { handle, slowServer } from "../tests/hands";
import { beginSitting, standing, WayBar } from "./WayBar";

type Step = Schemas["PlanStep"];
const step = (title: string, procedure: string | null, place: Step["place"], rounds = false): Step => ({
  stage: "Belts",
  title,
  procedure,
  place,
  minutes: 6,
  instruments: [],
  why: "The belt was set.",
  caution: "",
  values: [],
  rounds,
});
const READ = step("Read back what it has stored", null, null);
const BELT = step("Pluck: belt A", "belt-pluck", "a", true);
const SHAKE = step("Resonance: X", "resonance", "x");

function bar(path: string, steps: Step[]) {
  const server = slowServer();
  const plan = { steps, minutes: 6 * steps.length, instruments: [], by_hand: [] };
  const hands = handle(<WayBar />, [[["printer", 3, "baseline"], plan]], { path });
  return { server, hands };
}
beforeEach(() => sessionStorage.clear());

describe("where one stands", () => {
  it("is the step of the page, and the one after it", () => {
    const steps = [READ, BELT, SHAKE];
    expect(standing(3, steps, "/machines/3/stored")).toEqual({ now: READ, next: BELT });
    expect(standing(3, steps, "/bench/3/belts/a")).toEqual({ now: BELT, next: SHAKE });
    expect(standing(3, steps, "/bench/3/resonance/x")).toEqual({ now: SHAKE, next: null });
    // What is done has left the list: the first of the rest comes next.
    expect(standing(3, [SHAKE], "/bench/3/belts/a")).toEqual({ now: null, next: SHAKE });
  });
});

describe("the bar", () => {
  it("stands only while the way back is being worked through, on its pages", () => {
    bar("/bench/3/belts/a", [BELT]);
    expect(screen.queryByRole("complementary")).toBeNull();
    beginSitting(3);
    bar("/machines/3", [BELT]);
    expect(screen.queryByRole("complementary")).toBeNull();
    bar("/bench/4/belts/a", [BELT]);
    expect(screen.queryByRole("complementary")).toBeNull();
  });

  it("leads on by a key from what is done to what comes next", async () => {
    beginSitting(3);
    const { hands } = bar("/bench/3/play/x", [BELT, SHAKE]);
    const said = screen.getByRole("complementary", { name: "The way back" });
    expect(said.textContent).toContain("Done here. 2 things to go, about 12 minutes.");
    await hands.keyboard("0");
    await waitFor(() => expect(said.textContent).toContain("Pluck: belt A. 2 things to go"));
    expect(said.textContent).toContain("Then: resonance: X.");
    await hands.click(screen.getByRole("button", { name: /Leave it, go on/ }));
    await waitFor(() => expect(said.textContent).toContain("Resonance: X. 2 things to go"));
    expect(screen.queryByRole("button")).toBeNull();
  });

  it("ends by itself when nothing is in doubt any more", async () => {
    beginSitting(3);
    await act(async () => {
      bar("/bench/3/resonance/x", []);
    });
    expect(screen.getByRole("complementary").textContent).toContain("All of it is done: nothing is in doubt.");
    expect(sessionStorage.getItem("sitting")).toBeNull();
  });
});
