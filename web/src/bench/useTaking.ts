/** Taking one measurement: what was typed and read so far, and sending it. What is typed outlives a reload. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, got, newKey, Refusal, type Schemas, send, upload } from "../api/client";
import { parseFigure } from "../kit/figures";
import type { Row } from "../kit/ReadingsField";
import { asForm, type Entry, entered, sendOrKeep } from "../offline/entries";
import { useSent } from "../offline/useEntries";
import { useMe } from "../session/me";
import { outcome, type Work } from "../work/outcome";
import type { Capture, Planned } from "./drawing";
import { type Asked, standing, type Texts, typedContext } from "./Fields";
import { isClear, isUnreachable, lookAt, type Seen, type TableMap } from "./TableReader";

export type Page = Schemas["PageHere"];
export type Photographed = { row: Row; spacing: Schemas["Quantity"]; wall: number };
type Kept = { rows: Row[]; texts: Texts };

const MOST_BYTES = 50 * 1024 * 1024;

/** The figures that the program of moves is told, as far as they are figures. */
export function movesOf(program: Asked[], texts: Texts): Record<string, number> {
  return Object.fromEntries(
    program.flatMap((f) => {
      const value = parseFigure(standing(f, texts));
      return value === null ? [] : [[f.name, value]];
    }),
  );
}

/** What the moves are told and the reading, too, by one name. */
export const shared = (page: Page): string[] =>
  (page.program ?? []).map((f) => f.name).filter((name) => page.fields.some((f) => f.name === name));

/** About what a column's readings should be: the first of the named fields less the others. */
export function expected(names: string[], fields: Asked[], texts: Texts): number | undefined {
  const values = names.map((n) => {
    const f = fields.find((x) => x.name === n);
    return f ? parseFigure(standing(f, texts)) : null;
  });
  if (!values.length || values.some((v) => v === null)) return undefined;
  return values.slice(1).reduce<number>((left, v) => left - v!, values[0]!) || undefined;
}

/** The readings as the core takes them: in their field of the context, or as rows of the table. */
export function asSent(page: Page, rows: Row[], photos: Photographed[], plan: Planned[]) {
  const r = page.readings;
  if (!r) return { context: {} };
  if (r.field === null) return { context: {}, rows: rows.map((row, i) => ({ ...plan[i]?.row, ...row })) };
  const photographed = photos.map((p) => ({ ...p.row, spacing_mm: p.spacing.value, u95_mm: p.spacing.u95 }));
  const whole = rows.map((row, i) => ({ ...plan[i]?.row, ...row }));
  return { context: { [r.field]: r.plain ? rows.map((row) => row[r.columns[0]!.name]) : [...whole, ...photographed] } };
}

type Chosen = { file: File; instrument: number | null };

type Props = {
  id: number;
  printer: string;
  page: Page;
  caseId: number | null;
  store: string;
  plan: (texts: Texts) => Planned[];
};

