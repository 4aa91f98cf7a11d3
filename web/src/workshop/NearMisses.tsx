/** What nearly hurt somebody: told without a name, read and answered by the lead. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Button, Caution, ErrorNote, fieldError, LongField, TextField, useTitle } from "../kit/bits";
import { ago } from "../kit/figures";
import { useDraft } from "../kit/useDraft";
import { atLeast, useMe } from "../session/me";

const KEY = ["near-misses"];

export function NearMisses() {
  useTitle("Near misses");
  const me = useMe();
  return (
    <div className="mx-auto grid max-w-3xl gap-4">
      <Tell />
      {atLeast(me, "technician") ? <Told lead={atLeast(me, "lead")} /> : null}
    </div>
  );
}

function Tell() {
  const client = useQueryClient();
  const [asked] = useSearchParams();
  const machine = Number(asked.get("machine")) || null;
  const [draft, setDraft, clear] = useDraft("near miss", { words: "", hurt: false });
  const tell = useMutation({
    mutationFn: () => got(api.POST("/api/near-misses", { body: { ...draft, printer_id: machine } })),
    onSuccess: () => {
      clear();
      client.invalidateQueries({ queryKey: KEY });
    },
  });
  return (
    <form
      className="sheet grid gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        tell.mutate();
      }}
    >
      <h1 className="!text-[26px]">Tell of a near miss</h1>
      <p className="max-w-[40em]">
        A blade that slipped, a burnt hand, sparks, fingers nearly caught. No name is kept with it, yours or another's;
        it is read so that it does not happen again.
      </p>
      {draft.hurt ? (
        <Caution>Look after who is hurt first, and call for help. What happened can be told later.</Caution>
      ) : null}
      <LongField
        label="What happened?"
        error={fieldError(tell.error, "words")}
        value={draft.words}
        onText={(words) => setDraft({ ...draft, words })}
      />
      <label className="flex min-h-11 items-center gap-3">
        <input
          type="checkbox"
          className="h-5 w-5 accent-[var(--ink)]"
          checked={draft.hurt}
          onChange={(e) => setDraft({ ...draft, hurt: e.target.checked })}
        />
        Somebody was hurt
      </label>
      <ErrorNote error={tell.error} />
      {tell.isSuccess && !draft.words ? <p role="status">Written down. Thank you.</p> : null}
      <Button
        type="submit"
        next
        className="justify-self-start"
        disabled={tell.isPending || draft.words.trim().length < 3}
      >
        Tell it
      </Button>
    </form>
  );
}

function Told({ lead }: { lead: boolean }) {
  const rows = useQuery({ queryKey: KEY, queryFn: () => got(api.GET("/api/near-misses")) });
  if (!rows.data) return <ErrorNote error={rows.error} />;
  return (
    <section className="sheet" aria-labelledby="told">
      <h2 id="told">What was told</h2>
      {rows.data.length ? null : <p>Nothing yet.</p>}
      <ul className="rows">
        {rows.data.map((n) => (
          <One key={n.id} n={n} lead={lead} />
        ))}
      </ul>
    </section>
  );
}

function One({ n, lead }: { n: Schemas["NearMissOut"]; lead: boolean }) {
  const client = useQueryClient();
  const [words, setWords] = useState(n.answer);
  const answer = useMutation({
    mutationFn: () =>
      got(api.POST("/api/near-misses/{near_miss_id}", { params: { path: { near_miss_id: n.id } }, body: { words } })),
    onSuccess: (rows) => {
      client.setQueryData(KEY, rows);
      client.invalidateQueries({ queryKey: ["floor"] });
    },
  });
  return (
    <li className="grid gap-2 py-3">
      <p className="whitespace-pre-wrap">{n.words}</p>
      <p className="text-[15px] text-ink2">
        {n.hurt ? <b className="text-ink">Somebody was hurt. </b> : null}
        {n.printer ? `At ${n.printer}, ` : ""}
        <time title={new Date(n.at).toLocaleString()}>{ago(n.at)}</time>
        {n.read_at ? "" : ". Not read yet"}
      </p>
      {n.answer && !lead ? (
        <p>
          <b>Done about it:</b> {n.answer}
        </p>
      ) : null}
      {lead ? (
        <form
          className="flex flex-wrap items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            answer.mutate();
          }}
        >
          <div className="min-w-64 flex-1">
            <TextField label="What was done about it?" maxLength={400} value={words} onText={setWords} />
          </div>
          <Button type="submit" disabled={answer.isPending}>
            {n.read_at ? "Change it" : "I have read it"}
          </Button>
        </form>
      ) : null}
      <ErrorNote error={answer.error} />
    </li>
  );
}
