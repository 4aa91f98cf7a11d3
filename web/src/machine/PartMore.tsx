/** Of which type a part is, and moving it to the same position of another machine. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, Field, fieldError, INPUT } from "../kit/bits";

type Here = Schemas["ComponentsHere"];
type Elsewhere = Schemas["Elsewhere"];
type Props = { id: number; p: Here["parts"][number]; types: Here["types"] };

export function PartMore({ id, p, types }: Props) {
  return (
    <div className="grid gap-4 pb-2">
      <TypeOf id={id} p={p} types={types} />
      {p.can.includes("replace") ? <MoveIt id={id} p={p} /> : null}
    </div>
  );
}

function TypeOf({ id, p, types }: Props) {
  const client = useQueryClient();
  const set = useMutation({
    mutationFn: (type_id: number | null) =>
      got(
        api.POST("/api/components/{component_id}/type", {
          params: { path: { component_id: p.id } },
          body: { type_id },
        }),
      ),
    onSuccess: (here) => {
      client.setQueryData(["printer", id, "components"], here);
      client.invalidateQueries({ queryKey: ["components", p.id] });
    },
  });
  if (!types.length)
    return (
      <p>
        No type of such a part is kept yet. <Link to="/stores">Types of parts</Link>
      </p>
    );
  return (
    <div className="max-w-[34em]">
      <Field label="It is of the type" error={fieldError(set.error, "type_id")}>
        {(fid) => (
          <select
            id={fid}
            className={INPUT}
            disabled={set.isPending}
            value={p.type?.id ?? ""}
            onChange={(e) => set.mutate(e.target.value ? Number(e.target.value) : null)}
          >
            <option value="">not told</option>
            {types.map((t) => (
              <option key={t.id} value={t.id}>
                {t.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <ErrorNote error={set.error} />
    </div>
  );
}

/** What sits there, in words: how old, of which type, in trouble or not. */
export function sitting(e: Elsewhere): string {
  const age = e.hours === null ? "age not known" : `${e.estimated ? "about " : ""}${Math.round(e.hours)} h`;
  return [e.type, age, e.trouble && `trouble: ${e.trouble}`].filter(Boolean).join(", ");
}

function MoveIt({ id, p }: Omit<Props, "types">) {
  const client = useQueryClient();
  const [to, setTo] = useState<number | null>(null);
  const rows = useQuery({
    queryKey: ["components", p.id, "elsewhere"],
    queryFn: () =>
      got(api.GET("/api/components/{component_id}/elsewhere", { params: { path: { component_id: p.id } } })),
  });
  const move = useMutation({
    mutationFn: (other: number) =>
      got(
        api.POST("/api/components/{component_id}/move", {
          params: { path: { component_id: p.id } },
          body: { to: other },
        }),
      ),
    onSuccess: () => {
      client.invalidateQueries({ queryKey: ["printer"] });
      client.invalidateQueries({ queryKey: ["components"] });
      client.invalidateQueries({ queryKey: ["record", id] });
    },
  });
  if (!rows.data) return <ErrorNote error={rows.error} />;
  if (!rows.data.length) return <p>No other machine has a part in this position.</p>;
  const chosen = rows.data.find((e) => e.id === to);
  return (
    <fieldset className="grid max-w-[34em] gap-2">
      <legend className="font-semibold">Move it to another machine</legend>
      {rows.data.map((e) => (
        <label key={e.id} className="flex min-h-11 cursor-pointer items-center gap-3">
          <input
            type="radio"
            name={`move-${p.id}`}
            className="h-5 w-5"
            checked={to === e.id}
            onChange={() => setTo(e.id)}
          />
          <span>
            <b>{e.printer}</b> <span className="text-ink2">{sitting(e)}</span>
          </span>
        </label>
      ))}
      {chosen ? (
        <>
          <p>
            What sits on {chosen.printer} now is taken out, and the position here stands empty. The hours of this part
            go with it; on both machines what the change puts in doubt follows.
          </p>
          <Button next className="justify-self-start" disabled={move.isPending} onClick={() => move.mutate(chosen.id)}>
            It sits on {chosen.printer} now
          </Button>
        </>
      ) : null}
      <ErrorNote error={move.error} />
    </fieldset>
  );
}
