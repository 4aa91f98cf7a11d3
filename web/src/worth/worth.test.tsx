// @vitest-environment happy-dom
/** Minutes and money: what speaks comes first, the lead decides with why; what each machine took, in words; prices refused at their field. */
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { MeContext } from "../session/me";
import { handle, slowServer } from "../tests/hands";
import { WorthPage } from "./WorthPage";
import { about, hoursOf, type MachineTook, perHundred, type Worth } from "./worth";

const MACHINE: MachineTook = {
  printer_id: 5,
  printer: "Carrick",
  area: "Tar loft",
  model_id: 2,
  retired: false,
  rounds: 300,
  measuring: 60,
  cases: 240,
  fitted: 2,
  parts_cost: "5.60",
  unpriced: 1,
  stood_days: 12.4,
  printed_hours: 800,
  printed_u95: 40,
  kg: null,
  reasons: [
    { speaks: "dear", words: "The repair costs about 100 €; a year of another one costs about 80 €.", undecided: true },
  ],
  decided: null,
  warranty_until: null,
  quote: { parts: "68.00", hours: 2.5, words: "A new board.", at: "2026-05-01T09:00:00Z", by: "Ilse" },
  repair: 103,
  faults_cost: 60,
  a_year: 80,
};
const SOUND: MachineTook = {
  ...MACHINE,
  printer_id: 4,
  printer: "Halyard",
  reasons: [],
  quote: null,
  printed_hours: 5,
};
const GONE: MachineTook = {
  ...SOUND,
  printer_id: 9,
  printer: "Sennit",
  retired: true,
  decided: { decided: "retire", why: "No spares.", at: "2026-04-01T09:00:00Z", by: "Ilse" },
};
const WORTH: Worth = {
  since: "2025-11-28",
  machines: [MACHINE, SOUND],
  models: [{ model_id: 2, model: "Dunlin 220", another: "320.00", lasts_years: 4 }],
  hour: null,
  money: "€",
};

function page(role: "lead" | "technician", worth = WORTH) {
  const server = slowServer();
  const hands = handle(
    <MeContext value={{ id: 2, name: "Wen", role, light: "day" } as never}>
      <WorthPage />
    </MeContext>,
    [[["worth"], worth]],
  );
  return { server, hands };
}

describe("minutes and money", () => {
  it("puts what speaks first, and takes the lead's decision with why", async () => {
    const { hands, server } = page("lead");
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("To decide");
    await hands.click(screen.getByRole("button", { name: "Decide of Carrick" }));
    await hands.click(screen.getByRole("button", { name: "Give it up" }));
    expect(screen.getByText(/It leaves the floor/)).toBeTruthy();
    await hands.type(screen.getByLabelText("Why"), "No spares.");
    await hands.click(screen.getAllByRole("button", { name: "Give it up" }).at(-1)!);
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/service/worth/decide",
      body: { printer_id: 5, decided: "retire", why: "No spares." },
    });
    server.answer({ ...WORTH, machines: [SOUND, { ...GONE, printer: "Carrick" }] });
    await waitFor(() => expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Minutes and money"));
    expect(within(screen.getByRole("region", { name: "Given up" })).getByText("Carrick")).toBeTruthy();
  });

  it("lets a technician see it and reckon a repair, not decide", async () => {
    const { hands, server } = page("technician");
    expect(screen.getByText("The lead decides.")).toBeTruthy();
    expect(screen.queryByRole("button", { name: /Decide|Change/ })).toBeNull();
    await hands.click(screen.getByRole("button", { name: "More of Halyard" }));
    await hands.click(screen.getByRole("button", { name: "What a repair takes" }));
    await hands.type(screen.getByLabelText("Parts, money"), "12,5");
    await hands.click(screen.getByRole("button", { name: "Keep it so" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]?.body).toEqual({ printer_id: 4, parts: 12.5, hours: 0, words: "" });
    server.answer({ code: "out_of_range", detail: "No more than 1000 hours.", field: "hours" }, 422);
    expect((await screen.findAllByText("No more than 1000 hours.")).length).toBeGreaterThan(0);
  });

  it("says what a machine took beside what it printed, and what has no price", () => {
    page("technician");
    expect(screen.getByText("800 ± 40 h")).toBeTruthy();
    expect(screen.getAllByText("10 h")).toHaveLength(2);
    expect(screen.getByText("of people, 75 min per 100 h of print")).toBeTruthy();
    expect(screen.getAllByText("5.60 €, 1 without a price")).toHaveLength(2);
  });

  it("takes a price, and says at its field what is refused", async () => {
    const { hands, server } = page("lead");
    await hands.click(screen.getByRole("button", { name: "Change: Another Dunlin 220" }));
    await hands.clear(screen.getByLabelText("One lasts, years"));
    await hands.type(screen.getByLabelText("One lasts, years"), "0");
    await hands.click(screen.getByRole("button", { name: "Keep it so" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]?.body).toEqual({ model_id: 2, another: 320, lasts_years: 0 });
    server.answer({ code: "out_of_range", detail: "Half a year at the least.", field: "lasts_years" }, 422);
    expect((await screen.findAllByText("Half a year at the least.")).length).toBeGreaterThan(0);
  });

  it("takes back what was given up", async () => {
    const { hands, server } = page("lead", { ...WORTH, machines: [SOUND, GONE] });
    expect(screen.getByText(/No spares\./)).toBeTruthy();
    await hands.click(screen.getByRole("button", { name: "Take it back: Sennit" }));
    await hands.type(screen.getByLabelText("Why"), "Spares turned up.");
    await hands.click(screen.getByRole("button", { name: "Take it back" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]?.body).toMatchObject({ printer_id: 9, decided: "keep" });
  });
});

describe("amounts", () => {
  it("are said no finer than they are known", () => {
    expect([about(243.77, "€"), about(3.26, ""), hoursOf(0), hoursOf(45), hoursOf(1234)]).toEqual([
      "about 240 €",
      "about 3.3",
      "0 h",
      "0.8 h",
      "21 h",
    ]);
    // Of a few hours of print nothing is told by the hundred.
    expect(perHundred(SOUND)).toBeNull();
  });
});
