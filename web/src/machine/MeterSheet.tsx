/** A machine's meter: hours of use now, read or estimated, and a new reading. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, fieldError, TextField } from "../kit/bits";
import { ago, parseFigure } from "../kit/figures";

/** What some machines count beside their hours. */
const MORE = ["filament", "x", "y", "z"] as const;
const SAYS: Record<(typeof MORE)[number], string> = {
  filament: "Filament, kg",
  x: "Travel of X, km",
  y: "Travel of Y, km",
  z: "Travel of Z, km",
};

export function MeterSheet({ id, meter }: { id: number; meter: Schemas["MeterOut"] }) {
  const client = useQueryClient();
  const [hours, setHours] = useState("");
  const [more, setMore] = useState<Partial<Record<(typeof MORE)[number], string>>>({});
  const [reset, setReset] = useState(false);
  const [wrong, setWrong] = useState("");
  const read = useMutation({
    mutationFn: (body: Schemas["MeterIn"]) =>
      got(api.POST("/api/printers/{printer_id}/meter", { params: { path: { printer_id: id } }, body })),
    onSuccess: () => {
      client.invalidateQueries({ queryKey: ["printer", id] });
      client.invalidateQueries({ queryKey: ["record", id] });
      setHours("");
      setMore({});
      setReset(false);
    },
  });
  const told = MORE.filter((m) => more[m]?.trim());
  const unread = told.find((m) => parseFigure(more[m]!) === null);
  const send = () => {
    const figure = parseFigure(hours);
    setWrong(figure === null ? "Enter what the meter shows, in hours." : "");
    if (figure === null || unread) return;
    const axes = told.filter((m) => m !== "filament").map((m) => [m, parseFigure(more[m]!)!]);
    read.mutate({
      hours: figure,
      filament_kg: more.filament?.trim() ? parseFigure(more.filament) : null,
      travel_km: Object.fromEntries(axes),
      reset,
    });
  };
  return (
    <section className="sheet grid gap-3" aria-labelledby="meter">
      <h2 id="meter">Hours of use</h2>
      {meter.value == null ? (
        <p>Its meter was never read: how old its parts are, nobody can tell. Read it once a month.</p>
      ) : (
        <div>
          <p className="font-mono text-[30px] font-semibold">
            {Math.round(meter.value)} h
            {meter.u95 ? <span className="text-[18px] text-ink2"> ± {Math.max(1, Math.round(meter.u95))}</span> : null}
          </p>
          <p className="text-ink2">
            {meter.estimated ? "Estimated from its use; known until" : "Known of"}{" "}
            {meter.read_at ? ago(meter.read_at) : ""}
            {meter.a_day != null ? `. About ${meter.a_day.toFixed(1)} h a day` : ""}.
          </p>
        </div>
      )}
      <form
        className="grid gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          send();
        }}
      >
        <TextField
          label="The meter shows"
          hint={meter.shown == null ? "In hours." : `In hours; last time ${Number(meter.shown.toFixed(1))}.`}
          error={wrong || fieldError(read.error, "hours")}
          figure
          maxLength={12}
          value={hours}
          onText={setHours}
        />
        <details>
          <summary className="min-h-11 cursor-pointer py-2 text-ink2">What else it counts</summary>
          <div className="grid grid-cols-2 gap-2">
            {MORE.map((m) => (
              <TextField
                key={m}
                label={SAYS[m]}
                figure
                maxLength={12}
                value={more[m] ?? ""}
                error={
                  unread === m
                    ? "This is no figure."
                    : fieldError(read.error, m === "filament" ? "filament_kg" : `travel_km.${m}`)
                }
                onText={(text) => setMore({ ...more, [m]: text })}
              />
            ))}
          </div>
        </details>
        {meter.shown == null ? null : (
          <label className="flex min-h-11 items-center gap-3">
            <input
              type="checkbox"
              className="h-5 w-5 accent-[var(--ink)]"
              checked={reset}
              onChange={(e) => setReset(e.target.checked)}
            />
            It began anew: the board was replaced
          </label>
        )}
        <ErrorNote error={read.error} />
        <Button type="submit" className="justify-self-start" disabled={read.isPending || !hours.trim()}>
          Write it down
        </Button>
      </form>
    </section>
  );
}
