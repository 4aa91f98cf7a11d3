// @vitest-environment happy-dom
/** A bed's map that is pasted: what is sent, what is refused at its field, and what comes of it. */
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { handle, slowServer } from "../tests/hands";
import { GridPaste } from "./GridPaste";

const grid = { left_mm: 10, right_mm: 210, front_mm: 10, rear_mm: 210 };

describe("a pasted map", () => {
  it("is read with its ends, and its heights become readings", async () => {
    const server = slowServer();
    const read = vi.fn();
    const hands = handle(<GridPaste grid={grid} onRead={read} />);
    await hands.type(screen.getByLabelText(/The map/), "0.1 0.2{Enter}0.3 0.4");
    await hands.clear(screen.getByLabelText(/Last column/));
    await hands.type(screen.getByLabelText(/Last column/), "200,5");
    await hands.click(screen.getByText("The rear"));
    await hands.click(screen.getByRole("button", { name: "Read it" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toEqual({ text: "0.1 0.2\n0.3 0.4", first_line: "rear", ...grid, right_mm: 200.5 });
    const heights = [{ x_mm: 10, y_mm: 210, z_mm: 0.1 }];
    server.answer({ heights, columns: 2, lines: 2, places_told: false, order_told: false });
    await waitFor(() => expect(read).toHaveBeenCalledWith(heights));
    expect(screen.getByRole("status").textContent).toContain("Read 2 lines of 2.");
  });

  it("that is none is refused where it stands, and nothing is lost", async () => {
    const server = slowServer();
    const hands = handle(<GridPaste grid={grid} onRead={vi.fn()} />);
    await hands.type(screen.getByLabelText(/The map/), "0.1 0.2");
    await hands.clear(screen.getByLabelText(/Front line/));
    await hands.type(screen.getByLabelText(/Front line/), "near");
    await hands.click(screen.getByRole("button", { name: "Read it" }));
    expect(screen.getByText("Enter a place in mm.")).toBeTruthy();
    expect(server.sent).toHaveLength(0);
    await hands.clear(screen.getByLabelText(/Front line/));
    await hands.type(screen.getByLabelText(/Front line/), "5");
    await hands.click(screen.getByRole("button", { name: "Read it" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    server.answer(
      { title: "No", status: 422, code: "too_few_rows", detail: "A map has two lines.", field: "text" },
      422,
    );
    expect(await screen.findByText(/A map has two lines/)).toBeTruthy();
    expect((screen.getByLabelText(/The map/) as HTMLTextAreaElement).value).toBe("0.1 0.2");
  });
});
