/** The parts that a workshop can fit: their types by kind, with what is known of each. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, Field, fieldError, INPUT, Loading, TextField, useTitle } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import { atLeast, useMe } from "../session/me";

type Kinds = Schemas["KindsOut"];
type Type = Kinds["types"][number];

const KEY = ["part-types"];

export function StoresPage() {
  const lead = atLeast(useMe(), "lead");
  const kinds = useQuery({ queryKey: KEY, queryFn: () => got(api.GET("/api/part-types")) });
  useTitle("Types of parts");
  if (!kinds.data) return kinds.error ? <ErrorNote error={kinds.error} /> : <Loading what="the types of parts" />;
  const { types, kinds: words } = kinds.data;
  return (
    <section className="sheet mx-auto grid max-w-4xl gap-4" aria-labelledby="types">
      <div>
        <h1 id="types">Types of parts</h1>
        <p className="mt-1 max-w-[44em] text-ink2">
          What can be fitted. A life of this workshop's own goes before the typical one of its kind.
        </p>
      </div>
      {types.length ? (
        <ul className="rows">
          {types.map((t) => (
            <TypeRow key={t.id} t={t} kind={words[t.kind] ?? t.kind} />
          ))}
        </ul>
      ) : (
        <p>No type of part is kept yet.</p>
      )}
      {lead ? <AddType words={words} /> : null}
    </section>
  );
}

function TypeRow({ t, kind }: { t: Type; kind: string }) {
  return (
    <li className="flex flex-wrap items-baseline gap-x-5 gap-y-1 py-2.5">
      <span className="flex-1">
        <b className="text-[18px]">{t.name}</b> <span className="text-ink2">{kind}</span>
        {t.lubricant || t.notes ? (
          <span className="block text-ink2">{[t.lubricant, t.notes].filter(Boolean).join(" ")}</span>
        ) : null}
      </span>
      <span className="font-mono">{t.life_hours === null ? "life typical" : `${Math.round(t.life_hours)} h`}</span>
    </li>
  );
}

function AddType({ words }: { words: Kinds["kinds"] }) {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [kind, setKind] = useState("");
  const [life, setLife] = useState("");
  const [lubricant, setLubricant] = useState("");
  const [notes, setNotes] = useState("");
  const hours = life.trim() ? parseFigure(life) : null;
  const wrong =
    life.trim() && (hours === null || hours <= 0) ? "Enter hours above zero, or leave it empty." : undefined;
  const add = useMutation({
    mutationFn: () => got(api.POST("/api/part-types", { body: { name, kind, life_hours: hours, lubricant, notes } })),
    onSuccess: (now) => {
      client.setQueryData(KEY, now);
      for (const empty of [setName, setKind, setLife, setLubricant, setNotes]) empty("");
    },
  });
  return (
    <details>
      <summary className="min-h-11 cursor-pointer py-2 font-semibold">Add a type</summary>
      <form
        className="grid max-w-[34em] gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (!wrong) add.mutate();
        }}
      >
        <TextField
          label="Name"
          hint="As you would order it."
          required
          minLength={2}
          maxLength={80}
          value={name}
          error={fieldError(add.error, "name")}
          onText={setName}
        />
        <Field label="It is a" error={fieldError(add.error, "kind")}>
          {(fid) => (
            <select id={fid} className={INPUT} required value={kind} onChange={(e) => setKind(e.target.value)}>
              <option value="">choose</option>
              {Object.entries(words)
                .sort((a, b) => a[1].localeCompare(b[1]))
                .map(([id, label]) => (
                  <option key={id} value={id}>
                    {label}
                  </option>
                ))}
            </select>
          )}
        </Field>
        <TextField
          label="Its life here, h"
          hint="Empty: typical of its kind."
          figure
          maxLength={12}
          value={life}
          error={wrong ?? fieldError(add.error, "life_hours")}
          onText={setLife}
        />
        <TextField
          label="Lubricated with"
          hint="Empty: by its material."
          maxLength={200}
          value={lubricant}
          onText={setLubricant}
        />
        <TextField label="Notes" maxLength={400} value={notes} onText={setNotes} />
        <ErrorNote error={add.error} />
        <Button next type="submit" className="justify-self-start" disabled={add.isPending}>
          Add it
        </Button>
      </form>
    </details>
  );
}
