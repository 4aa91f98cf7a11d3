// @vitest-environment happy-dom
/** What events put in doubt: read by everyone who works here, changed by the lead with why, and taken back. */
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { technician } from "../tests/draw";
import { handle, slowServer } from "../tests/hands";
import { DoubtsSheet } from "./Doubts";

const DOUBTS: Schemas["DoubtsOut"] = {
  events: [
    {
      event: "belt_tensioned",
      words: "a belt was set",
      at: true,
      measured: ["resonance"],
      lost: [],
      stale: ["shaper"],
      by_hand: [],
      changed: [
        {
          field: "stale",
          came: ["shaper", "skew"],
          why: "ours has none",
          who: "Ilse Tarn",
          at: new Date().toISOString(),
        },
      ],
    },
  ],
  measurements: [
    { name: "resonance", words: "Resonance" },
    { name: "play", words: "Play" },
  ],
  stored: [
    { name: "shaper", words: "Shaper" },
    { name: "skew", words: "Skew factor" },
  ],
};
const page = (role: "technician" | "lead") => {
  const server = slowServer();
  const hands = handle(<DoubtsSheet />, [[["knowledge", "doubts"], DOUBTS]], { me: { ...technician, role } });
  return { server, hands };
};

describe("what puts what in doubt", () => {
  it("is read with what was changed here and how it came", () => {
    page("technician");
    const sheet = screen.getByRole("article").textContent;
    expect(sheet).toContain("A belt was setonly where it was doneMeasure againresonanceMay no longer fitshaper");
    expect(sheet).toContain("Changed here: what may no longer fit. It came with shaper, skew factor. Ilse Tarn");
    expect(screen.queryByRole("button")).toBeNull();
  });

  it("is changed by the lead: only what is otherwise goes out, with why", async () => {
    const { server, hands } = page("lead");
    await hands.click(screen.getByRole("button", { name: "Change it: a belt was set" }));
    await hands.click(screen.getByLabelText("Play"));
    await hands.type(screen.getByLabelText("Why?"), "ours sags");
    await hands.click(screen.getByRole("button", { name: "Keep it so for this workshop" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/doubts/belt_tensioned",
      body: { mend: { measured: ["resonance", "play"] }, back: [], why: "ours sags" },
    });
    server.answer(DOUBTS);
    await waitFor(() => expect(screen.queryByLabelText("Why?")).toBeNull());
  });

  it("goes back to how it came", async () => {
    const { server, hands } = page("lead");
    await hands.click(screen.getByRole("button", { name: "Change it: a belt was set" }));
    await hands.click(screen.getByRole("button", { name: "As it came" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({ body: { mend: {}, back: ["stale"] } });
  });
});
