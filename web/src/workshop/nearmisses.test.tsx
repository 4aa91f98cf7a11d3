// @vitest-environment happy-dom
/** A near miss is told by anyone without a name, read by technicians, answered by the lead. */
import { screen, waitFor } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";
import { type Me, MeContext } from "../session/me";
import { handle, slowServer } from "../tests/hands";
import { NearMisses } from "./NearMisses";

const ROW = { id: 4, words: "The blade slipped.", hurt: false, printer: "Bowline", at: new Date().toISOString(), read_at: null, answer: "" }; // biome-ignore format: a row
function page(role: Me["role"]) {
  const server = slowServer();
  const hands = handle(
    <MeContext.Provider value={{ role } as Me}>
      <NearMisses />
    </MeContext.Provider>,
    [[["near-misses"], [ROW]]],
    { path: "/near-misses?machine=7", route: "/near-misses" },
  );
  return { server, hands };
}
beforeEach(() => sessionStorage.clear());

describe("a near miss", () => {
  it("is told by a member, who sees no others", async () => {
    const { server, hands } = page("member");
    expect(screen.queryByText("The blade slipped.")).toBeNull();
    await hands.type(screen.getByLabelText("What happened?"), "Sparks at the plug.");
    await hands.click(screen.getByLabelText("Somebody was hurt"));
    expect(screen.getByText(/Look after who is hurt first/)).toBeTruthy();
    await hands.click(screen.getByRole("button", { name: "Tell it" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/near-misses",
      body: { words: "Sparks at the plug.", hurt: true, printer_id: 7 },
    });
    server.answer({ taken: true });
    await screen.findByText("Written down. Thank you.");
  });

  it("is read by a technician and answered by the lead", async () => {
    page("technician");
    expect(screen.getByText("The blade slipped.")).toBeTruthy();
    expect(screen.queryByLabelText("What was done about it?")).toBeNull();
  });

  it("is answered by the lead", async () => {
    const { server, hands } = page("lead");
    await hands.type(screen.getByLabelText("What was done about it?"), "Mesh glove bought.");
    await hands.click(screen.getByRole("button", { name: "I have read it" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({ url: "/api/near-misses/4", body: { words: "Mesh glove bought." } });
  });
});
