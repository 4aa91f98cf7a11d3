/** Parts of the workshop's own: listed with their files and sheets, entered once, measured place by place. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote } from "../kit/bits";
import { useWrite } from "../offline/useEntries";
import type { Bench } from "./drawing";
import { OwnPartForm } from "./OwnPartForm";
import { benchPath } from "./paths";

export type OwnPart = Schemas["OwnPartOut"];

export const OWN_PARTS = { queryKey: ["own-parts"], queryFn: () => got(api.GET("/api/own-parts")) };

export function OwnFiles({ id, part }: { id: number; part: OwnPart }) {
  const sheet = `/api/printers/${id}/own-parts/${part.id}/sheet`;
  const link = "inline-flex min-h-11 items-center";
  return (
    <p className="flex flex-wrap gap-x-5 text-[17px]">
      {part.has_model ? (
        <a className={link} href={`/api/own-parts/${part.id}/model.stl`} download>
          <span className="sr-only">{part.name} as </span>STL
        </a>
      ) : null}
      <a className={link} href={`${sheet}.pdf`} download>
        Measuring sheet<span className="sr-only"> of {part.name}</span>, PDF
      </a>
      <a className={link} href={`${sheet}.svg`} download>
        <span className="sr-only">Measuring sheet of {part.name} as </span>SVG
      </a>
    </p>
  );
}

/** The own part that a measurement goes by, where its address names one; in its place, the test part. */
export function useNamedPart(): OwnPart | null {
  const [search] = useSearchParams();
  const named = Number(search.get("part")) || null;
  const parts = useQuery({ ...OWN_PARTS, enabled: named !== null });
  return parts.data?.find((p) => p.id === named) ?? null;
}

/** The part's picture with its places numbered; ``now``: the one that is measured next. */
export function PartPicture({ part, now }: { part: OwnPart; now?: number }) {
  return (
    <div className="relative w-full max-w-[520px]">
      <img src={`/api/own-parts/${part.id}/picture`} alt={part.name} className="block w-full rounded-[3px]" />
      <Lines places={part.places} now={now} width={part.width} height={part.height} />
    </div>
  );
}

type Place = OwnPart["places"][number];
type Spot = { x: number; y: number };

/** Where a number stands on its line: in the middle, or further along it where another stands already. */
function freeSpot(a: Spot, b: Spot, taken: Spot[], apart: number): Spot {
  const on = (share: number) => ({ x: a.x + share * (b.x - a.x), y: a.y + share * (b.y - a.y) });
  const free = (s: Spot) => taken.every((t) => Math.hypot(t.x - s.x, t.y - s.y) > apart);
  return [0.5, 0.7, 0.3, 0.85, 0.15, 1].map(on).find(free) ?? on(0.5);
}

/** The places' lines and numbers over a picture of that size. */
export function Lines({
  places,
  now,
  width,
  height,
}: {
  places: Place[];
  now?: number;
  width: number;
  height: number;
}) {
  // In the picture's own points, so that lines and numbers keep their shape.
  const unit = width / 520;
  const taken: Spot[] = [];
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      className="pointer-events-none absolute inset-0 h-full w-full"
      aria-hidden="true"
    >
      {places.map((p, i) => {
        if (!p.line) return null;
        const [a, b] = p.line.map((s) => ({ x: s.x * width, y: s.y * height })) as [
          { x: number; y: number },
          { x: number; y: number },
        ];
        const lit = now === i;
        const { x, y } = freeSpot(a, b, taken, 28 * unit);
        taken.push({ x, y });
        return (
          <g key={i}>
            <path d={`M${a.x} ${a.y}L${b.x} ${b.y}`} stroke="var(--sheet)" strokeWidth={6 * unit} />
            <path
              d={`M${a.x} ${a.y}L${b.x} ${b.y}`}
              stroke={lit ? "var(--go)" : "var(--ink)"}
              strokeWidth={(lit ? 4 : 2) * unit}
            />
            <circle
              cx={x}
              cy={y}
              r={13 * unit}
              fill={lit ? "var(--go)" : "var(--sheet)"}
              stroke={lit ? "var(--go)" : "var(--ink)"}
              strokeWidth={1.5 * unit}
            />
            <text
              x={x}
              y={y + 5 * unit}
              textAnchor="middle"
              fontSize={15 * unit}
              fontWeight={700}
              fill={lit ? "var(--goink)" : "var(--ink)"}
            >
              {i + 1}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

/** To the bench that reads it, where this machine has one. */
function Measure({ bench, part }: { bench: Bench; part: OwnPart }) {
  const place = bench.entries.find((e) => e.procedure === part.procedure)?.places[0]?.place;
  if (!place) return null;
  return (
    <Link
      className="inline-flex min-h-11 items-center"
      to={benchPath(bench.printer_id, part.procedure, place, `?part=${part.id}`)}
    >
      Measure it<span className="sr-only">: {part.name}</span>
    </Link>
  );
}

/** The workshop's own parts on the page of the parts to print. */
export function OwnParts({ bench }: { bench: Bench }) {
  const id = bench.printer_id;
  const client = useQueryClient();
  const [form, setForm] = useState<OwnPart | "new" | null>(null);
  const parts = useQuery(OWN_PARTS);
  const changed = (next: OwnPart[]) => {
    client.setQueryData(OWN_PARTS.queryKey, next);
    setForm(null);
  };
  const retire = useWrite<OwnPart[], OwnPart>(
    (p) => ({
      words: `${p.name} is no longer offered`,
      about: `/bench/${id}/parts`,
      writes: [{ path: `/api/own-parts/${p.id}/retire` }],
    }),
    changed,
  );
  if (form)
    return (
      <OwnPartForm
        key={form === "new" ? "new" : form.id}
        part={form === "new" ? null : form}
        changed={changed}
        leave={() => setForm(null)}
      />
    );
  return (
    <section className="sheet grid gap-3">
      <h1 className="!text-[23px]">Parts of our own</h1>
      <p className="text-ink2">
        What the workshop makes again and again: its places and sizes are entered once, on a picture or on its model.
        Then there is a sheet for every machine, and the bench asks for each place in turn.
      </p>
      <ErrorNote error={parts.error ?? retire.error} />
      <ul className="rows">
        {(parts.data ?? []).map((p) => (
          <li key={p.id} className="grid gap-x-6 gap-y-2 py-3 sm:grid-cols-[160px_minmax(0,1fr)]">
            <img src={`/api/own-parts/${p.id}/picture`} alt="" className="w-full rounded-[3px]" />
            <div className="grid gap-1">
              <h2 className="!text-[19px] !text-ink">{p.name}</h2>
              <p>
                {p.words} <span className="text-ink2">{p.places.length} places.</span>
              </p>
              <OwnFiles id={id} part={p} />
              <p className="flex flex-wrap items-center gap-x-5">
                <Measure bench={bench} part={p} />
                <button type="button" className="min-h-11 underline" onClick={() => setForm(p)}>
                  Change<span className="sr-only"> {p.name}</span>
                </button>
                <button
                  type="button"
                  className="min-h-11 underline"
                  disabled={retire.isPending}
                  onClick={() => retire.mutate(p)}
                >
                  Offer it no longer<span className="sr-only">: {p.name}</span>
                </button>
              </p>
            </div>
          </li>
        ))}
      </ul>
      <Button className="justify-self-start" next={parts.data?.length === 0} onClick={() => setForm("new")}>
        Enter a part
      </Button>
    </section>
  );
}
