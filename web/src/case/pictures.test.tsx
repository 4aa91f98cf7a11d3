// @vitest-environment happy-dom
/** Pictures from the same place: which belong together, how one lies over the other, and what the light says. */
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Schemas } from "../api/client";
import { BeforeAfter, laid } from "../kit/BeforeAfter";
import { handle, slowServer } from "../tests/hands";
import { Pairs } from "./Pairs";
import { lightWords } from "./Retake";

type Case = Schemas["CaseOut"];
const picture = (id: number, before: number | null = null, more: object = {}) => ({
  id,
  before,
  fit: before === null ? null : { right: 0.1, down: 0, size: 1.2, turn: 2 },
  words: "",
  width: 800,
  height: 600,
  by: "Wen",
  at: "2026-03-01T09:00:00Z",
  ...more,
});
const pairs = (pictures: object[], state = "in_work", changed = vi.fn()) => ({
  changed,
  hands: handle(<Pairs c={{ id: 5, printer: "Bowline", state, pictures } as unknown as Case} changed={changed} />),
});
const plain = (width: number, height: number) => ({ src: "x", alt: "", width, height });

describe("how a later picture lies over an earlier one", () => {
  it("is as wide as that one, and in its middle", () => {
    expect(laid(null, plain(800, 600), plain(400, 300))).toMatchObject({ height: "100%", left: "0%", top: "0%" });
    expect(laid(null, plain(800, 600), plain(300, 300))).toMatchObject({ left: "0%", top: "-16.666666666666657%" });
  });
  it("is moved by shares of that one, enlarged and turned", () => {
    const fit = { right: 0.1, down: -0.05, size: 1.5, turn: 4 };
    expect(laid(fit, plain(800, 600), plain(800, 600))).toMatchObject({
      left: "10%",
      top: "-5%",
      transform: "rotate(4deg) scale(1.5)",
    });
  });
  it("is wiped by a slider, which says how much of each is seen", () => {
    handle(<BeforeAfter before={plain(8, 6)} after={plain(8, 6)} fit={null} label="Wipe" />);
    const slider = screen.getByRole("slider", { name: "Wipe" });
    expect(slider.getAttribute("aria-valuetext")).toBe("50 % before, 50 % after");
    fireEvent.change(slider, { target: { value: "30" } });
    expect(slider.getAttribute("aria-valuetext")).toBe("30 % before, 70 % after");
    expect(slider.parentElement!.querySelectorAll("div")[0]!.style.clipPath).toBe("inset(0 0 0 30%)");
  });
});

describe("pairs", () => {
  it("show the newest after of each first, and none where nothing was done yet", () => {
    pairs([picture(1), picture(2, 1, { words: "second" }), picture(3, 1, { words: "third" }), picture(4)]);
    expect(screen.getAllByRole("slider")).toHaveLength(1);
    expect(screen.getByAltText("third").getAttribute("src")).toBe("/api/pictures/3");
    expect(screen.queryByAltText("second")).toBeNull();
  });
  it("offer another only while the case is worked on", () => {
    pairs([picture(1)], "reported");
    expect(screen.queryByRole("button")).toBeNull();
    expect(document.body.textContent).toBe("");
  });
  it("keep the proof on a closed case, without offering another", () => {
    pairs([picture(1), picture(2, 1)], "closed");
    expect(screen.getAllByRole("slider")).toHaveLength(1);
    expect(screen.queryByRole("button")).toBeNull();
  });
  it("take a chosen picture where there is no camera, and lay it over the first by hand", async () => {
    const server = slowServer();
    vi.stubGlobal("createImageBitmap", async () => ({ width: 800, height: 600 }));
    const { hands, changed } = pairs([picture(1)]);
    await hands.click(screen.getByRole("button", { name: "Take the picture again, from the same place" }));
    await screen.findByText(/No camera is to be had here/);
    await hands.upload(screen.getByLabelText("Choose a picture"), new File(["x"], "after.jpg", { type: "image/jpeg" }));
    const box = await screen.findByRole("application");
    box.focus();
    await hands.keyboard("{ArrowRight}{ArrowRight}{ArrowUp}");
    expect(screen.getByAltText("The new picture, half seen").style.left).toBe("1%");
    await hands.click(screen.getByRole("button", { name: "It fits: keep it" }));
    await waitFor(() => expect(server.sent[0]?.url).toBe("/api/cases/5/pictures"));
    server.answer({ id: 5 });
    await waitFor(() => expect(changed).toHaveBeenCalledWith({ id: 5 }));
  });
});

describe("the light", () => {
  it("is spoken of where it is another", () => {
    expect(lightWords(120, 125)).toBe("");
    expect(lightWords(120, 80)).toContain("darker by 33 %");
    expect(lightWords(80, 120)).toContain("lighter by 50 %");
  });
});
