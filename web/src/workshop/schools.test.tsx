// @vitest-environment happy-dom
/** Where practitioners differ: the lead chooses, others read what the workshop holds with. */
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { draw } from "../tests/draw";
import { handle, slowServer } from "../tests/hands";
import { Schools } from "./Schools";

const schools = [
  {
    what: "skew",
    words: "Of a frame out of square is put right",
    choice: "frame",
    choices: [
      { value: "frame", label: "The frame", hint: "As long as it can be moved." },
      { value: "firmware", label: "A factor", hint: "For one that cannot." },
    ],
  },
];

describe("schools", () => {
  it("are chosen by the lead", async () => {
    const server = slowServer();
    const hands = handle(<Schools schools={schools} lead />);
    await hands.click(screen.getByText("A factor"));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toEqual({ what: "skew", choice: "firmware" });
  });

  it("are read by others", () => {
    const text = draw(<Schools schools={schools} lead={false} />);
    expect(text).toContain("Of a frame out of square is put right: The frame");
    expect(text).not.toContain("A factor");
  });
});
