/** One measurement at a place of a machine: made from its card, from what it asks for and where that is known. */

import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, Navigate, useParams, useSearchParams } from "react-router";
import { api, got } from "../api/client";
import {
  Button,
  Caution,
  Choices,
  ErrorNote,
  FilePick,
  Loading,
  Steps,
  TABLES,
  TextField,
  useTitle,
} from "../kit/bits";
import { parseFigure, sentence } from "../kit/figures";
import { ReadingsField, type Row } from "../kit/ReadingsField";
import { Sketch } from "../kit/Sketch";
import { KeptNote } from "../offline/KeptNote";
import { Company } from "../practice/Company";
import { useMe } from "../session/me";
import { WorkLine } from "../work/WorkLine";
import { Answer, WayBack } from "./Answer";
import { useBench } from "./BenchStart";
import { type Bench, type Drawing, drawingOf, type Planned } from "./drawing";
import { type Asked, Fields, type Texts } from "./Fields";
import { GridPaste } from "./GridPaste";
import { InstrumentChoice, rememberedInstrument } from "./InstrumentChoice";
import { Moves } from "./Moves";
import { PartOf } from "./Parts";
import { PhotoRuler } from "./PhotoRuler";
import { beltsPath } from "./paths";
import { TableReader } from "./TableReader";
import { Sets, Turning } from "./Turning";
import { expected, movesOf, type Page, shared, type Taking, useTaking } from "./useTaking";

const NO_PLAN: Planned[] = [];

/** What each reading is of: by the places of the test part, or the order of the moves; null where that is free. */
function planOf(page: Page, drawing: Drawing, moves: Texts): Planned[] | null {
  if (page.planned.length) return page.planned;
  return page.program && drawing.plan ? drawing.plan(movesOf(page.program, moves)) : null;
}

/** A part of the workshop's own whose places are measured, where the address names one. */
const partOf = (search: URLSearchParams) => Number(search.get("part")) || null;

function usePage(id: number, procedure: string, place: string, instrument: number | null, part: number | null) {
  return useQuery({
    queryKey: ["bench-page", id, procedure, place, instrument, part],
    // The page stays while another instrument's figures come.
    placeholderData: keepPreviousData,
    queryFn: () =>
      got(
        api.GET("/api/printers/{printer_id}/bench/{procedure}/{place}", {
          params: { path: { printer_id: id, procedure, place }, query: { instrument_id: instrument, part } },
        }),
      ),
  });
}

export function BenchPage() {
  const params = useParams();
  const [search] = useSearchParams();
  const id = Number(params.id);
  const { procedure = "", place = "" } = params;
  const bench = useBench(id);
  const page = usePage(id, procedure, place, null, partOf(search));
  useTitle(bench.data && page.data && `${bench.data.printer}: ${page.data.card.heading}`);
  if (page.error)
    return (
      <div className="sheet grid max-w-xl gap-3">
        <h1>There is no such measurement</h1>
        <ErrorNote error={page.error} />
        <Link to={`/bench/${id}`}>What can be measured here</Link>
      </div>
    );
  if (!bench.data || !page.data)
    return bench.error ? <ErrorNote error={bench.error} /> : <Loading what="the measurement" />;
  if (page.data.rounds) return <Navigate to={beltsPath(id, place, search.size ? `?${search}` : "")} replace />;
  return <Measure key={`${procedure}${place}${partOf(search) ?? ""}`} id={id} asked={page.data} bench={bench.data} />;
}

