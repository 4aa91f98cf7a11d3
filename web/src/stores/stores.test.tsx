// @vitest-environment happy-dom
/** Types of parts: each with its kind and its life here; the lead adds one, and what is wrong is said at its field. */
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { MeContext } from "../session/me";
import { handle, slowServer } from "../tests/hands";
import { StoresPage } from "./StoresPage";

const KINDS = { idler: "Idler", nozzle: "Nozzle" };
const BALL = { id: 4, name: "Ball idler", kind: "idler", life_hours: 9000, lubricant: "", notes: "" };

function page(role: "technician" | "lead", types = [BALL]) {
  const server = slowServer();
  const me = { id: 1, name: "Wen", username: "wen", role, light: "day", length_unit: "mm", force_unit: "N" } as const;
  const hands = handle(
    <MeContext value={me as never}>
      <StoresPage />
    </MeContext>,
    [[["part-types"], { types, kinds: KINDS }]],
  );
  return { server, hands };
}

describe("types of parts", () => {
  it("are listed with their kind and life; only the lead adds one", () => {
    page("technician", [BALL, { ...BALL, id: 5, name: "Brass nozzle", kind: "nozzle", life_hours: null as never }]);
    const rows = screen.getAllByRole("listitem").map((r) => r.textContent);
    expect(rows).toEqual(["Ball idler Idler9000 h", "Brass nozzle Nozzlelife typical"]);
    expect(screen.queryByText("Add a type")).toBeNull();
  });

  it("are added with a life of the workshop's own, refused here where it is none", async () => {
    const { server, hands } = page("lead");
    await hands.click(screen.getByText("Add a type"));
    await hands.type(screen.getByLabelText("Name"), "Hardened nozzle");
    await hands.selectOptions(screen.getByLabelText("It is a"), "Nozzle");
    await hands.type(screen.getByLabelText("Its life here, h"), "-5");
    await hands.click(screen.getByRole("button", { name: "Add it" }));
    expect(screen.getByText("Enter hours above zero, or leave it empty.")).toBeTruthy();
    expect(server.sent).toHaveLength(0);
    await hands.clear(screen.getByLabelText("Its life here, h"));
    await hands.type(screen.getByLabelText("Its life here, h"), "3000");
    await hands.click(screen.getByRole("button", { name: "Add it" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/part-types",
      body: { name: "Hardened nozzle", kind: "nozzle", life_hours: 3000 },
    });
  });
});
