/** The floor: the room as it stands, each machine with its fitness and its worst axes; what wants attention at the side. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { useAgain } from "../api/events";
import { beltsPath, benchPath } from "../bench/paths";
import { Button, ErrorNote, Loading, TextField, useKey, useTitle } from "../kit/bits";
import { ConditionMark, FitnessWords } from "../kit/Condition";
import { Sketch } from "../kit/Sketch";
import { axisName, KINEMATICS } from "../kit/words";
import { atLeast, useMe } from "../session/me";
import { ForToday } from "./ForToday";

/** So many machines are seen at a glance; of more, those that are fit fold to a line an area. */
const AT_A_GLANCE = 24;

type Tile = Schemas["Tile"];
type Model = Schemas["FloorModel"];

export const FLOOR = { queryKey: ["floor"], queryFn: () => got(api.GET("/api/floor")) };

export function Floor() {
  const me = useMe();
  const technician = atLeast(me, "technician");
  const floor = useQuery({ ...FLOOR, refetchInterval: useAgain(15000) });
  const [search, setSearch] = useState("");
  useTitle("Floor");
  if (floor.isPending) return <Loading what="the floor" />;
  if (!floor.data) return <ErrorNote error={floor.error} />;
  const { areas, wanted, wanted_count } = floor.data;
  if (!areas.length)
    return (
      <div className="sheet max-w-xl">
        <h1>The floor is empty</h1>
        <p className="mt-2">
          {atLeast(me, "lead") ? (
            <>
              First name the parts of the room, then describe a model, then put machines on the floor.{" "}
              <Link to="/workshop">Begin with the workshop</Link>
            </>
          ) : (
            "The lead of the workshop has not put any machine here yet."
          )}
        </p>
      </div>
    );
  const models = new Map(floor.data.models.map((m) => [m.id, m]));
  const all = areas.reduce((n, a) => n + a.printers.length, 0);
  const many = all > AT_A_GLANCE;
  const named = search.trim().toLowerCase();
  const shown = areas
    .map((a) => ({ ...a, printers: a.printers.filter((p) => p.name.toLowerCase().includes(named)) }))
    .filter((a) => a.printers.length);
  return (
    <div className={`grid gap-5 ${technician ? "lg:grid-cols-[1fr_372px]" : ""}`}>
      <h1 className="sr-only">Floor</h1>
      <div className="grid content-start gap-5">
        <ForToday machines={areas.flatMap((a) => a.printers)} />
        {many ? (
          <div className="max-w-sm">
            <TextField
              label={`Find one of ${all} machines`}
              type="search"
              value={search}
              maxLength={40}
              onText={setSearch}
            />
          </div>
        ) : null}
        {shown.length ? null : <p>No machine is called so.</p>}
        {shown.map((area) => (
          <Area key={area.name} area={area} models={models} technician={technician} fold={many && !named} />
        ))}
      </div>
      {technician ? <Wanted wanted={wanted} count={wanted_count} /> : null}
    </div>
  );
}

/** A part of the room. Of many machines those that are fit stand on one line, to be opened. */
function Area({
  area,
  models,
  technician,
  fold,
}: {
  area: Schemas["AreaTiles"];
  models: Map<number, Model>;
  technician: boolean;
  fold: boolean;
}) {
  const fit = fold ? area.printers.filter((p) => p.fitness === "fit") : [];
  const rest = area.printers.filter((p) => !fit.includes(p));
  return (
    <section aria-label={area.name}>
      <h2 className="mb-2 text-[16px]">{area.name}</h2>
      {rest.length ? (
        <div className="grid gap-4 sm:grid-cols-2 xl:grid-cols-3">
          {rest.map((p) => (
            <MachineTile key={p.id} tile={p} model={models.get(p.model_id)!} technician={technician} />
          ))}
        </div>
      ) : null}
      {fit.length ? (
        <details className="sheet mt-3 !py-1">
          <summary className="flex min-h-11 cursor-pointer items-center gap-2 font-semibold">
            <FitnessWords fitness="fit" reason="" /> {fit.length} {fit.length === 1 ? "machine" : "machines"}
          </summary>
          <ul className="grid gap-x-4 pb-2 sm:grid-cols-3">
            {fit.map((p) => (
              <li key={p.id}>
                <Link to={`/machines/${p.id}`} className="flex min-h-11 items-center gap-2">
                  {p.name} <span className="text-[15px] text-ink2">{models.get(p.model_id)!.name}</span>
                </Link>
              </li>
            ))}
          </ul>
        </details>
      ) : null}
    </section>
  );
}

