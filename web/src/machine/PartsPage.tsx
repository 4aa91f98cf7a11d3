/** The parts of a machine: in what state each is and how that is known, its age against its life, and what is done to it. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, Loading, useTitle } from "../kit/bits";
import { type Condition, ConditionMark } from "../kit/Condition";
import { MeterSheet } from "./MeterSheet";
import { Empty, LifeBar, OnePart } from "./OnePart";
import { PartsSketch } from "./PartsSketch";

type Here = Schemas["ComponentsHere"];
type Part = Here["parts"][number];

/** So many stand open. */
const FEW = 8;
const TROUBLED: Condition[] = ["failed", "worn", "out_of_adjustment", "watch"];

export function PartsPage() {
  const id = Number(useParams().id);
  const params = { path: { printer_id: id } };
  const [place, setPlace] = useState<string | null>(null);
  const [open, setOpen] = useState<number | null>(null);
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params })),
  });
  const here = useQuery({
    queryKey: ["printer", id, "components"],
    queryFn: () => got(api.GET("/api/printers/{printer_id}/components", { params })),
  });
  useTitle(printer.data ? `Parts of ${printer.data.name}` : undefined);
  if (!here.data || !printer.data)
    return here.error || printer.error ? (
      <ErrorNote error={here.error ?? printer.error} />
    ) : (
      <Loading what="its parts" />
    );
  const { parts, empty, meter, types } = here.data;
  const shown = parts.filter((p) => place === null || p.place === place);
  const of = (conditions: Condition[]) =>
    shown
      .filter((p) => conditions.includes(p.condition))
      .sort((a, b) => conditions.indexOf(a.condition) - conditions.indexOf(b.condition));
  const groups: [string, Part[]][] = [
    ["Wants you", of(TROUBLED)],
    ["Not known", of(["not_known"])],
    ["Sound", of(["sound"])],
  ];
  const show = (p: Part) => {
    setPlace(p.place);
    setOpen(open === p.id ? null : p.id);
  };
  return (
    <div className="grid items-start gap-5 lg:grid-cols-[minmax(0,640px)_minmax(0,1fr)]">
      <div className="grid gap-5">
        <section className="sheet grid gap-3">
          <p className="text-ink2">
            <Link to={`/machines/${id}`}>{printer.data.name}</Link>
          </p>
          <h1 className="!text-[26px]">Its parts</h1>
          <PartsSketch
            description={printer.data.description}
            parts={parts}
            place={place}
            open={open}
            onPlace={(p) => setPlace(place === p ? null : p)}
            onPart={show}
          />
          {place === null ? (
            <p className="text-[15px] text-ink2">Choose a place, or a mark: each is a part, by its condition.</p>
          ) : (
            <Button className="justify-self-start" onClick={() => setPlace(null)}>
              Everywhere
            </Button>
          )}
        </section>
        <MeterSheet id={id} meter={meter} />
        <p>
          <Link to={`/machines/${id}/use`}>Filament, travel, job logs</Link>
        </p>
      </div>
      <section className="sheet" aria-label="Parts">
        {groups.map(([words, rows]) => {
          if (!rows.length) return null;
          const list = (
            <ul className="rows">
              {rows.map((p) => (
                <li key={p.id} className="py-1">
                  <button
                    type="button"
                    aria-expanded={open === p.id}
                    className="flex min-h-12 w-full flex-wrap items-center gap-x-4 gap-y-1 text-left hover:bg-well"
                    onClick={() => setOpen(open === p.id ? null : p.id)}
                  >
                    <b className="min-w-48 text-[18px]">{p.label}</b>
                    <span className="min-w-44">
                      <ConditionMark condition={p.condition} />
                    </span>
                    <LifeBar p={p} />
                  </button>
                  {open === p.id ? <OnePart id={id} p={p} types={types.filter((t) => t.kind === p.kind)} /> : null}
                </li>
              ))}
            </ul>
          );
          const title = (
            <>
              {words} <span className="font-normal text-ink2">({rows.length})</span>
            </>
          );
          // What wants nobody is folded where it is long.
          if (words === "Wants you" || rows.length <= FEW)
            return (
              <div key={words} className="mb-4">
                <h2>{title}</h2>
                {list}
              </div>
            );
          return (
            <details key={words} className="mb-2">
              <summary className="min-h-11 cursor-pointer py-2 font-semibold">{title}</summary>
              {list}
            </details>
          );
        })}
        {empty.length ? <Empty id={id} rows={empty} /> : null}
      </section>
    </div>
  );
}