export function useTaking({ id, printer, page, caseId, store, plan }: Props) {
  const me = useMe();
  const client = useQueryClient();
  const [before] = useState<Kept>(() => {
    const told = JSON.parse(sessionStorage.getItem(store) ?? "null");
    return { rows: told?.rows ?? [], texts: told?.texts ?? {} };
  });
  const [rows, setRows] = useState<Row[]>(before.rows);
  const [texts, setTexts] = useState<Texts>(before.texts);
  const [moves, setMoves] = useState<Texts>(() => JSON.parse(localStorage.getItem(`moves-${store}`) ?? "{}"));
  const [photos, setPhotos] = useState<Photographed[]>([]);
  const [key, setKey] = useState(newKey);
  const [share, setShare] = useState<number | null>(null);
  const [work, setWork] = useState<Work | null>(null);
  const [table, setTable] = useState<(Chosen & { seen: Seen }) | null>(null);
  useEffect(() => sessionStorage.setItem(store, JSON.stringify({ rows, texts })), [rows, texts, store]);

  // What the moves and the reading are both told is told once, with the moves.
  const told = Object.fromEntries(
    (page.program ?? []).filter((f) => shared(page).includes(f.name)).map((f) => [f.name, standing(f, moves)]),
  );
  const about = (instrument: number | null) => ({
    id: key,
    place: page.place,
    case_id: caseId,
    instrument_id: instrument,
    circumstances: photos.length ? { wall_pictures: photos.map((p) => p.wall).join(" ") } : {},
    context: typedContext(page.fields, { ...texts, ...told }),
  });
  const path = `/api/printers/${id}/${page.procedure}`;
  const entry = (way: string, body: Entry["writes"][number]["body"]): Entry =>
    entered(me, key, {
      words: `${printer}: ${page.card.heading}`,
      about: caseId ? `/cases/${caseId}` : `/machines/${id}`,
      writes: [{ path: path + way, key, body }],
    });
  const settled = {
    onSuccess: () => {
      sessionStorage.removeItem(store);
      client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "capture" && q.queryKey[0] !== "view" });
    },
    // Another try after a correction is another capture.
    onError: (e: Error) => e instanceof Refusal && !e.isPassing && setKey(newKey()),
    onSettled: () => setShare(null),
  };
  const typed = useMutation({
    mutationFn: async (instrument: number | null) => {
      const sent = asSent(page, rows, photos, plan(moves));
      const meta = about(instrument);
      const body = { ...meta, ...sent, context: { ...meta.context, ...sent.context } };
      return sendOrKeep<Capture>(entry("", JSON.stringify(body)));
    },
    ...settled,
  });
  const file = useMutation({
    mutationFn: async ({ file: f, instrument, columns = null }: Chosen & { columns?: TableMap | null }) => {
      if (f.size > MOST_BYTES) throw new Error("The file is over 50 MB. A minute of recording is plenty.");
      const parts = [
        { name: "meta", value: JSON.stringify({ ...about(instrument), ...(columns ? { columns } : {}) }) },
        { name: "file", value: f, file: f.name },
      ];
      setShare(0);
      const run = () => upload<Capture>(`${path}/file`, asForm(parts), key, setShare);
      return sendOrKeep(entry("/file", parts), { run });
    },
    ...settled,
  });
  // A table is looked at first: one whose columns are called otherwise is asked about, and no more once that was told.
  const look = useMutation({
    mutationFn: ({ file: f, instrument }: Chosen) =>
      lookAt(f, page.procedure, instrument, null).catch((e) => {
        if (isUnreachable(e)) return null;
        throw e;
      }),
    onSuccess: (seen, chosen) => {
      if (seen && !isClear(seen)) setTable({ ...chosen, seen });
      else file.mutate({ ...chosen, columns: seen && !seen.as_is ? seen.columns : null });
    },
  });
  const device = useMutation({
    mutationFn: async ({ from, instrument }: { from: "instrument" | "stand-in"; instrument: number | null }) => {
      const ask = <T>() =>
        send<T>(`${path}/${from}`, JSON.stringify({ ...about(instrument), seconds: 20 }), key, "application/json");
      if (from === "stand-in") return ask<Capture>();
      // The machine shakes for a while: a worker sees to it, and is followed.
      const asked = await ask<Work>();
      setWork(asked);
      const over = await outcome(asked.id, setWork).finally(() => setWork(null));
      return got(api.GET("/api/captures/{capture_id}", { params: { path: { capture_id: over.capture! } } }));
    },
    ...settled,
  });
  const practice = useMutation({
    mutationFn: () =>
      got(
        api.GET("/api/printers/{printer_id}/practice-readings", {
          params: {
            path: { printer_id: id },
            query: { procedure: page.procedure, place: page.place, seed: Math.floor(Math.random() * 900) },
          },
        }),
      ),
    onSuccess: (read) => {
      const told = Object.entries(read.settings).map(([k, v]) => [k, String(v)]);
      setTexts((t) => ({ ...t, ...Object.fromEntries(told) }));
      setRows(read.rows as Row[]);
    },
  });
  const open = (chosen: Chosen) => {
    setTable(null);
    if (page.data === "csv") look.mutate(chosen);
    else file.mutate(chosen);
  };
  const all = [typed, file, device];
  const kept = all.some((m) => m.data === null) ? key : null;
  // What waited and has gone out is the capture of that id.
  const sent = useSent(kept ?? "");
  const late = useQuery({
    queryKey: ["capture", kept],
    enabled: kept !== null && sent,
    queryFn: () => got(api.GET("/api/captures/{capture_id}", { params: { path: { capture_id: kept! } } })),
  });
  return {
    rows,
    setRows,
    texts,
    setText: (name: string, text: string) => setTexts((t) => ({ ...t, [name]: text })),
    moves,
    setMove: (name: string, text: string) =>
      setMoves((m) => {
        const next = { ...m, [name]: text };
        localStorage.setItem(`moves-${store}`, JSON.stringify(next));
        return next;
      }),
    photos,
    setPhotos,
    share,
    /** The record that a worker takes just now. */
    work,
    setWork,
    typed,
    file,
    device,
    /** A file is chosen: taken at once, or asked about where its columns are not those that are wanted. */
    open,
    table,
    setTable,
    practice,
    capture: all.find((m) => m.data)?.data ?? late.data,
    /** The entry that could not be sent at once, and waits on this device or came late. */
    kept,
    error: all.find((m) => m.error)?.error ?? look.error ?? practice.error ?? late.error,
    busy: look.isPending || all.some((m) => m.isPending),
    recording: device.isPending,
    /** Begin anew; the readings go, or stay where another is added to them. */
    again: (keep: boolean) => {
      for (const m of [...all, look]) m.reset();
      setTable(null);
      if (!keep) {
        setRows([]);
        setPhotos([]);
      }
      setKey(newKey());
    },
  };
}

export type Taking = ReturnType<typeof useTaking>;
