/** Test parts to print, fitted to the machine, each with its measuring sheet. */
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { ErrorNote, Loading, useTitle } from "../kit/bits";
import { useBench } from "./BenchStart";
import { OwnFiles, OwnParts, PartPicture, useNamedPart } from "./OwnParts";
import { benchPath } from "./paths";

type Part = Schemas["PartOut"];

export function useParts(id: number) {
  return useQuery({
    queryKey: ["parts", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}/parts", { params: { path: { printer_id: id } } })),
  });
}

/** The files of a part, and its sheet. */
function Files({ id, part }: { id: number; part: Part }) {
  if (part.why_not) return <p className="text-[15px]">{part.why_not}</p>;
  const at = `/api/printers/${id}/parts/${part.name}`;
  return (
    <p className="flex flex-wrap gap-x-5 text-[17px]">
      <a className="inline-flex min-h-11 items-center" href={`${at}.stl`} download>
        <span className="sr-only">{part.title} as </span>STL
      </a>
      <a className="inline-flex min-h-11 items-center" href={`${at}.3mf`} download>
        <span className="sr-only">{part.title} as </span>3MF
      </a>
      {part.places ? (
        <>
          <a className="inline-flex min-h-11 items-center" href={`${at}/sheet.pdf`} download>
            Measuring sheet<span className="sr-only"> of {part.title}</span>, PDF
          </a>
          <a className="inline-flex min-h-11 items-center" href={`${at}/sheet.svg`} download>
            <span className="sr-only">Measuring sheet of {part.title} as </span>SVG
          </a>
        </>
      ) : null}
    </p>
  );
}

/** The part that a measurement reads, where there is one: to take along beside its steps. */
export function PartOf({ id, procedure, now }: { id: number; procedure: string; now?: number }) {
  const own = useNamedPart();
  const part = useParts(id).data?.find((p) => p.procedure === procedure);
  if (own?.procedure === procedure)
    return (
      <section className="border-l-4 border-hair px-3" aria-label="The part that is measured">
        <p>
          <b>{own.name}.</b> {own.words}
        </p>
        <PartPicture part={own} now={now} />
        <OwnFiles id={id} part={own} />
      </section>
    );
  if (!part) return null;
  return (
    <section className="border-l-4 border-hair px-3" aria-label="The part to print">
      <p>
        <b>{part.title}.</b>{" "}
        {part.width_mm ? (
          <span className="text-ink2">
            {part.width_mm} × {part.depth_mm} mm, made for this machine
          </span>
        ) : null}
      </p>
      <Files id={id} part={part} />
    </section>
  );
}

export function PartsPage() {
  const id = Number(useParams().id);
  const bench = useBench(id);
  const parts = useParts(id);
  useTitle(bench.data && `${bench.data.printer}: parts to print`);
  if (!bench.data || !parts.data)
    return bench.error || parts.error ? <ErrorNote error={bench.error ?? parts.error} /> : <Loading what="the parts" />;
  return (
    <div className="mx-auto grid max-w-5xl gap-5">
      <section className="sheet grid gap-3">
        <h1>Parts to print on {bench.data.printer}</h1>
        <p className="text-ink2">
          Fitted to its bed and nozzle, marked with its name and the day. On the sheet each place has a number and a
          box; figures written there are typed in the same order.
        </p>
        <ul className="rows">
          {parts.data.map((p) => (
            <li key={p.name} className="grid gap-x-6 py-3 sm:grid-cols-[minmax(0,1fr)_auto]">
              <div>
                <h2 className="!text-[19px] !text-ink">{p.title}</h2>
                <p>{p.words}</p>
                {p.procedure && p.place ? (
                  <Link to={benchPath(id, p.procedure, p.place, "")}>
                    Measure it<span className="sr-only">: {p.title}</span>
                  </Link>
                ) : null}
              </div>
              <div className="text-right">
                {p.width_mm ? (
                  <p className="font-mono text-ink2">
                    {p.width_mm} × {p.depth_mm} mm
                  </p>
                ) : null}
                <Files id={id} part={p} />
              </div>
            </li>
          ))}
        </ul>
      </section>
      <OwnParts bench={bench.data} />
      <Link to={`/bench/${id}`}>What can be measured on {bench.data.printer}</Link>
    </div>
  );
}
