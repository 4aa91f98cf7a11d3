/** A machine's meter: hours of use now, read or estimated, and a new reading. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, fieldError, TextField } from "../kit/bits";
import { ago, parseFigure } from "../kit/figures";

export function MeterSheet({ id, meter }: { id: number; meter: Schemas["MeterOut"] }) {
  const client = useQueryClient();
  const [hours, setHours] = useState("");
  const [reset, setReset] = useState(false);
  const [wrong, setWrong] = useState("");
  const read = useMutation({
    mutationFn: (figure: number) =>
      got(
        api.POST("/api/printers/{printer_id}/meter", {
          params: { path: { printer_id: id } },
          body: { hours: figure, reset },
        }),
      ),
    onSuccess: (here) => {
      client.setQueryData(["printer", id, "components"], here);
      client.invalidateQueries({ queryKey: ["record", id] });
      setHours("");
      setReset(false);
    },
  });
  return (
    <section className="sheet grid gap-3" aria-labelledby="meter">
      <h2 id="meter">Hours of use</h2>
      {meter.hours == null ? (
        <p>Its meter was never read: how old its parts are, nobody can tell. Read it once a month.</p>
      ) : (
        <div>
          <p className="font-mono text-[30px] font-semibold">
            {Math.round(meter.hours)} h
            {meter.u95 ? <span className="text-[18px] text-ink2"> ± {Math.max(1, Math.round(meter.u95))}</span> : null}
          </p>
          <p className="text-ink2">
            {meter.estimated ? "Estimated from its use; read" : "Read"} {meter.read_at ? ago(meter.read_at) : ""}
            {meter.a_day != null ? `. About ${meter.a_day.toFixed(1)} h a day` : ""}.
          </p>
        </div>
      )}
      <form
        className="grid gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          const figure = parseFigure(hours);
          setWrong(figure === null ? "Enter what the meter shows, in hours." : "");
          if (figure !== null) read.mutate(figure);
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
