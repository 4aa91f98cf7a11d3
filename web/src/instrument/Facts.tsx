/** What an instrument is and how good it is said to be: told by the lead when it is added, and anew. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, fieldError, TextField } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import { useShopWrite } from "../workshop/shop";

type Here = Schemas["InstrumentHere"];
export type FactTexts = { name: string; kind: string; unit: string; resolution: string; u95: string; address: string };

const FIELDS: [keyof FactTexts, string][] = [
  ["name", "Name"],
  ["kind", "Kind"],
  ["unit", "Unit"],
  ["resolution", "Smallest step"],
  ["u95", "Said to be good to ±"],
  ["address", "On the network at (host:port)"],
];
export const NO_FACTS: FactTexts = { name: "", kind: "", unit: "mm", resolution: "", u95: "", address: "" };

const asText = (v: number | null) => (v === null ? "" : String(v));

/** What was typed, as it is sent; and by field what is no figure. */
export function factsOf(texts: FactTexts): { body: Schemas["InstrumentFacts"]; wrong: Record<string, string> } {
  const wrong: Record<string, string> = {};
  const figure = (name: "resolution" | "u95") => {
    const typed = texts[name].trim();
    const value = typed ? parseFigure(typed) : null;
    if (typed && value === null) wrong[name] = `“${typed}” is not a figure.`;
    return value;
  };
  return { body: { ...texts, resolution: figure("resolution"), u95: figure("u95") }, wrong };
}

type FieldsProps = {
  texts: FactTexts;
  onText: (name: keyof FactTexts, typed: string) => void;
  wrong: Record<string, string>;
  error: unknown;
};

export function FactFields({ texts, onText, wrong, error }: FieldsProps) {
  return FIELDS.map(([name, label]) => (
    <TextField
      key={name}
      label={label}
      error={wrong[name] ?? fieldError(error, name)}
      value={texts[name]}
      maxLength={name === "address" ? 120 : 60}
      required={name === "name" || name === "kind"}
      onText={(typed) => onText(name, typed)}
    />
  ));
}

/** Whether what was refused stands at one of the fields. */
export const isFact = (error: unknown) => FIELDS.some(([name]) => fieldError(error, name));

export function Facts({ i }: { i: Here }) {
  const client = useQueryClient();
  const [texts, setTexts] = useState<FactTexts>({
    name: i.name,
    kind: i.kind,
    unit: i.unit,
    resolution: asText(i.resolution),
    u95: asText(i.u95),
    address: i.address,
  });
  const [wrong, setWrong] = useState<Record<string, string>>({});
  const change = useShopWrite(
    (body: Schemas["InstrumentFacts"]) =>
      got(api.POST("/api/workshop/instruments/{instrument_id}", { params: { path: { instrument_id: i.id } }, body })),
    () => client.invalidateQueries({ queryKey: ["instrument", i.id] }),
  );
  const send = () => {
    const told = factsOf(texts);
    setWrong(told.wrong);
    if (!Object.keys(told.wrong).length) change.mutate(told.body);
  };
  return (
    <details>
      <summary className="min-h-11 cursor-pointer py-2 font-semibold">Change what is told of it</summary>
      <form
        className="sheet grid gap-3 sm:grid-cols-3"
        onSubmit={(e) => {
          e.preventDefault();
          send();
        }}
      >
        <FactFields
          texts={texts}
          onText={(name, typed) => setTexts({ ...texts, [name]: typed })}
          wrong={wrong}
          error={change.error}
        />
        {isFact(change.error) ? null : <ErrorNote error={change.error} />}
        <Button type="submit" className="self-end justify-self-start" disabled={change.isPending}>
          Keep it so
        </Button>
      </form>
    </details>
  );
}
