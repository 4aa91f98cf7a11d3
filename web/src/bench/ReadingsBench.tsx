/** Procedures whose readings are typed. One page; what differs between them is data (forms.tsx). */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, got, newKey, type Schemas, send } from "../api/client";
import { Button, Caution, Choices, ErrorNote, Field, INPUT, Loading, Steps } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import { ReadingsField, type Row } from "../kit/ReadingsField";
import { Sketch } from "../kit/Sketch";
import { Answer, WayBack } from "./Answer";
import { useBench } from "./BenchStart";
import { type Bench, FORMS, type Form } from "./forms";
import { InstrumentChoice, rememberedInstrument } from "./InstrumentChoice";

export function ReadingsBench() {
  const params = useParams();
  const id = Number(params.id);
  const form = FORMS[`${params.procedure}:${params.place}`] ?? FORMS[params.procedure ?? ""];
  const bench = useBench(id);
  if (!form)
    return (
      <div className="sheet max-w-xl">
        <h1>There is no such measurement</h1>
        <Link to={`/bench/${id}`}>What can be measured here</Link>
      </div>
    );
  if (!bench.data) return bench.error ? <ErrorNote error={bench.error} /> : <Loading what="the bench" />;
  return (
    <Readings
      key={`${params.procedure}${params.place}`}
      form={form}
      procedure={params.procedure!}
      place={params.place!}
      id={id}
      bench={bench.data}
    />
  );
}