function Measure({ id, asked, bench }: { id: number; asked: Page; bench: Bench }) {
  const [search] = useSearchParams();
  const client = useQueryClient();
  const caseId = search.get("case") ? Number(search.get("case")) : null;
  const query = caseId ? `?case=${caseId}` : "";
  const part = partOf(search);
  const drawing = drawingOf(asked.procedure);
  const [instrument, setInstrument] = useState(() => rememberedInstrument(asked.instruments));
  // Which wall is asked; what it shows is worked out and said.
  const [wall, setWall] = useState(() => bench.walls.find((w) => w.axis === asked.place) ?? bench.walls[0]);
  const place = asked.by_wall && wall ? wall.axis : asked.place;
  const page = usePage(id, asked.procedure, place, instrument, part).data ?? asked;
  const taking = useTaking({
    id,
    printer: bench.printer,
    page,
    caseId,
    store: `readings-${id}-${asked.procedure}-${asked.place}${part ? `-${part}` : ""}`,
    plan: (moves) => planOf(page, drawing, moves) ?? NO_PLAN,
  });
  const [anew, setAnew] = useState(false);
  const last = bench.last.find((l) => l.procedure === page.procedure && l.place === place);
  const asked_ = search.get("capture");
  const lastId = drawing.opensWithLast && !anew && !taking.capture ? (asked_ ?? last?.capture_id ?? null) : null;
  const before = useQuery({
    queryKey: ["capture", lastId],
    enabled: lastId !== null,
    queryFn: () => got(api.GET("/api/captures/{capture_id}", { params: { path: { capture_id: lastId! } } })),
  });
  const capture = taking.capture ?? (lastId ? before.data : undefined);
  const measureAgain = () => {
    setAnew(true);
    taking.again(drawing.goesOn !== undefined);
    client.invalidateQueries({ queryKey: ["bench-page", id] });
  };
  const again = (
    <Button className="justify-self-start" onClick={measureAgain}>
      {drawing.goesOn ?? (page.live ? "Record again" : "Measure again")}
    </Button>
  );
  const setOf = { bench, procedure: page.procedure, place, caseId };
  const answer = capture ? (
    <Answer capture={capture} bench={bench} query={query} next={page.next} drawing={drawing}>
      {page.turned ? <Turning {...setOf} capture={capture} onAgain={measureAgain} /> : null}
    </Answer>
  ) : null;
  if (capture && drawing.Beside)
    return (
      <div className="grid items-start gap-5 lg:grid-cols-[minmax(0,440px)_minmax(0,1fr)]">
        <section className="sheet grid gap-3" aria-live="polite">
          <p className="text-[17px] font-semibold">
            {bench.printer}: {page.card.heading}
          </p>
          {answer}
          {again}
          <WayBack caseId={caseId} bench={bench} />
        </section>
        <drawing.Beside key={capture.id} capture={capture} bench={bench} query={query} />
      </div>
    );
  if (lastId && !before.data && !before.error) return <Loading what="the last record" />;
  return (
    <div className="grid items-start gap-5 lg:grid-cols-2">
      <section className="sheet grid gap-4">
        <h1>
          {bench.printer}: {page.card.heading}
        </h1>
        {part ? null : (
          <How id={id} page={page} bench={bench} drawing={drawing} wall={page.by_wall ? (wall?.runs ?? null) : null} />
        )}
        <PartOf id={id} procedure={page.procedure} now={taking.rows.length} />
        <Caution>{page.card.caution}</Caution>
        <Company kind="procedure" name={page.procedure} />
        {page.by_wall && wall ? (
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
        {drawing.Before && page.readings ? <drawing.Before bench={bench} place={place} query={query} /> : null}
        <Given
          page={page}
          taking={taking}
          instrument={instrument}
          onInstrument={setInstrument}
          locked={!!capture || taking.kept !== null}
        />
        {taking.kept ? <KeptNote id={taking.kept} /> : null}
        {capture || taking.kept ? (
          again
        ) : (
          <Take id={id} page={page} bench={bench} taking={taking} drawing={drawing} instrument={instrument} />
        )}
      </section>
      <section className={`sheet grid gap-4 ${capture ? "" : "lg:sticky lg:top-4"}`} aria-live="polite">
        {answer ?? (
          <>
            <h2 className="!text-[19px] !text-ink">
              {page.readings ? "Result" : page.data ? "Before you believe it" : "Result"}
            </h2>
            <Waiting page={page} taking={taking} drawing={drawing} />
            {page.card.notes.map((words) => (
              <p key={words}>{words}</p>
            ))}
            {drawing.Before && !page.readings ? <drawing.Before bench={bench} place={place} query={query} /> : null}
          </>
        )}
        {page.turned ? <Sets {...setOf} /> : null}
        <WayBack caseId={caseId} bench={bench} />
      </section>
    </div>
  );
}

/** How it is done: on the sketch, in steps, with what it takes. */
function How({
  id,
  page,
  bench,
  drawing,
  wall,
}: {
  id: number;
  page: Page;
  bench: Bench;
  drawing: Drawing;
  wall: "x" | "y" | null;
}) {
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: id } } })),
  });
  const on = drawing.sketch?.(page.place) ?? {};
  const belt = bench.belts.some((b) => b.place === page.place) && !wall && !on.wall;
  return (
    <>
      <p className="text-[15px] text-ink2">
        About {page.card.minutes} min; {page.card.state}; {page.card.needs.join(", ")}.
      </p>
      <div className="grid gap-4 sm:grid-cols-[160px_1fr]">
        {printer.data ? (
          <Sketch
            description={printer.data.description}
            lit={belt ? page.place : null}
            note={on.note ?? page.card.how[0]}
            plain={!belt}
            wall={wall ?? on.wall ?? null}
          />
        ) : null}
        <Steps lines={page.card.how} />
      </div>
    </>
  );
}

