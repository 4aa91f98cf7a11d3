/** A map pasted as the machine prints it, or loaded: read, shown, and taken as readings. */
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { Button, Choices, ErrorNote, Field, FilePick, fieldError, INPUT, TABLES, TextField } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import type { Row } from "../kit/ReadingsField";

type Asked = Schemas["GridAsked"];
const ENDS = [
  ["left_mm", "First column at X"],
  ["right_mm", "Last column at X"],
  ["front_mm", "Front line at Y"],
  ["rear_mm", "Rear line at Y"],
] as const;

type Props = { grid: Schemas["GridHere"]; onRead: (rows: Row[]) => void };

export function GridPaste({ grid, onRead }: Props) {
  const [text, setText] = useState("");
  const [first, setFirst] = useState<"front" | "rear">("front");
  const [ends, setEnds] = useState<Record<string, string>>({});
  const [wrong, setWrong] = useState<Record<string, string>>({});
  const read = useMutation({
    mutationFn: (asked: Asked) => got(api.POST("/api/bed-maps/read", { body: asked })),
    onSuccess: (found) => onRead(found.heights as unknown as Row[]),
  });
  const send = (given = text) => {
    const asked: Asked = { text: given, first_line: first, ...grid };
    const bad: Record<string, string> = {};
    for (const [name] of ENDS) {
      const typed = ends[name];
      if (typed === undefined) continue;
      const value = parseFigure(typed);
      if (value === null) bad[name] = "Enter a place in mm.";
      else asked[name] = value;
    }
    setWrong(bad);
    if (!Object.keys(bad).length) read.mutate(asked);
  };
  const found = read.data;
  return (
    <details className="border-y border-hair py-2">
      <summary className="min-h-11 cursor-pointer py-2 font-semibold">Paste the map that the machine prints</summary>
      <div className="grid gap-3 py-2">
        <Field label="The map, with or without labels" error={fieldError(read.error, "text")}>
          {(id, describedBy) => (
            <textarea
              id={id}
              aria-describedby={describedBy}
              className={`${INPUT} min-h-36 py-2 font-mono !text-[15px]`}
              value={text}
              maxLength={200_000}
              onChange={(e) => setText(e.target.value)}
            />
          )}
        </Field>
        <Choices
          label="Its first line is"
          options={[
            { value: "front", label: "The front of the bed" },
            { value: "rear", label: "The rear" },
          ]}
          value={first}
          onChange={setFirst}
        />
        <div className="grid gap-3 sm:grid-cols-4">
          {ENDS.map(([name, label]) => (
            <TextField
              key={name}
              label={`${label}, mm`}
              figure
              error={wrong[name] ?? fieldError(read.error, name)}
              value={ends[name] ?? String(grid[name])}
              onText={(typed) => setEnds({ ...ends, [name]: typed })}
            />
          ))}
        </div>
        <ErrorNote error={fieldError(read.error, "text") ? null : read.error} />
        <div className="flex flex-wrap gap-3">
          <Button disabled={!text.trim() || read.isPending} onClick={() => send()}>
            Read it
          </Button>
          <FilePick
            label="Load it from a file"
            accept={TABLES}
            disabled={read.isPending}
            onFile={async (file) => {
              const loaded = (await file.text()).slice(0, 200_000);
              setText(loaded);
              send(loaded);
            }}
          />
        </div>
        {found ? (
          <p role="status">
            Read {found.lines} lines of {found.columns}.{" "}
            {found.places_told
              ? "Their places are the map's own."
              : `Their places are the ends above${found.order_told ? "; which line is the front is the map's own" : ""}.`}{" "}
            Look at it beside, then work it out.
          </p>
        ) : null}
      </div>
    </details>
  );
}
