/** After what happens, what may no longer be believed: event by event, as this workshop has it; changed by the lead, and taken back. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, Loading, LongField, TextField } from "../kit/bits";
import { ago } from "../kit/figures";
import { capital, inside } from "../kit/words";
import { atLeast, useMe } from "../session/me";

type Doubts = Schemas["DoubtsOut"];
type Upset = Doubts["events"][number];
type Which = Upset["changed"][number]["field"];

const KEY = ["knowledge", "doubts"];
const FIELDS: [Exclude<Which, "by_hand">, string][] = [
  ["measured", "Measure again"],
  ["lost", "May be forgotten: read back"],
  ["stale", "May no longer fit"],
];

export function DoubtsSheet() {
  const doubts = useQuery({
    queryKey: KEY,
    queryFn: () => got(api.GET("/api/doubts")),
    staleTime: Number.POSITIVE_INFINITY,
  });
  if (!doubts.data)
    return doubts.error ? <ErrorNote error={doubts.error} /> : <Loading what="what puts what in doubt" />;
  return (
    <article className="sheet grid gap-3" aria-labelledby="doubts">
      <div>
        <h1 id="doubts" className="!text-[30px]">
          What puts what in doubt
        </h1>
        <p className="max-w-[42em] text-ink2">
          Whatever is done to a machine takes the word from figures that were true before. By this table the ledger
          doubts, and the way back is planned.
        </p>
      </div>
      <ul className="rows">
        {doubts.data.events.map((u) => (
          <One key={u.event} u={u} doubts={doubts.data} />
        ))}
      </ul>
    </article>
  );
}

function One({ u, doubts }: { u: Upset; doubts: Doubts }) {
  const [open, setOpen] = useState(false);
  const lead = atLeast(useMe(), "lead");
  const said = (field: (typeof FIELDS)[number][0], names: string[]) => {
    const known = field === "measured" ? doubts.measurements : doubts.stored;
    return names.map((n) => inside(known.find((k) => k.name === n)?.words ?? n)).join(", ");
  };
  return (
    <li className="grid gap-1.5 py-3">
      <div className="flex flex-wrap items-baseline justify-between gap-x-4">
        <h2 className="!text-[20px] !text-ink">{capital(u.words)}</h2>
        {u.at ? <span className="text-[15px] text-ink2">only where it was done</span> : null}
      </div>
      {open ? (
        <Form u={u} doubts={doubts} leave={() => setOpen(false)} />
      ) : (
        <>
          <dl className="grid gap-x-4 gap-y-1 sm:grid-cols-[13rem_1fr]">
            {FIELDS.map(([field, label]) =>
              u[field].length ? (
                <div key={field} className="contents">
                  <dt className="text-ink2">{label}</dt>
                  <dd>{said(field, u[field])}</dd>
                </div>
              ) : null,
            )}
            {u.by_hand.length ? (
              <div className="contents">
                <dt className="text-ink2">By hand, first</dt>
                <dd>{u.by_hand.join(" ")}</dd>
              </div>
            ) : null}
          </dl>
          {u.changed.map((c) => (
            <p key={c.field} className="text-[15px] text-ink2">
              <b>Changed here:</b> {TITLE[c.field]}. It came with{" "}
              {c.came.length ? (c.field === "by_hand" ? c.came.join(" ") : said(c.field, c.came)) : "nothing"}. {c.who},{" "}
              {ago(c.at)}
              {c.why ? `: ${c.why}` : ""}
            </p>
          ))}
          {lead ? (
            <div>
              <Button onClick={() => setOpen(true)} aria-label={`Change it: ${u.words}`}>
                Change it
              </Button>
            </div>
          ) : null}
        </>
      )}
    </li>
  );
}

const TITLE: Record<Which, string> = {
  measured: "what is measured again",
  lost: "what may be forgotten",
  stale: "what may no longer fit",
  by_hand: "what is looked at by hand",
};

function Form({ u, doubts, leave }: { u: Upset; doubts: Doubts; leave: () => void }) {
  const client = useQueryClient();
  const [told, setTold] = useState({ measured: u.measured, lost: u.lost, stale: u.stale });
  const [byHand, setByHand] = useState(u.by_hand.join("\n"));
  const [why, setWhy] = useState("");
  const mend = useMutation({
    mutationFn: (body: { mend: Record<string, string[]>; back: Which[] }) =>
      got(
        api.POST("/api/doubts/{event}", {
          params: { path: { event: u.event } },
          body: { mend: body.mend, back: body.back, why },
        }),
      ),
    onSuccess: (all) => {
      client.setQueryData(KEY, all);
      client.invalidateQueries({ queryKey: ["printer"] });
      leave();
    },
  });
  const lines = byHand
    .split("\n")
    .map((l) => l.trim())
    .filter(Boolean);
  const send = () => {
    const all = { ...told, by_hand: lines };
    const other = (Object.keys(all) as Which[]).filter((f) => all[f].join("\n") !== u[f].join("\n"));
    mend.mutate({ mend: Object.fromEntries(other.map((f) => [f, all[f]])), back: [] });
  };
  const turn = (field: keyof typeof told, name: string) =>
    setTold({
      ...told,
      [field]: told[field].includes(name) ? told[field].filter((n) => n !== name) : [...told[field], name],
    });
  return (
    <form
      className="grid gap-3 border-l-[5px] border-line pl-4"
      onSubmit={(e) => {
        e.preventDefault();
        send();
      }}
    >
      {FIELDS.map(([field, label]) => (
        <fieldset key={field}>
          <legend className="font-semibold">{label}</legend>
          <div className="grid gap-x-4 sm:grid-cols-2 xl:grid-cols-3">
            {(field === "measured" ? doubts.measurements : doubts.stored).map((n) => (
              <label key={n.name} className="flex min-h-11 items-center gap-2">
                <input
                  type="checkbox"
                  className="h-5 w-5 accent-[var(--ink)]"
                  checked={told[field].includes(n.name)}
                  onChange={() => turn(field, n.name)}
                />
                {n.words}
              </label>
            ))}
          </div>
        </fieldset>
      ))}
      <LongField
        label="Look at by hand before anything moves"
        hint="A sentence on a line."
        rows={2}
        maxLength={2000}
        value={byHand}
        onText={setByHand}
      />
      <TextField label="Why?" maxLength={300} value={why} onText={setWhy} />
      <ErrorNote error={mend.error} />
      <div className="flex flex-wrap gap-3">
        <Button next type="submit" disabled={mend.isPending}>
          Keep it so for this workshop
        </Button>
        {u.changed.length ? (
          <Button
            disabled={mend.isPending}
            onClick={() => mend.mutate({ mend: {}, back: u.changed.map((c) => c.field) })}
          >
            As it came
          </Button>
        ) : null}
        <Button onClick={leave}>Leave it</Button>
      </div>
    </form>
  );
}