type Parts = { page: Page; taking: Taking };

/** The figures that are told, and the instrument they are read with. */
function Given({
  page,
  taking,
  instrument,
  onInstrument,
  locked,
}: Parts & { instrument: number | null; onInstrument: (id: number | null) => void; locked: boolean }) {
  const moves = shared(page);
  const mine = page.fields.filter((f) => !moves.includes(f.name));
  return (
    <div className="grid gap-3 sm:grid-cols-3">
      <InstrumentChoice fitting={page.instruments} value={instrument} onChange={onInstrument} />
      <Fields fields={mine.filter((f) => !f.more)} {...told(page, taking, instrument)} locked={locked} />
    </div>
  );
}

const told = (page: Page, taking: Taking, instrument: number | null) => ({
  texts: taking.texts,
  onText: taking.setText,
  error: taking.error,
  instrument: page.instruments.find((i) => i.id === instrument)?.name,
});

/** Under a fold: what is seldom told otherwise. What is refused there is not hidden by it. */
function More({ page, taking, instrument }: Parts & { instrument: number | null }) {
  const more = page.fields.filter((f) => f.more);
  if (!more.length) return null;
  return (
    <details className="border-y border-hair py-2" open={more.some((f) => isAt(taking.error, f)) || undefined}>
      <summary className="min-h-11 cursor-pointer py-2 font-semibold">What else counts, and where it is from</summary>
      <div className="grid gap-3 py-2 sm:grid-cols-3">
        <MoreFields all={page.fields} fields={more} {...told(page, taking, instrument)} />
      </div>
    </details>
  );
}

/** Fields under the fold may hang on a choice above it. */
function MoreFields({ all, fields, ...rest }: { all: Asked[] } & Parameters<typeof Fields>[0]) {
  const standingSo = fields.filter((f) => {
    const other = all.find((o) => o.name === f.when);
    return !other || f.when_is.includes(rest.texts[other.name] ?? String(other.value ?? ""));
  });
  return <Fields fields={standingSo} {...rest} />;
}

const isAt = (error: unknown, f: Asked) =>
  error instanceof Error && "field" in error && String(error.field).split(".").includes(f.name);

