/** The floor: the room as it stands, each machine with its fitness and its worst axes; what wants attention at the side. */
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { beltsPath, benchPath } from "../bench/paths";
import { Button, ErrorNote, Loading, useKey } from "../kit/bits";
import { ConditionMark, FitnessWords } from "../kit/Condition";
import { Sketch } from "../kit/Sketch";
import { atLeast, useMe } from "../session/me";

export const KINEMATICS: Record<Schemas["Description"]["kinematics"], string> = {
  bed_slinger: "moving bed",
  fixed_bed: "fixed bed, gantry",
  corexy: "crossed belts",
  delta: "three towers",
  belt_bed: "endless bed",
};

export function Floor() {
  const me = useMe();
  const technician = atLeast(me, "technician");
  const floor = useQuery({ queryKey: ["floor"], queryFn: () => got(api.GET("/api/floor")), refetchInterval: 15000 });
  if (floor.isPending) return <Loading what="the floor" />;
  if (!floor.data) return <ErrorNote error={floor.error} />;
  const { areas, wanted } = floor.data;
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
  return (
    <div className={`grid gap-5 ${technician ? "lg:grid-cols-[1fr_372px]" : ""}`}>
      <h1 className="sr-only">Floor</h1>
      <div className="grid content-start gap-5">
        {areas.map((area) => (
          <section key={area.name} aria-label={area.name}>
            <h2 className="mb-2 text-[16px]">{area.name}</h2>
            <div className="grid gap-4 sm:grid-cols-2 xl:grid-cols-3">
              {area.printers.map((p) => (
                <MachineTile key={p.id} tile={p} technician={technician} />
              ))}
            </div>
          </section>
        ))}
      </div>
      {technician ? <Wanted wanted={wanted} /> : null}
    </div>
  );
}

function MachineTile({ tile, technician }: { tile: Schemas["Tile"]; technician: boolean }) {
  const c = tile.condition;
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
            {tile.model}, {KINEMATICS[tile.description.kinematics]}
          </p>
        </div>
        <Sketch description={tile.description} plain className="row-span-2" />
        <FitnessWords fitness={c.fitness} reason={c.reason} />
      </div>
      <span className="flex-1" />
      {technician ? (
        <ul className="flex flex-wrap gap-x-4 gap-y-1 border-t border-hair pt-2 text-[15px]">
          {c.axes.map((a) => (
            <li key={a.axis} className="inline-flex items-center gap-1.5" title={a.why}>
              <b>{a.axis.toUpperCase()}</b>
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
  if (w.kind === "instrument") return "/workshop";
  if (w.kind === "look") return `/machines/${w.printer_id}`;
  return w.procedure ? benchPath(w.printer_id!, w.procedure, w.place!) : beltsPath(w.printer_id!, w.place!);
}

function Wanted({ wanted }: { wanted: Schemas["Wanted"][] }) {
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
    </aside>
  );
}
