/** Describing a model in full: it begins as a typical machine of its kinematics, and is checked as one types. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { api, got, type Schemas } from "../api/client";
import type { Texts } from "../bench/Fields";
import { Button, ErrorNote, Field, fieldError, INPUT, Loading, TextField } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import { Sketch } from "../kit/Sketch";
import { capital, KINEMATICS } from "../kit/words";
import { nameOf, type Path, type Told, withValue } from "./draft";
import { type LimitRow, LimitRows, limitRows, limitsOf } from "./Limits";
import { type Remarks, Sheet } from "./Sheet";
import { useShopWrite } from "./shop";

type Kinematics = Schemas["Description"]["kinematics"];
type Model = Schemas["ModelOut"];
type SheetField = Schemas["SheetField"];
type File = { description: Told; limits: Schemas["LimitTold"][] };

/** What is told of a model, or of a typical machine where it is a new one. */
function useTold(model: Model | null, kinematics: Kinematics) {
  return useQuery({
    queryKey: ["told", model?.id ?? kinematics],
    // What is being typed is not overtaken by what was kept.
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 0,
    queryFn: async (): Promise<Told> => {
      if (!model)
        return (await got(api.GET("/api/workshop/typical", { params: { query: { kinematics } } }))).description as Told;
      const file = await got(
        api.GET("/api/workshop/models/{model_id}/file", { params: { path: { model_id: model.id } } }),
      );
      return (file as unknown as File).description;
    },
  });
}

export function ModelForm({
  model,
  kinds,
  leave,
}: {
  model: Model | null;
  kinds: Schemas["LimitKind"][];
  leave: () => void;
}) {
  const [kinematics, setKinematics] = useState<Kinematics>(model?.description.kinematics ?? "bed_slinger");
  const told = useTold(model, kinematics);
  if (!told.data) return told.error ? <ErrorNote error={told.error} /> : <Loading what="the model" />;
  return (
    <Describe
      key={kinematics}
      model={model}
      kinds={kinds}
      begun={told.data}
      kinematics={kinematics}
      onKinematics={setKinematics}
      leave={leave}
    />
  );
}

