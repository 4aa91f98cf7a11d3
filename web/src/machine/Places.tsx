/** Condition by axis: each folded to the worst of its places with the reason; inside, every place with its figures. */
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { beltsPath, benchPath } from "../bench/paths";
import { type Condition, ConditionMark } from "../kit/Condition";
import { ago, sentence } from "../kit/figures";
import { Strip } from "../kit/Strip";
import { axisName, capital } from "../kit/words";
import { useMe } from "../session/me";
import { Course } from "./Course";

type Shown = Schemas["ConditionOut"];
type Place = Shown["places"][number];
export type Chosen = { kind: string; place: string };

/** The belts' conditions by place, for the sketch. */
export function beltConditions(c: Shown): Record<string, Condition> {
  return Object.fromEntries(c.places.filter((p) => p.kind === "belt").map((p) => [p.place, p.condition]));
}

/** From best to worst; what is not known stands before trouble. */
const ORDER: Condition[] = ["sound", "not_known", "watch", "out_of_adjustment", "worn", "failed"];

type Group = { name: string; condition: Condition; why: string; places: Place[] };

/** Places by the axes that they belong to together: a crossed pair is X and Y's, and stands once. */
export function groups(c: Shown): Group[] {
  const by = new Map<string, Place[]>();
  c.places.forEach((p, i) => {
    const axes = c.axes.filter((a) => a.places.includes(i)).map((a) => axisName(a.axis));
    const name = axes.length > 1 ? `${axes.slice(0, -1).join(", ")} and ${axes[axes.length - 1]}` : (axes[0] ?? "");
    by.set(name, [...(by.get(name) ?? []), p]);
  });
  return [...by.entries()].map(([name, places]) => {
    const worst = places.reduce((a, b) => (ORDER.indexOf(b.condition) > ORDER.indexOf(a.condition) ? b : a));
    return { name, condition: worst.condition, why: worst.reason, places };
  });
}

export function Places({
  printer,
  chosen,
  onPick,
}: {
  printer: Schemas["PrinterOut"];
  chosen: Chosen | null;
  onPick: (c: Chosen) => void;
}) {
  return (
    <section className="sheet">
      <h2>Condition, by axis</h2>
      <ul className="rows">
        {groups(printer.condition).map((g) => (
          <li key={g.name} className="py-1">
            <details open={g.condition !== "sound" || undefined}>
              <summary className="flex min-h-11 cursor-pointer flex-wrap items-center gap-x-3">
                <b className="text-[20px]">{g.name}</b>
                <ConditionMark condition={g.condition} />
                <span className="text-[15px] text-ink2">{g.why}</span>
              </summary>
              <ul className="rows ml-4">
                {g.places.map((p) => (
                  <PlaceLine
                    key={`${p.kind}${p.place}`}
                    printer={printer.id}
                    p={p}
                    chosen={chosen?.kind === p.kind && chosen.place === p.place}
                    onPick={onPick}
                  />
                ))}
              </ul>
            </details>
          </li>
        ))}
      </ul>
    </section>
  );
}

function PlaceLine({
  printer,
  p,
  chosen,
  onPick,
}: {
  printer: number;
  p: Place;
  chosen: boolean;
  onPick: (c: Chosen) => void;
}) {
  return (
    <li className="grid gap-1 py-2">
      <button
        type="button"
        onClick={() => onPick({ kind: p.kind, place: p.place })}
        aria-pressed={chosen}
        className="flex min-h-11 flex-wrap items-center gap-x-3 text-left"
      >
        <b className="text-[18px]">{capital(p.name)}</b>
        <ConditionMark condition={p.condition} />
        {p.evidence.length ? null : <span className="text-[15px] text-ink2">{p.why}</span>}
      </button>
      {p.evidence.length ? (
        <ul className="grid gap-2">
          {p.evidence.map((e) => (
            <Evidence key={e.procedure} printer={printer} p={p} e={e} />
          ))}
        </ul>
      ) : p.kind === "belt" ? (
        <Link to={beltsPath(printer, p.place)} className="min-h-11 py-2">
          Pluck it: six minutes
        </Link>
      ) : null}
    </li>
  );
}

/** One measurement of a place: what was asked, its figure on the strip by the limits it was judged by, and its age. */
function Evidence({ printer, p, e }: { printer: number; p: Place; e: Place["evidence"][number] }) {
  const me = useMe();
  return (
    <li className="grid items-center gap-x-4 gap-y-1 md:grid-cols-[210px_1fr]">
      <span className="text-[15px]">
        {e.question}
        <span className="block text-ink2">
          {e.words ? `${e.words}. ` : ""}
          {e.why} <time title={new Date(e.at).toLocaleString()}>{`Measured ${ago(e.at)}.`}</time>
        </span>
      </span>
      <span className="flex flex-wrap items-center gap-4">
        {e.quantity ? (
          <>
            <span className="min-w-32 font-mono text-[18px] font-semibold">{sentence(e.quantity, me)}</span>
            {e.low !== null || e.high !== null ? (
              <Strip label={`${e.words}, ${p.name}`} quantity={e.quantity} low={e.low} high={e.high} width={320} />
            ) : null}
          </>
        ) : null}
        {e.in_doubt ? (
          <Link to={benchPath(printer, e.procedure, p.place)} className="min-h-11 py-2">
            Measure it again
          </Link>
        ) : null}
      </span>
      {e.quantity ? <Course printer={printer} place={p.place} procedure={e.procedure} /> : null}
    </li>
  );
}
