// @vitest-environment happy-dom
/** Stores: what to order by when, counting and putting in what came; types of parts, added where the lead does it. */
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { MeContext } from "../session/me";
import { handle, slowServer } from "../tests/hands";
import { StoresPage } from "./StoresPage";
import { byDay, type Drawer, type PartType, type Stores, wanted } from "./stores";

const KINDS = { idler: "Idler", nozzle: "Nozzle" };
const BALL: PartType = {
  id: 4,
  name: "Ball idler",
  kind: "idler",
  life_hours: 9000,
  lubricant: "",
  notes: "",
  models: [],
  places: [],
  here: 3,
};
const BRASS: PartType = { ...BALL, id: 5, name: "Brass nozzle", kind: "nozzle", life_hours: null, here: null };
const ahead = (days: number) => new Date(Date.now() + days * 86400e3).toISOString().slice(0, 10);
const DRAWER: Drawer = {
  id: 8,
  type_id: 4,
  type: "Ball idler",
  kind: "Idler",
  drawer: "B4",
  here: 3,
  minimum: 2,
  lead_days: 14,
  cost: "4.50",
  ended: false,
  counted_at: new Date().toISOString(),
  orders: [],
  parts: 6,
  unknown: 1,
  expected: 1.2,
  low: 0,
  high: 3,
  short_on: ahead(40),
  order_by: ahead(26),
  order: 4,
};
const ORDER = {
  id: 21,
  number: 5,
  left: 2,
  ordered_at: new Date().toISOString(),
  expected_on: "2026-06-01",
  late: true,
  by: "Wen",
};

function page(role: "technician" | "lead", more: Partial<Stores> = {}) {
  const server = slowServer();
  const me = { id: 1, name: "Wen", username: "wen", role, light: "day", length_unit: "mm", force_unit: "N" } as const;
  const hands = handle(
    <MeContext value={me as never}>
      <StoresPage />
    </MeContext>,
    [
      [
        ["stores"],
        { drawers: [DRAWER], types: [BALL, BRASS], kinds: KINDS, places: ["e", "x"], risk: 0.05, money: "€", ...more },
      ],
      [["workshop"], { models: [{ id: 7, name: "Dunlin 220" }] }],
    ],
  );
  return { server, hands };
}
const sheet = (name: string) => within(screen.getByRole("region", { name }));

describe("what to order", () => {
  it("stands first, with how many, why, and by when", () => {
    page("technician");
    const row = sheet("To order").getByRole("listitem").textContent;
    expect(row).toContain("4 Ball idler Idler, about 18.00 €");
    expect(row).toContain("3 in the drawer, 2 at the least; 0 to 3 wanted in the next quarter.");
    expect(row).toMatch(/It may not last beyond .+; an order takes 14 days\./);
    expect(screen.getByText(/stays under 5 %/)).toBeTruthy();
  });

  it("goes out as so many as were ordered, not as many as were told", async () => {
    const { server, hands } = page("technician");
    await hands.click(screen.getByRole("button", { name: "Ordered: Ball idler" }));
    await hands.clear(screen.getByLabelText("How many"));
    await hands.type(screen.getByLabelText("How many"), "10");
    await hands.click(sheet("To order").getByRole("button", { name: "Write it down" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/drawers/8/orders",
      body: { number: 10, expected_on: null },
    });
  });

  it("is today where the day has come, and says so where there is nothing", () => {
    expect(byDay("2026-06-01", new Date("2026-06-01T09:00:00Z"))).toBe("today");
    expect(byDay("2026-06-09", new Date("2026-06-01T09:00:00Z"))).toMatch(/^by .*9/);
    expect(wanted({ ...DRAWER, low: 2, high: 2 })).toBe("2");
    page("technician", {
      drawers: [
        { ...DRAWER, order_by: null, order: 0 },
        { ...DRAWER, id: 9, order_by: ahead(200) },
      ],
    });
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Nothing to order");
  });
});

describe("a drawer", () => {
  it("is counted, and what came goes in", async () => {
    const { server, hands } = page("technician", { drawers: [{ ...DRAWER, orders: [ORDER] }] });
    const drawers = sheet("In the drawers");
    expect(drawers.getByRole("button", { expanded: false }).textContent).toMatch(
      /^B4.*2 on the way, should have come on/,
    );
    await hands.click(drawers.getByRole("button", { expanded: false }));
    expect(screen.getByText(/of 1 more nobody knows the hours/)).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Change the drawer" })).toBeNull();
    await hands.click(screen.getByRole("button", { name: "Into the drawer" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({ url: "/api/part-orders/21/came", body: { number: 2 } });
    await hands.type(screen.getByLabelText("Counted: there are"), "7");
    await hands.click(drawers.getByRole("button", { name: "Write it down" }));
    await waitFor(() => expect(server.sent).toHaveLength(2));
    expect(server.sent[1]).toMatchObject({ url: "/api/drawers/8/count", body: { number: 7 } });
    server.answer({ code: "out_of_range", detail: "No more than 1 are still to come.", field: "number" }, 422);
    expect((await screen.findAllByText("No more than 1 are still to come.")).length).toBeGreaterThan(0);
  });

  it("that nobody counted says so", () => {
    page("technician", { drawers: [{ ...DRAWER, counted_at: null, here: 0 }] });
    expect(sheet("In the drawers").getByText("?")).toBeTruthy();
  });
});

describe("types of parts", () => {
  it("are listed with their kind and life; only the lead adds one or keeps a drawer", () => {
    page("technician");
    const rows = sheet("Types of parts")
      .getAllByRole("listitem")
      .map((r) => r.textContent);
    expect(rows).toEqual(["Ball idler Idler9000 h", "Brass nozzle Nozzlelife typical"]);
    expect(screen.queryByText("Add a type")).toBeNull();
    expect(screen.queryByRole("button", { name: /Keep a drawer/ })).toBeNull();
  });

  it("are added with a life of the workshop's own and what they fit, refused here where it is none", async () => {
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
    await hands.click(screen.getByText("Fits all models"));
    await hands.click(screen.getByLabelText("Dunlin 220"));
    await hands.click(screen.getByRole("button", { name: "Add it" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/part-types",
      body: { name: "Hardened nozzle", kind: "nozzle", life_hours: 3000, models: [7], places: [] },
    });
  });

  it("get a drawer", async () => {
    const { server, hands } = page("lead");
    await hands.click(screen.getByRole("button", { name: "Keep a drawer of Brass nozzle" }));
    await hands.type(screen.getByLabelText("Where it lies"), "C1");
    await hands.type(screen.getByLabelText("One costs"), "3,20");
    await hands.click(sheet("Types of parts").getByRole("button", { name: "Keep it so" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/part-types/5/drawer",
      body: { drawer: "C1", minimum: 1, lead_days: 14, cost: 3.2 },
    });
  });
});