function Readings({
  form,
  procedure,
  place: asked,
  id,
  bench,
}: {
  form: Form;
  procedure: string;
  place: string;
  id: number;
  bench: Bench;
}) {
  const client = useQueryClient();
  const [search] = useSearchParams();
  const caseId = search.get("case") ? Number(search.get("case")) : null;
  // Which wall is asked; what it shows is worked out and said.
  const [wall, setWall] = useState(() => bench.walls.find((w) => w.axis === asked) ?? bench.walls[0]!);
  const place = form.byWall ? wall.axis : asked;
  const belt = bench.belts.find((b) => b.place === place);
  const store = `readings-${id}-${procedure}-${asked}`;
  // Typed readings outlive a reload and a dropped network.
  const [rows, setRows] = useState<Row[]>(() => JSON.parse(sessionStorage.getItem(store) ?? "[]"));
  const kept = `settings-${id}-${procedure}-${asked}`;
  const [texts, setTexts] = useState<Record<string, string>>(() => {
    const before = JSON.parse(localStorage.getItem(kept) ?? "{}");
    return Object.fromEntries(
      form.settings.map((s) => [
        s.name,
        (s.remember ? before[s.name] : undefined) ?? s.start?.(belt, bench, place) ?? s.choice?.[0]?.[0] ?? "",
      ]),
    );
  });
  const [key, setKey] = useState(newKey);
  const [instrument, setInstrument] = useState(() => rememberedInstrument(bench.instruments, form.instruments));
  useEffect(() => sessionStorage.setItem(store, JSON.stringify(rows)), [rows, store]);
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: id } } })),
  });
  const shown = form.settings.filter((s) => !s.when || texts[s.when[0]] === s.when[1]);
  const settings = Object.fromEntries(
    shown.filter((s) => !s.choice).map((s) => [s.name, parseFigure(texts[s.name] ?? "") ?? undefined]),
  );
  const missing = shown.find((s) => !s.optional && !s.choice && settings[s.name] === undefined);
  const practice = useMutation({
    mutationFn: () =>
      got(
        api.GET("/api/printers/{printer_id}/practice-readings", {
          params: {
            path: { printer_id: id },
            query: { procedure, place: place === "all" ? "x" : place, seed: Math.floor(Math.random() * 900) },
          },
        }),
      ),
    onSuccess: (read) => {
      const figures = (r: Record<string, number | string>) =>
        Object.fromEntries(Object.entries(r).map(([k, v]) => [k, Number(v)]));
      const given = { ...read.settings, ...(form.columns.length ? {} : read.rows[0]) };
      setTexts((t) => ({ ...t, ...Object.fromEntries(Object.entries(given).map(([k, v]) => [k, String(v)])) }));
      if (form.columns.length) setRows(read.rows.map(figures));
    },
  });
  const compute = useMutation({
    mutationFn: () => {
      if (missing) throw new Error(`${missing.label}: ${missing.hint} Enter a figure.`);
      const body = JSON.stringify({
        id: key,
        place,
        case_id: caseId,
        instrument_id: instrument,
        circumstances: {},
        context: form.context(rows, settings, place, belt, bench, texts),
      });
      return send<Schemas["CaptureOut"]>(`/api/printers/${id}/${procedure}`, body, key, "application/json");
    },
    onSuccess: () => {
      sessionStorage.removeItem(store);
      localStorage.setItem(kept, JSON.stringify(texts));
      client.invalidateQueries();
    },
    // Another try after a correction is another capture.
    onError: (e) => "status" in e && e.status !== 0 && setKey(newKey()),
  });
  const capture = compute.data;
  return (
    <div className="grid items-start gap-5 lg:grid-cols-2">
      <section className="sheet grid gap-4">
        <h1>
          {bench.printer}: {form.title(place)}
        </h1>
        <div className="grid gap-4 sm:grid-cols-[180px_1fr]">
          {printer.data ? (
            <Sketch
              description={printer.data.description}
              lit={belt && !form.byWall ? place : null}
              note={form.how[0]}
              plain={!belt}
              wall={form.byWall ? wall.runs : null}
            />
          ) : null}
          <Steps lines={form.how} />
        </div>
        <Caution>{form.caution}</Caution>
        {form.byWall ? (
          <div className="grid gap-2">
            <Choices
              label="Which wall carries the ripples?"
              options={bench.walls.map((w) => ({
                value: w.runs,
                label: w.runs === "x" ? "It runs left to right (X)" : "It runs front to back (Y)",
              }))}
              value={wall.runs}
              onChange={(runs) => setWall(bench.walls.find((w) => w.runs === runs)!)}
            />
            <p className="text-[17px]">{wall.words}</p>
          </div>
        ) : null}
        <div className="grid gap-3 sm:grid-cols-3">
          <InstrumentChoice
            instruments={bench.instruments}
            kinds={form.instruments}
            value={instrument}
            onChange={setInstrument}
          />
          {shown.map((s) => (
            <Field key={s.name} label={s.label} hint={s.hint}>
              {(fid, note) =>
                s.choice ? (
                  <select
                    id={fid}
                    aria-describedby={note}
                    className={INPUT}
                    value={texts[s.name]}
                    onChange={(e) => setTexts({ ...texts, [s.name]: e.target.value })}
                  >
                    {s.choice.map(([value, label]) => (
                      <option key={value} value={value}>
                        {label}
                      </option>
                    ))}
                  </select>
                ) : (
                  <input
                    id={fid}
                    aria-describedby={note}
                    inputMode="decimal"
                    className={`${INPUT} font-mono`}
                    value={texts[s.name]}
                    onChange={(e) => setTexts({ ...texts, [s.name]: e.target.value })}
                  />
                )
              }
            </Field>
          ))}
        </div>
        {capture ? null : form.before?.(place)}
        {capture || !form.columns.length ? null : (
          <ReadingsField
            columns={form.columns.map((c) => ({ ...c, expect: form.expect?.(c.name, settings) }))}
            rows={rows}
            onChange={setRows}
            watch={form.watch}
          />
        )}
        {capture || !bench.simulated || !form.practice ? null : (
          <Button className="justify-self-start" disabled={practice.isPending} onClick={() => practice.mutate()}>
            Read the simulated machine
          </Button>
        )}
        <ErrorNote error={compute.error ?? practice.error} />
        {capture ? (
          <Button
            className="justify-self-start"
            onClick={() => {
              compute.reset();
              setRows([]);
              setKey(newKey());
            }}
          >
            Measure again
          </Button>
        ) : (
          <Button
            next={rows.length >= form.least}
            className="justify-self-start"
            disabled={rows.length < form.least || compute.isPending}
            onClick={() => compute.mutate()}
          >
            Work it out
          </Button>
        )}
      </section>
      <section className="sheet grid gap-4" aria-live="polite">
        {capture ? (
          <Answer
            capture={capture}
            bench={bench}
            title={form.heading?.(capture.found)}
            query={caseId ? `?case=${caseId}` : ""}
          >
            {form.after?.(capture, bench)}
          </Answer>
        ) : (
          <>
            <h2>Result</h2>
            <p>
              {!form.columns.length
                ? "Fill in the figures; it is worked out at once."
                : rows.length < form.least
                  ? `Enter ${form.least === 1 ? "a reading" : `${form.least} readings`} or more.`
                  : "Ready to be worked out. More readings make it surer."}
            </p>
          </>
        )}
        <WayBack caseId={caseId} bench={bench} />
      </section>
    </div>
  );
}
