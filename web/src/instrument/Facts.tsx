/** What an instrument is and how good it is said to be; the lead tells it anew. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, fieldError, TextField } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import { useShopWrite } from "../workshop/WorkshopPage";

type Here = Schemas["InstrumentHere"];
type Texts = { name: string; kind: string; unit: string; resolution: string; u95: string; address: string };

const FIELDS: [keyof Texts, string][] = [
  ["name", "Name"],
  ["kind", "Kind"],
  ["unit", "Unit"],
  ["resolution", "Smallest step"],
  ["u95", "Said to be good to ±"],
  ["address", "On the network at (host:port)"],
];

const asText = (v: number | null) => (v === null ? "" : String(v));

export function Facts({ i }: { i: Here }) {
  const client = useQueryClient();
  const [texts, setTexts] = useState<Texts>({
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
    const bad: Record<string, string> = {};
    const figure = (name: "resolution" | "u95") => {
      const typed = texts[name].trim();
      const value = typed ? parseFigure(typed) : null;
      if (typed && value === null) bad[name] = `“${typed}” is not a figure.`;
      return value;
    };
    const body = { ...texts, resolution: figure("resolution"), u95: figure("u95") };
    setWrong(bad);
    if (!Object.keys(bad).length) change.mutate(body);
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
        {FIELDS.map(([name, label]) => (
          <TextField
            key={name}
            label={label}
            error={wrong[name] ?? fieldError(change.error, name)}
            value={texts[name]}
            maxLength={name === "address" ? 120 : 60}
            onText={(typed) => setTexts({ ...texts, [name]: typed })}
          />
        ))}
        {change.error && !FIELDS.some(([name]) => fieldError(change.error, name)) ? (
          <ErrorNote error={change.error} />
        ) : null}
        <Button type="submit" className="self-end justify-self-start" disabled={change.isPending}>
          Keep it so
        </Button>
      </form>
    </details>
  );
}
