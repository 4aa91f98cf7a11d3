// @vitest-environment happy-dom
/** A machine's parts: what wants somebody first, how it is known, what is done to one; and the meter that refuses what cannot be. */
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { handle, slowServer } from "../tests/hands";
import { PartsPage } from "./PartsPage";

type Part = Schemas["SittingPart"];
const part = (id: number, label: string, more: Partial<Part> = {}): Part => ({
  id,
  kind: "idler",
  place: "x",
  label,
  type: null,
  condition: "not_known",
  speaks: [],
  would_tell: "A look would tell: spin it.",
  fitted_on: null,
  age_hours: null,
  age_estimated: false,
  life_hours: null,
  life_from: "",
  can: ["lubricate", "replace"],
  look: "Spin it.",
  lubricant: "One drop.",
  measure: [],
  last: null,
  ...more,
});
const PARTS = [
  part(1, "Idlers, X"),
  part(2, "Idlers, Y", {
    place: "y",
    condition: "out_of_adjustment",
    speaks: [{ condition: "out_of_adjustment", words: "A look found: it rumbles.", age_days: 18 }],
    would_tell: "",
    age_hours: 740,
    age_estimated: true,
    life_hours: 6000,
    life_from: "typical",
    measure: [{ procedure: "belt-tracking", words: "Tracking", rounds: false }],
  }),
  part(3, "Frame joints", { kind: "joints", place: "frame", condition: "sound", can: ["adjust"] }),
];
const METER = {
  what: "hours",
  unit: "h",
  value: 865,
  typical: false,
  estimated: true,
  u95: 12,
  read_at: new Date().toISOString(),
  a_day: 6.5,
  shown: 53,
};
const TYPES = [{ id: 4, name: "Ball idler", kind: "idler", life_hours: 9000, lubricant: "", notes: "" }];

function page(empty: Schemas["EmptyPosition"][] = [], meter: Schemas["MeterOut"] = METER) {
  const server = slowServer();
  const description = { kinematics: "bed_slinger", transmissions: {}, pairs: [] };
  const hands = handle(
    <PartsPage />,
    [
      [["printer", 1], { id: 1, name: "Bowline", description }],
      [["printer", 1, "components"], { parts: PARTS, empty, meter, types: TYPES }],
    ],
    { path: "/machines/1/parts", route: "/machines/:id/parts" },
  );
  return { server, hands };
}
const list = () => screen.getByRole("region", { name: "Parts" });

