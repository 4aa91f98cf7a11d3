/** Where a measurement begins: choose the machine, then what one wants to know. */
import { useQuery } from "@tanstack/react-query";
import { Link, useParams, useSearchParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { ErrorNote, Loading } from "../kit/bits";
import { ago, sentence } from "../kit/figures";
import { Sketch } from "../kit/Sketch";
import { useMe } from "../session/me";
import { tensionOf } from "./Rounds";

export function useBench(id: number) {
  return useQuery({
    queryKey: ["bench", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}/bench", { params: { path: { printer_id: id } } })),
  });
}

export function BenchStart() {
  const floor = useQuery({ queryKey: ["floor"], queryFn: () => got(api.GET("/api/floor")) });
  if (!floor.data) return floor.error ? <ErrorNote error={floor.error} /> : <Loading what="the machines" />;
  const printers = floor.data.places.flatMap((p) => p.printers.map((t) => ({ ...t, room: p.name })));
  return (
    <section className="mx-auto grid max-w-5xl gap-4">
      <h1>Which machine is on the bench?</h1>
      {printers.length === 0 ? <p>There is no machine on the floor yet.</p> : null}
      <ul className="grid gap-4 sm:grid-cols-2 lg:grid-cols-4">
        {printers.map((p) => (
          <li key={p.id}>
            <Link to={`/bench/${p.id}`} className="sheet block h-full no-underline hover:bg-well">
              <Sketch description={p.description} plain className="mx-auto w-[130px]" />
              <b className="block text-[19px]">{p.name}</b>
              <span className="text-[15px] text-ink2">
                {p.model}, {p.room}
              </span>
            </Link>
          </li>
        ))}
      </ul>
    </section>
  );
}

export function BenchMachine() {
  const id = Number(useParams().id);
  const [params] = useSearchParams();
  const query = params.get("case") ? `?case=${params.get("case")}` : "";
  const bench = useBench(id);
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: id } } })),
  });
  if (!bench.data || !printer.data)
    return bench.error ? <ErrorNote error={bench.error} /> : <Loading what="the bench" />;
  return (
    <div className="grid gap-5 lg:grid-cols-[340px_1fr]">
      <section className="sheet self-start">
        <h1>{bench.data.printer}</h1>
        <Sketch
          description={printer.data.description}
          conditions={Object.fromEntries(printer.data.condition.places.map((p) => [p.place, p.condition]))}
        />
        <Link to={`/machines/${id}`}>All about this machine</Link>
      </section>
      <section className="sheet grid content-start gap-4">
        <h2>What do you want to know?</h2>
        <ul className="rows">
          {bench.data.belts.map((b) => (
            <BeltLine key={b.place} id={id} b={b} query={query} />
          ))}
          <li className="py-4">
            <b className="text-[19px]">What rings after a corner?</b>
            <p className="text-ink2">Count the ripples on a printed wall: caliper, five minutes.</p>
            <div className="mt-2 flex flex-wrap gap-2">
              {["x", "y"].map((axis) => (
                <Link key={axis} to={`/bench/${id}/ringing-print/${axis}${query}`} className={LINK}>
                  Ripples along {axis.toUpperCase()}
                </Link>
              ))}
            </div>
          </li>
        </ul>
      </section>
    </div>
  );
}

const LINK =
  "inline-flex min-h-12 items-center rounded-[3px] border border-line px-4 font-semibold no-underline hover:bg-well";

function BeltLine({ id, b, query }: { id: number; b: Schemas["BenchBelt"]; query: string }) {
  const me = useMe();
  const last = tensionOf(b.last);
  return (
    <li className="py-4">
      <b className="text-[19px]">Is belt {b.place.toUpperCase()} tight enough?</b>
      <p className="text-ink2">
        {last && b.last ? `Last ${sentence(last, me)}, ${ago(b.last.taken_at)}.` : "Never measured."} Band{" "}
        {Number(b.target_low_n.toPrecision(3))} to {Number(b.target_high_n.toPrecision(3))} N ({b.target_source}).
      </p>
      <div className="mt-2 flex flex-wrap gap-2">
        <Link to={`/bench/${id}/belts/${b.place}${query}`} className={LINK}>
          Pluck it{b.partner ? ` and ${b.partner.toUpperCase()}` : ""}: microphone, {b.partner ? 6 : 3} min
        </Link>
        <Link to={`/bench/${id}/belt-deflection/${b.place}${query}`} className={LINK}>
          Press it: spring scale, 6 min
        </Link>
        <Link to={`/bench/${id}/belt-tracking/${b.place}${query}`} className={LINK}>
          Does it run true? feeler gauge, 5 min
        </Link>
      </div>
    </li>
  );
}
