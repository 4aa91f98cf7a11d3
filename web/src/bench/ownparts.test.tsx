// @vitest-environment happy-dom
/** Parts of the workshop's own: entered with their places, pointed at by hand or key, offered with sheet and measurement. */
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { handle, slowServer } from "../tests/hands";
import type { Bench } from "./drawing";
import { OwnPartForm } from "./OwnPartForm";
import { Lines, type OwnPart, OwnParts, PartPicture } from "./OwnParts";
import { PartOf } from "./Parts";

const part: OwnPart = {
  id: 3,
  procedure: "dimensions",
  name: "Oar rest",
  words: "For the boats.",
  width: 1200,
  height: 800,
  has_model: true,
  by: "Oda",
  places: [
    {
      words: "bore",
      axis: "x",
      kind: "inner",
      nominal_mm: 22,
      tolerance_mm: 0.15,
      line: [
        { x: 0.4, y: 0.5 },
        { x: 0.6, y: 0.5 },
      ],
    },
    {
      words: "ring",
      axis: "x",
      kind: "outer",
      nominal_mm: 36,
      tolerance_mm: null,
      line: [
        { x: 0.3, y: 0.5 },
        { x: 0.7, y: 0.5 },
      ],
    },
  ],
};
const bench = {
  printer_id: 6,
  entries: [{ procedure: "dimensions", places: [{ place: "all" }] }],
} as unknown as Bench;
const numbers = () =>
  [...document.querySelectorAll("svg text")].map((t) => [t.textContent, Math.round(Number(t.getAttribute("x")))]);

describe("a part's places on its picture", () => {
  it("are numbered on their lines, and two numbers do not stand on each other", () => {
    handle(<Lines places={part.places} width={1200} height={800} />);
    expect(numbers()).toEqual([
      ["1", 600],
      ["2", 696],
    ]);
  });
  it("light the one that is measured next", () => {
    handle(<PartPicture part={part} now={1} />);
    const lit = [...document.querySelectorAll("circle")].map((c) => c.getAttribute("fill"));
    expect(lit).toEqual(["var(--sheet)", "var(--go)"]);
  });
  it("stand beside the measurement that goes by it, in place of the test part", () => {
    const at = { path: "/bench/6/dimensions/all?part=3", route: "/bench/:id/:procedure/:place" };
    handle(
      <PartOf id={6} procedure="dimensions" />,
      [
        [["own-parts"], [part]],
        [["parts", 6], []],
      ],
      at,
    );
    expect(screen.getByLabelText("The part that is measured").textContent).toContain("Oar rest.");
    expect(screen.getByRole("link", { name: /Measuring sheet.*of Oar rest.*PDF/ }).getAttribute("href")).toBe(
      "/api/printers/6/own-parts/3/sheet.pdf",
    );
  });
});

describe("the workshop's own parts", () => {
  it("are listed with what can be done with each, and retired", async () => {
    const server = slowServer();
    const hands = handle(<OwnParts bench={bench} />, [[["own-parts"], [part]]]);
    expect(screen.getByRole("link", { name: /Measure it.*: Oar rest/ }).getAttribute("href")).toBe(
      "/bench/6/dimensions/all?part=3",
    );
    await hands.click(screen.getByRole("button", { name: /Offer it no longer.*: Oar rest/ }));
    await waitFor(() => expect(server.sent[0]?.url).toBe("/api/own-parts/3/retire"));
    server.answer([]);
    await waitFor(() => expect(screen.queryByText("Oar rest")).toBeNull());
  });
});

describe("entering a part", () => {
  const form = (given: OwnPart | null = part, changed = vi.fn()) => ({
    changed,
    hands: handle(<OwnPartForm part={given} changed={changed} leave={vi.fn()} />),
  });

  it("sends its places as they were typed, with comma or point", async () => {
    const server = slowServer();
    const { hands, changed } = form();
    await hands.clear(screen.getAllByLabelText("mm")[1]!);
    await hands.type(screen.getAllByLabelText("mm")[1]!, "36,5");
    await hands.click(screen.getByRole("button", { name: "Another place" }));
    await hands.type(screen.getByLabelText("3. Where"), "height");
    await hands.type(screen.getAllByLabelText("mm")[2]!, "30");
    await hands.selectOptions(screen.getAllByLabelText("It runs along, as printed")[2]!, "z");
    await hands.click(screen.getByRole("button", { name: "Keep it so" }));
    await waitFor(() => expect(server.sent[0]?.url).toBe("/api/own-parts/3"));
    expect((server.sent[0]!.body as OwnPart).places.slice(1)).toEqual([
      { ...part.places[1], nominal_mm: 36.5 },
      { words: "height", axis: "z", kind: "outer", nominal_mm: 30, tolerance_mm: null, line: null },
    ]);
    server.answer([]);
    await waitFor(() => expect(changed).toHaveBeenCalledWith([]));
  });

  it("says what is no figure at its place, and sends nothing", async () => {
    const server = slowServer();
    const { hands } = form();
    await hands.clear(screen.getAllByLabelText("mm")[0]!);
    await hands.type(screen.getAllByLabelText("± mm")[1]!, "about");
    await hands.click(screen.getByRole("button", { name: "Keep it so" }));
    expect(screen.getByText("Enter its length in mm.")).toBeTruthy();
    expect(screen.getByText("Enter mm, or leave it empty.")).toBeTruthy();
    expect(server.sent).toEqual([]);
  });

  it("wants a picture or a model for a new one", async () => {
    const { hands } = form(null);
    await hands.type(screen.getByLabelText("Its name"), "Clip");
    await hands.type(screen.getByLabelText("1. Where"), "width");
    await hands.type(screen.getByLabelText("mm"), "20");
    await hands.click(screen.getByRole("button", { name: "Enter it" }));
    expect(screen.getByText("Choose its picture or its model.")).toBeTruthy();
  });

  it("moves the ends of a place by arrow key", async () => {
    const { hands } = form();
    const end = await screen.findByRole("button", { name: "Other end of place 1: arrow keys move it" });
    end.focus();
    await hands.keyboard("{ArrowRight}{ArrowDown}");
    expect(end.style.left).toBe("61%");
    expect(end.style.top).toBe("51%");
  });

  it("takes two presses on the picture as the ends of the place in hand", async () => {
    form();
    const picture = await screen.findByAltText("The part");
    const box = picture.parentElement!;
    box.getBoundingClientRect = () => ({ left: 0, top: 0, width: 200, height: 100 }) as DOMRect;
    fireEvent.pointerDown(box, { clientX: 20, clientY: 10 });
    expect(screen.getByText("Now the other end of place 1.")).toBeTruthy();
    fireEvent.pointerDown(box, { clientX: 180, clientY: 90 });
    expect(screen.getByRole("button", { name: /One end of place 1/ }).style.left).toBe("10%");
    expect(screen.getByRole("button", { name: /Other end of place 1/ }).style.top).toBe("90%");
  });

  it("puts a refusal of the server at its place", async () => {
    const server = slowServer();
    const { hands } = form();
    await hands.click(screen.getByRole("button", { name: "Keep it so" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    server.answer(
      {
        code: "out_of_range",
        field: "places.1.words",
        detail: "Two places are called the same.",
        title: "",
        status: 422,
      },
      422,
    );
    await screen.findByText("Two places are called the same.");
    expect(screen.getByLabelText("2. Where").getAttribute("aria-invalid")).toBe("true");
  });
});