/** Readings typed row by row, photographed, from a file, from an instrument, or from a simulated machine. */
function Take({
  id,
  page,
  bench,
  taking,
  drawing,
  instrument,
}: Parts & { id: number; bench: Bench; drawing: Drawing; instrument: number | null }) {
  const [byPhoto, setByPhoto] = useState(false);
  const [also, setAlso] = useState(false);
  const plan = planOf(page, drawing, taking.moves);
  const seen = taking.rows.length + taking.photos.length;
  const enough = !page.readings || (plan ? seen >= Math.min(4, plan.length) : seen >= page.readings.least);
  const onNetwork = page.live === "accelerometer" && page.instruments.some((i) => i.id === instrument && i.on_network);
  const typed = page.readings !== null || page.data === null;
  const simulated = page.practice === "record";
  return (
    <>
      {page.photo.length ? (
        <Choices
          label="How is the spacing measured?"
          options={[
            { value: "count", label: "By counting" },
            { value: "photo", label: "By photograph" },
          ]}
          value={byPhoto ? "photo" : "count"}
          onChange={(v) => setByPhoto(v === "photo")}
        />
      ) : null}
      {page.program ? (
        <Moves
          procedure={page.procedure}
          axis={page.place}
          program={page.program}
          texts={taking.moves}
          onText={taking.setMove}
          words={page.program_words}
          open={plan !== null || shared(page).length > 0}
        />
      ) : null}
      {byPhoto ? (
        <ByPhoto id={id} page={page} bench={bench} taking={taking} />
      ) : page.readings ? (
        <Readings page={page} taking={taking} plan={plan} />
      ) : null}
      {page.grid ? <GridPaste grid={page.grid} onRead={taking.setRows} /> : null}
      {taking.photos.length ? <Photos taking={taking} /> : null}
      <More page={page} taking={taking} instrument={instrument} />
      {page.fields.some((f) => isAt(taking.error, f)) ? null : <ErrorNote error={taking.error} />}
      <div className={taking.table || also ? "hidden" : "flex flex-wrap gap-3"}>
        {typed ? (
          <Button
            next={enough && (!plan || seen >= plan.length)}
            disabled={!enough || taking.busy}
            onClick={() => taking.typed.mutate(instrument)}
          >
            Work it out
          </Button>
        ) : null}
        {onNetwork ? (
          <Button next disabled={taking.busy} onClick={() => taking.device.mutate({ from: "instrument", instrument })}>
            Record 20 seconds
          </Button>
        ) : null}
        {simulated ? (
          <Button
            next={!onNetwork}
            disabled={taking.busy}
            onClick={() => taking.device.mutate({ from: "stand-in", instrument: null })}
          >
            {page.live === "accelerometer" ? "Shake the simulated machine" : "Measure the simulated machine"}
          </Button>
        ) : null}
        {page.data ? (
          <FilePick
            label={page.columns.length ? "Load a table" : "Load a file"}
            accept={page.data === "csv" ? TABLES : "audio/*,.wav"}
            next={!typed && !simulated && !onNetwork}
            disabled={taking.busy}
            onFile={(file) => taking.open({ file, instrument })}
          />
        ) : null}
        {page.practice === "readings" && !byPhoto ? (
          <Button disabled={taking.practice.isPending} onClick={() => taking.practice.mutate()}>
            Read the simulated machine
          </Button>
        ) : null}
      </div>
      {drawing.Also && !taking.table ? (
        <drawing.Also page={page} taking={taking} simulated={simulated} open={also} onOpen={setAlso} />
      ) : null}
      {taking.table ? (
        <TableReader
          key={taking.table.file.name + taking.table.file.lastModified}
          file={taking.table.file}
          first={taking.table.seen}
          procedure={page.procedure}
          instrument={page.instruments.find((i) => i.id === instrument) ?? null}
          busy={taking.busy}
          onTake={(columns) => taking.file.mutate({ file: taking.table!.file, instrument, columns })}
          onLeave={() => taking.setTable(null)}
        />
      ) : null}
      {taking.work ? (
        <WorkLine
          work={taking.work}
          words={taking.work.total ? `Recording: ${taking.work.done} of ${taking.work.total - 1} s` : undefined}
          onTold={taking.setWork}
        />
      ) : taking.busy ? (
        <p role="status" className="grid gap-1">
          {taking.share !== null && taking.share < 1
            ? `Sending: ${Math.round(100 * taking.share)} %`
            : taking.recording
              ? "Recording and working it out …"
              : "Working it out …"}
          {taking.share !== null ? (
            <progress className="w-full" max={1} value={taking.share} aria-label="Sent so far" />
          ) : null}
        </p>
      ) : null}
    </>
  );
}