function Describe({
  model,
  kinds,
  begun,
  kinematics,
  onKinematics,
  leave,
}: {
  model: Model | null;
  kinds: Schemas["LimitKind"][];
  begun: Told;
  kinematics: Kinematics;
  onKinematics: (k: Kinematics) => void;
  leave: () => void;
}) {
  const [name, setName] = useState(model?.name ?? "");
  const [told, setTold] = useState<Told>(begun);
  const [texts, setTexts] = useState<Texts>({});
  const [wrong, setWrong] = useState<Remarks>({});
  const [lit, setLit] = useState<{ place: string | null; note: string }>({ place: null, note: "" });
  const belts = Object.entries((told.transmissions ?? {}) as Record<string, { kind: string }>)
    .filter(([, t]) => t.kind === "belt")
    .map(([place]) => place);
  const [limits, setLimits] = useState<LimitRow[]>(() => limitRows(kinds, belts, model?.limits ?? []));
  const asked = useDeferredValue(told);
  const sheet = useQuery({
    queryKey: ["sheet", JSON.stringify(asked)],
    placeholderData: keepPreviousData,
    queryFn: () => got(api.POST("/api/workshop/sheet", { body: { description: asked } })),
  });
  const save = useShopWrite(
    (body: Schemas["ModelIn"]) =>
      model
        ? got(api.PUT("/api/workshop/models/{model_id}", { params: { path: { model_id: model.id } }, body }))
        : got(api.POST("/api/workshop/models", { body })),
    leave,
  );
  const remarks: Remarks = Object.fromEntries((sheet.data?.remarks ?? []).map((r) => [nameOf(r.path), r]));
  const error = save.error ?? sheet.error;

  function type(f: SheetField, text: string) {
    const at = nameOf(f.path);
    setTexts((t) => ({ ...t, [at]: text }));
    const value =
      f.kind === "figure"
        ? parseFigure(text)
        : f.kind === "yes_no"
          ? text === "true"
          : f.kind === "choice" && (text === "true" || text === "false")
            ? text === "true"
            : text;
    const empty = !text.trim();
    setWrong((w) => {
      const { [at]: _, ...rest } = w;
      return value === null && !empty
        ? { ...rest, [at]: { words: `“${text.trim()}” is not a figure.`, grave: true } }
        : rest;
    });
    if (empty) setTold((d) => withValue(d, f.path, undefined));
    else if (value !== null) setTold((d) => named(withValue(d, f.path, value), f.path));
  }
  const rows = (change: (d: Told) => Told) => {
    // Rows move up: what was typed in them stands in the description already.
    setTexts({});
    setTold(change);
  };
  const [limitWrong, setLimitWrong] = useState<Record<string, string>>({});
  return (
    <form
      className="sheet grid gap-5"
      onSubmit={(e) => {
        e.preventDefault();
        const found = limitsOf(limits, model?.limits ?? [], kinds);
        setLimitWrong(found.wrong);
        if (Object.keys(found.wrong).length || Object.keys(wrong).length) return;
        const description = told as unknown as Schemas["ModelIn"]["description"];
        save.mutate({ name, notes: model?.notes ?? "", limits: found.limits, description });
      }}
    >
      <div className="grid items-start gap-4 sm:grid-cols-[1fr_230px]">
        <div className="grid gap-3">
          <TextField
            label="Name of the model"
            error={fieldError(save.error, "name")}
            value={name}
            required
            maxLength={60}
            onText={setName}
          />
          <Field label="How it moves">
            {(id) => (
              <select
                id={id}
                className={INPUT}
                value={kinematics}
                disabled={model !== null}
                onChange={(e) => onKinematics(e.target.value as Kinematics)}
              >
                {Object.entries(KINEMATICS).map(([value, words]) => (
                  <option key={value} value={value}>
                    {words}
                  </option>
                ))}
              </select>
            )}
          </Field>
          <p>
            It begins as a typical machine of its kind. A name and the free span of each belt are enough to measure;
            what else you tell is reckoned with, and what you leave is shown as typical.
          </p>
        </div>
        <div className="sticky top-4 grid gap-1">
          <Sketch description={told as unknown as Schemas["Description"]} lit={lit.place} note={lit.note} />
        </div>
      </div>
      {sheet.data ? (
        <Sheet
          sections={sheet.data.sections}
          texts={texts}
          error={error}
          remarks={{ ...remarks, ...wrong }}
          onText={type}
          onAdd={(at, blank) => rows((d) => withValue(d, at, blank))}
          onRemove={(path) => rows((d) => withValue(d, path, undefined))}
          onEnter={(s) => setLit({ place: s.lit, note: s.note })}
        />
      ) : (
        <Loading what="the figures" />
      )}
      <LimitRows rows={limits} wrong={limitWrong} onChange={setLimits} />
      {sheet.data?.lacks.length ? (
        <details className="border-t border-hair pt-2">
          <summary className="min-h-11 cursor-pointer py-2 font-semibold">
            What {sheet.data.lacks.length} measurements would still ask each time
          </summary>
          <ul className="rows">
            {sheet.data.lacks.map((l) => (
              <li key={l.procedure} className="py-1.5">
                <b>{capital(l.words)}</b> ({l.places.join(", ").toUpperCase()}): {l.lacks.join(", ").toLowerCase()}
              </li>
            ))}
          </ul>
        </details>
      ) : null}
      <ErrorNote error={error} />
      <div className="flex gap-3">
        <Button next type="submit" disabled={save.isPending}>
          Keep the model
        </Button>
        <Button onClick={leave}>Back</Button>
      </div>
    </form>
  );
}

/** A run whose length is told is called something. */
function named(told: Told, path: Path): Told {
  const at = path.slice(0, -1);
  if (path[path.length - 1] !== "span_mm") return told;
  const span = at.reduce<unknown>((node, key) => (node as Record<string | number, unknown>)?.[key], told) as Told;
  return span.name ? told : withValue(told, [...at, "name"], "free span");
}
