// @vitest-environment happy-dom
/** A figure that is known stands with its source; typed otherwise it is this reading's own, and a refusal stands at it. */
import { screen } from "@testing-library/react";
import { useState } from "react";
import { describe, expect, it } from "vitest";
import { Refusal } from "../api/client";
import { handle } from "../tests/hands";
import { type Asked, Fields, type Texts, typedContext } from "./Fields";

const span: Asked = {
  name: "span_mm",
  title: "Free span",
  unit: "mm",
  hint: "",
  kind: "figure",
  choices: [],
  low: 20,
  high: 2000,
  above: false,
  when: null,
  when_is: [],
  optional: false,
  more: false,
  value: 285,
  origin: "model",
};

function Held({ sent }: { sent: (made: unknown) => void }) {
  const [texts, setTexts] = useState<Texts>({});
  const [error, setError] = useState<unknown>(null);
  const send = () => {
    try {
      sent(typedContext([span], texts));
      setError(null);
    } catch (e) {
      setError(e);
    }
  };
  return (
    <>
      <Fields
        fields={[span]}
        texts={texts}
        onText={(name, text) => setTexts({ ...texts, [name]: text })}
        error={error}
      />
      <button type="button" onClick={send}>
        Send
      </button>
    </>
  );
}

describe("a figure that the model tells", () => {
  it("is shown with its source and not sent as typed", async () => {
    const made: unknown[] = [];
    const hands = handle(<Held sent={(m) => made.push(m)} />);
    expect((screen.getByLabelText("Free span, mm") as HTMLInputElement).value).toBe("285");
    expect(screen.getByText("From the model.")).toBeDefined();
    await hands.click(screen.getByRole("button", { name: "Send" }));
    expect(made).toEqual([{}]);
  });

  it("can be typed otherwise, and then is no more the model's", async () => {
    const made: unknown[] = [];
    const hands = handle(<Held sent={(m) => made.push(m)} />);
    await hands.clear(screen.getByLabelText("Free span, mm"));
    await hands.type(screen.getByLabelText("Free span, mm"), "291,5");
    expect(screen.queryByText("From the model.")).toBeNull();
    await hands.click(screen.getByRole("button", { name: "Send" }));
    expect(made).toEqual([{ span_mm: 291.5 }]);
  });

  it("is refused at its field, named there, and what was typed stays", async () => {
    const made: unknown[] = [];
    const hands = handle(<Held sent={(m) => made.push(m)} />);
    const field = screen.getByLabelText("Free span, mm") as HTMLInputElement;
    await hands.clear(field);
    await hands.type(field, "2");
    await hands.click(screen.getByRole("button", { name: "Send" }));
    expect(made).toEqual([]);
    expect(field.getAttribute("aria-invalid")).toBe("true");
    expect(document.getElementById(field.getAttribute("aria-describedby")!)!.textContent).toContain(
      "Free span must be at least 20 and at most 2000 mm.",
    );
    expect(field.value).toBe("2");
  });

  it("shows what the server refuses at the same place", () => {
    handle(
      <Fields
        fields={[span]}
        texts={{}}
        onText={() => undefined}
        error={new Refusal(422, "out_of_range", "The belt would be longer than its loop.", "context.span_mm")}
      />,
    );
    expect(screen.getByText("The belt would be longer than its loop.")).toBeDefined();
    expect(screen.getByLabelText("Free span, mm").getAttribute("aria-invalid")).toBe("true");
  });
});
