/** The fields that forms are made of: what is typed is told, what is wrong is said at the field. */
// @vitest-environment happy-dom
import { screen } from "@testing-library/react";
import { useState } from "react";
import { describe, expect, it } from "vitest";
import { handle } from "../tests/hands";
import { TextField } from "./bits";

function Form({ error, ...more }: { error?: string; maxLength?: number; figure?: boolean }) {
  const [name, setName] = useState("");
  return (
    <>
      <TextField label="Name" hint="As on its plate." error={error} value={name} onText={setName} {...more} />
      <p>It says: {name}.</p>
    </>
  );
}

const field = () => screen.getByLabelText("Name") as HTMLInputElement;

describe("a line of text", () => {
  it("tells what is typed, letter by letter", async () => {
    const user = handle(<Form />);
    await user.type(field(), "Fender");
    expect(screen.getByText("It says: Fender.")).toBeTruthy();
  });

  it("is found by its label and told its hint", () => {
    handle(<Form />);
    expect(document.getElementById(field().getAttribute("aria-describedby")!)!.textContent).toBe("As on its plate.");
    expect(field().getAttribute("aria-invalid")).toBe("false");
  });

  it("says what is wrong instead of the hint, at once and at the field", () => {
    handle(<Form error="There is already one called so." />);
    expect(screen.getByRole("alert").textContent).toBe("There is already one called so.");
    expect(field().getAttribute("aria-describedby")).toBe(screen.getByRole("alert").id);
    expect(field().getAttribute("aria-invalid")).toBe("true");
  });

  it("takes no more than it has room for, and 200 characters where nothing is said", async () => {
    const user = handle(<Form maxLength={4} />);
    await user.type(field(), "Sheepshank");
    expect(field().value).toBe("Shee");
    handle(<Form />);
    expect(screen.getAllByLabelText("Name").map((f) => (f as HTMLInputElement).maxLength)).toEqual([4, 200]);
  });

  it("asks for figures from the number block", () => {
    handle(<Form figure />);
    expect(field().inputMode).toBe("decimal");
  });
});