describe("a machine's parts", () => {
  it("stand with what wants somebody first, and only those of a place when it is chosen", async () => {
    const { hands } = page();
    expect(list().textContent).toMatch(/^Wants you \(1\)Idlers, Y.*Not known \(1\)Idlers, X.*Sound \(1\)Frame joints/);
    expect(screen.getByRole("img", { name: "740 of 6000 h, 12 %" })).toBeTruthy();
    await hands.click(screen.getByRole("button", { name: "Frame: 1 part" }));
    expect(list().textContent).toMatch(/^Sound \(1\)Frame joints/);
  });

  it("tell how it is known, and what is done goes out once", async () => {
    const { server, hands } = page();
    await hands.click(within(list()).getByRole("button", { name: /Idlers, Y/ }));
    expect(list().textContent).toContain("A look found: it rumbles. 18 days ago.");
    expect(list().textContent).toContain("Expected life 6000 h (typical).");
    expect(screen.getByRole("link", { name: "Measure: Tracking" }).getAttribute("href")).toBe(
      "/bench/1/belt-tracking/y",
    );
    await hands.click(screen.getByRole("button", { name: "Replaced" }));
    await hands.selectOptions(screen.getByLabelText("The new one is"), "Ball idler");
    await hands.type(screen.getByLabelText("What was wrong with the old one?"), "Rumbles.");
    await hands.click(within(list()).getByRole("button", { name: "Write it down" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/components/2/deeds",
      body: { did: "replace", because: "worn", words: "Rumbles.", type_id: 4, spare: "drawer" },
    });
  });

  it("take a picture with what was found, which goes out when that is written down", async () => {
    const { server, hands } = page();
    await hands.click(within(list()).getByRole("button", { name: /Idlers, X/ }));
    await hands.click(screen.getByRole("button", { name: "Found trouble" }));
    await hands.upload(screen.getByLabelText("Take a picture"), new File(["x"], "idler.jpg", { type: "image/jpeg" }));
    await hands.type(screen.getByLabelText("What is wrong with it?"), "Rough.");
    await hands.click(within(list()).getByRole("button", { name: "Write it down" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    const last = { id: 9, picture: false, at: "2026-05-01T10:00:00Z", who: "Wen", words: "Looked at", hours: null };
    server.answer({ parts: [{ ...PARTS[0], last }, PARTS[1]], empty: [], meter: METER, types: TYPES });
    await waitFor(() => expect(server.sent[1]?.url).toBe("/api/deeds/9/picture"));
    server.answer({ status: 413, code: "too_large", title: "", detail: "Too large.", field: "file" }, 413);
    expect(await screen.findByText(/It is written down, but the picture did not get through/)).toBeTruthy();
  });

  it("say what would tell, and a look is one press", async () => {
    const { server, hands } = page();
    await hands.click(within(list()).getByRole("button", { name: /Idlers, X/ }));
    expect(screen.getByText("A look would tell: spin it.")).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Adjusted" })).toBeNull();
    await hands.click(screen.getByRole("button", { name: "Looked at: sound" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toMatchObject({ did: "inspect", found: "sound" });
  });

  it("move to the same position of another machine, and say what sits there now", async () => {
    const { server, hands } = page();
    await hands.click(within(list()).getByRole("button", { name: /Idlers, X/ }));
    await hands.click(screen.getByText("Its type, and moving it"));
    await waitFor(() => expect(server.sent[0]?.url).toBe("/api/components/1/elsewhere"));
    server.answer([
      { id: 31, printer: "Marline", hours: 412.4, estimated: true, type: "Ball idler", trouble: "" },
      { id: 47, printer: "Carrick", hours: null, estimated: false, type: "", trouble: "squeaks" },
    ]);
    expect((await screen.findByLabelText(/^Marline/)).parentElement?.textContent).toBe(
      "Marline Ball idler, about 412 h",
    );
    expect(screen.queryByRole("button", { name: /It sits on/ })).toBeNull();
    await hands.click(screen.getByLabelText("Carrick age not known, trouble: squeaks"));
    await hands.click(screen.getByRole("button", { name: "It sits on Carrick now" }));
    await waitFor(() => expect(server.sent).toHaveLength(2));
    expect(server.sent[1]).toMatchObject({ url: "/api/components/1/move", body: { to: 47 } });
  });

  it("are of a type, and can be told to be of none", async () => {
    const { server, hands } = page();
    await hands.click(within(list()).getByRole("button", { name: /Idlers, X/ }));
    await hands.click(screen.getByText("Its type, and moving it"));
    await hands.selectOptions(screen.getByLabelText("It is of the type"), "Ball idler");
    await waitFor(() => expect(server.sent.map((s) => s.url)).toContain("/api/components/1/type"));
    expect(server.sent.find((s) => s.url.endsWith("/type"))?.body).toEqual({ type_id: 4 });
  });

  it("say where nothing sits", async () => {
    const { server, hands } = page([{ kind: "nozzle", place: "e", label: "Nozzle" }]);
    await hands.click(screen.getByRole("button", { name: "Fitted today" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({ url: "/api/printers/1/components", body: { kind: "nozzle", place: "e" } });
  });
});

describe("its sketch", () => {
  it("has every part on it by its condition, and a mark opens its part at the side", async () => {
    const { hands } = page();
    const marks = screen.getAllByRole("button", { name: /: (not known|out of adjustment|sound)$/ });
    expect(marks.map((m) => m.getAttribute("aria-label"))).toEqual(
      expect.arrayContaining(["Idlers, X: not known", "Idlers, Y: out of adjustment", "Frame joints: sound"]),
    );
    screen.getByRole("button", { name: "Idlers, Y: out of adjustment" }).focus();
    await hands.keyboard("{Enter}");
    expect(within(list()).getByText(/A look found: it rumbles/)).toBeTruthy();
    expect(list().textContent).not.toContain("Frame joints");
    await hands.click(screen.getByRole("button", { name: "Everywhere" }));
    expect(list().textContent).toContain("Frame joints");
  });
});

describe("the meter", () => {
  it("says whether it was read or estimated, and what a reading is refused for", async () => {
    const { server, hands } = page();
    const meter = screen.getByRole("region", { name: "Hours of use" });
    expect(meter.textContent).toContain("865 h ± 12");
    expect(meter.textContent).toContain("Estimated from its use; known until just now. About 6.5 h a day.");
    await hands.type(screen.getByLabelText("The meter shows"), "soon");
    await hands.click(within(meter).getByRole("button", { name: "Write it down" }));
    expect(screen.getByText("Enter what the meter shows, in hours.")).toBeTruthy();
    expect(server.sent).toEqual([]);
    await hands.clear(screen.getByLabelText("The meter shows"));
    await hands.type(screen.getByLabelText("The meter shows"), "40");
    await hands.click(within(meter).getByRole("button", { name: "Write it down" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({ url: "/api/printers/1/meter", body: { hours: 40, reset: false } });
    server.answer(
      { status: 422, code: "out_of_range", title: "", detail: "The meter has gone back.", field: "hours" },
      422,
    );
    await waitFor(() => expect(screen.getAllByText("The meter has gone back.").length).toBeGreaterThan(0));
    expect(screen.getByLabelText<HTMLInputElement>("The meter shows").value).toBe("40");
  });

  it("that was never read says what that means", () => {
    page([], {
      what: "hours",
      unit: "h",
      value: null,
      estimated: false,
      typical: false,
      u95: null,
      read_at: null,
      a_day: null,
      shown: null,
    });
    expect(screen.getByText(/Its meter was never read/)).toBeTruthy();
    expect(screen.queryByLabelText("It began anew: the board was replaced")).toBeNull();
  });
});