function Readings({ page, taking, plan }: Parts & { plan: Planned[] | null }) {
  const next = plan?.[taking.rows.length];
  // What the plan says of a reading is not asked.
  const asked = page.readings!.columns.filter((c) => !(plan?.[0] && c.name in plan[0].row));
  return (
    <>
      {plan ? (
        <p className="text-[21px] font-semibold" aria-live="polite">
          {next ? (
            <>
              Now {next.words},{" "}
              <span className="font-normal text-ink2">
                reading {taking.rows.length + 1} of {plan.length}
              </span>
            </>
          ) : (
            `All ${taking.rows.length} readings are in.`
          )}
        </p>
      ) : null}
      <ReadingsField
        columns={asked.map((c) => ({
          name: c.name,
          label: c.title,
          unit: c.unit,
          min: c.low,
          max: c.high,
          above: c.above,
          varies: c.varies,
          expect: expected(c.expect ?? [], page.fields, taking.texts),
        }))}
        rows={taking.rows}
        onChange={taking.setRows}
        most={plan?.length ?? page.readings!.most}
        steady={!plan}
      />
    </>
  );
}

function ByPhoto({ id, page, bench, taking }: Parts & { id: number; bench: Bench }) {
  const columns = page.readings!.columns.filter((c) => page.photo.includes(c.name));
  const [texts, setTexts] = useState<Texts>({});
  const [error, setError] = useState("");
  return (
    <>
      <div className="grid gap-3 sm:grid-cols-3">
        {columns.map((c) => (
          <TextField
            key={c.name}
            label={`${c.title} of this wall, ${c.unit}`}
            error={error || undefined}
            figure
            value={texts[c.name] ?? "80"}
            onText={(typed) => setTexts({ ...texts, [c.name]: typed })}
          />
        ))}
      </div>
      <PhotoRuler
        printerId={id}
        place={page.place}
        simulated={bench.simulated}
        onUse={(spacing, wall) => {
          const row: Row = {};
          for (const c of columns) {
            const value = parseFigure(texts[c.name] ?? "80");
            if (value === null || (c.low !== null && value <= c.low)) return setError("Enter a figure above 0.");
            row[c.name] = value;
          }
          setError("");
          taking.setPhotos((p) => [...p.filter((q) => q.wall !== wall), { row, spacing, wall }]);
        }}
      />
    </>
  );
}

function Photos({ taking }: { taking: Taking }) {
  const me = useMe();
  return (
    <ul className="rows">
      {taking.photos.map((p) => (
        <li key={p.wall} className="flex items-center justify-between py-1">
          <span>
            Photographed at {Object.values(p.row).join(", ")} mm/s:{" "}
            <b className="font-mono">{sentence(p.spacing, me)}</b>
          </span>
          <button
            type="button"
            className="min-h-11 underline"
            onClick={() => taking.setPhotos(taking.photos.filter((q) => q !== p))}
          >
            take out
          </button>
        </li>
      ))}
    </ul>
  );
}

/** What there is to do before there is a result. */
function Waiting({ page, taking, drawing }: Parts & { drawing: Drawing }) {
  if (!page.readings) return page.data ? null : <p>Fill in the figures; it is worked out at once.</p>;
  const seen = taking.rows.length + taking.photos.length;
  const plan = planOf(page, drawing, taking.moves) ?? NO_PLAN;
  const rows = taking.rows.map((r, i) => ({ ...plan[i]?.row, ...r }));
  return (
    <>
      {drawing.Live ? <drawing.Live rows={rows} /> : null}
      <p>
        {seen >= page.readings.least
          ? "Ready to be worked out. More readings make it surer."
          : `Enter ${page.readings.least === 1 ? "a reading" : `${page.readings.least} readings`} or more.`}
      </p>
    </>
  );
}
