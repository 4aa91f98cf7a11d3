// @vitest-environment happy-dom
/** Parts of the page that come late, or not at all. */
import { screen } from "@testing-library/react";
import { useState } from "react";
import { describe, expect, it, vi } from "vitest";
import { handle } from "../tests/hands";
import { Part, patient } from "./Part";

const away = async () => false;
const there = async () => true;

describe("a part that is fetched", () => {
  it("is waited for while the workshop is away", async () => {
    const fetch = vi
      .fn()
      .mockRejectedValueOnce(new Error("away"))
      .mockRejectedValueOnce(new Error("away"))
      .mockRejectedValueOnce(new Error("away"))
      .mockResolvedValue("part");
    expect(await patient(fetch, away, 0)).toBe("part");
    expect(fetch).toHaveBeenCalledTimes(4);
  });

  it("is given up where the workshop answers and has it no more", async () => {
    const fetch = vi.fn().mockRejectedValue(new Error("gone"));
    await expect(patient(fetch, there, 0)).rejects.toThrow("gone");
    expect(fetch).toHaveBeenCalledTimes(2);
  });

  it("is not tried for ever", async () => {
    const fetch = vi.fn().mockRejectedValue(new Error("away"));
    await expect(patient(fetch, away, 0)).rejects.toThrow("away");
    expect(fetch).toHaveBeenCalledTimes(150);
  });

  it("is tried anew elsewhere, and elsewhere is not begun anew", async () => {
    vi.spyOn(console, "error").mockImplementation(() => undefined);
    const Here = ({ bad }: { bad: boolean }) => {
      const [typed, setTyped] = useState("");
      if (bad) throw new Error("gone");
      return <input aria-label="typed" value={typed} onChange={(e) => setTyped(e.target.value)} />;
    };
    const Pages = () => {
      const [at, setAt] = useState("bad");
      return (
        <>
          <button type="button" onClick={() => setAt(at === "one" ? "two" : "one")}>
            on
          </button>
          <Part at={at}>
            <Here bad={at === "bad"} />
          </Part>
        </>
      );
    };
    const hands = handle(<Pages />);
    expect(screen.getByRole("alert")).toBeDefined();
    await hands.click(screen.getByText("on"));
    await hands.type(screen.getByLabelText("typed"), "12");
    await hands.click(screen.getByText("on"));
    expect((screen.getByLabelText("typed") as HTMLInputElement).value).toBe("12");
  });

  it("that breaks is said in its place, and the rest stands", () => {
    vi.spyOn(console, "error").mockImplementation(() => undefined);
    const Broken = () => {
      throw new Error("gone");
    };
    handle(
      <>
        <p>the rest</p>
        <Part>
          <Broken />
        </Part>
        <Part else={<p>its stand-in</p>}>
          <Broken />
        </Part>
      </>,
    );
    expect(screen.getByText("the rest")).toBeDefined();
    expect(screen.getByText("its stand-in")).toBeDefined();
    expect(screen.getByRole("alert").textContent).toContain("Readings and recordings are kept.");
  });
});