function MachineTile({ tile, model, technician }: { tile: Tile; model: Model; technician: boolean }) {
  return (
    <article className="sheet flex flex-col gap-2 !px-4 !py-3.5">
      <div className="grid grid-cols-[1fr_92px] gap-2">
        <div>
          <h3 className="text-[20px] leading-tight font-bold">
            <Link to={`/machines/${tile.id}`} className="no-underline hover:underline">
              {tile.name}
            </Link>
          </h3>
          <p className="text-[15px] text-ink2">
            {model.name}, {KINEMATICS[model.outline.kinematics]}
          </p>
        </div>
        <Sketch description={model.outline} plain />
      </div>
      <FitnessWords fitness={tile.fitness} reason={tile.reason} />
      <span className="flex-1" />
      {technician ? (
        <ul className="flex flex-wrap gap-x-4 gap-y-1 border-t border-hair pt-2 text-[15px]">
          {tile.axes.map((a) => (
            <li key={a.axis} className="inline-flex items-center gap-1.5" title={a.why}>
              <b>{axisName(a.axis)}</b>
              <ConditionMark condition={a.condition} />
            </li>
          ))}
        </ul>
      ) : (
        <Link
          to={`/report/${tile.id}`}
          className="inline-flex min-h-12 items-center justify-center rounded-[3px] border border-line font-semibold no-underline"
        >
          Report a fault
        </Link>
      )}
    </article>
  );
}

function lead(w: Schemas["Wanted"]): string {
  if (w.case_id) return `/cases/${w.case_id}`;
  if (w.kind === "instrument") return `/instruments/${w.instrument_id}`;
  if (w.kind === "look") return `/machines/${w.printer_id}`;
  if (w.kind === "told") return "/cases";
  if (w.kind === "round") return `/rounds/${w.printer_id}`;
  if (w.kind === "near_miss") return "/near-misses";
  if (w.kind === "stored") return `/machines/${w.printer_id}/baseline`;
  return w.procedure ? benchPath(w.printer_id!, w.procedure, w.place!) : beltsPath(w.printer_id!, w.place!);
}

function Wanted({ wanted, count }: { wanted: Schemas["Wanted"][]; count: number }) {
  const go = useNavigate();
  const first = wanted[0];
  useKey("1", first ? () => go(lead(first)) : null);
  return (
    <aside className="sheet self-start" aria-labelledby="wants">
      <h2 id="wants">Wants you, most pressing first</h2>
      {wanted.length === 0 ? <p className="mt-2">Nothing. Every machine is measured and within its limits.</p> : null}
      <ol className="rows mt-1">
        {wanted.map((w, i) => (
          <li key={`${w.title}${w.why}`} className="py-3">
            {i === 0 ? (
              <>
                <b className="block text-[20px] leading-snug">{w.title}</b>
                <span className="text-ink2">{w.why}</span>
                <Button next keyHint="1" className="mt-3 w-full" onClick={() => go(lead(w))}>
                  {w.kind === "case"
                    ? "Open the case"
                    : w.kind === "measure"
                      ? "Measure"
                      : w.kind === "look"
                        ? "Look at it"
                        : w.kind === "round"
                          ? "Begin its round"
                          : "Open"}
                </Button>
              </>
            ) : (
              <Link to={lead(w)} className="block min-h-11 no-underline hover:underline">
                <b className="block">{w.title}</b>
                <span className="text-[15px] text-ink2">{w.why}</span>
              </Link>
            )}
          </li>
        ))}
      </ol>
      {count > wanted.length ? (
        <p className="mt-2 text-ink2">And {count - wanted.length} more, less pressing.</p>
      ) : null}
    </aside>
  );
}
