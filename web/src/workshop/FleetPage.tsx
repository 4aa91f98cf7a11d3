/** One figure across the machines of a model: on one scale, which stands apart, and whether all of them moved together. */
import { useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { ErrorNote, Field, INPUT, Loading, useTitle } from "../kit/bits";
import { ago, preferred, sentence } from "../kit/figures";
import { Strip } from "../kit/Strip";
import { placeName } from "../kit/words";
import { useMe } from "../session/me";

type Fleet = Schemas["FleetOut"];
type Machine = Fleet["machines"][number];
type Common = Schemas["CommonOut"];

/** From so many machines on the spread is known well enough to leave it at that. */
const ENOUGH = 6;

const key = (model: number, c: Common) => `${model} ${c.procedure} ${c.place}`;

export function FleetPage() {
  useTitle("Across the machines");
  const [asked, ask] = useSearchParams();
  const models = useQuery({ queryKey: ["fleet"], queryFn: () => got(api.GET("/api/fleet")) });
  if (!models.data)
    return models.error ? <ErrorNote error={models.error} /> : <Loading what="what machines have in common" />;
  const rows = models.data.flatMap((m) => m.figures.map((c) => ({ model: m, common: c, key: key(m.model_id, c) })));
  const chosen = rows.find((r) => r.key === asked.get("of")) ?? rows[0];
  return (
    <section className="sheet mx-auto grid max-w-4xl gap-4" aria-labelledby="fleet">
      <div>
        <h1 id="fleet">Across the machines</h1>
        <p className="mt-1 max-w-[44em] text-ink2">
          One figure on all machines of a model. What stands far from the others is worth a look even within its limits;
          what all of them did together is the room, the season or the instrument, not the machines.
        </p>
      </div>
      {chosen ? (
        <>
          <Field label="Which figure">
            {(id) => (
              <select
                id={id}
                className={INPUT}
                value={chosen.key}
                onChange={(e) => ask({ of: e.target.value }, { replace: true })}
              >
                {models.data.map((m) => (
                  <optgroup key={m.model_id} label={m.model}>
                    {m.figures.map((c) => (
                      <option key={key(m.model_id, c)} value={key(m.model_id, c)}>
                        {c.words}, {placeName(c.place)} ({c.machines} machines)
                      </option>
                    ))}
                  </optgroup>
                ))}
              </select>
            )}
          </Field>
          <One model={chosen.model.model_id} common={chosen.common} />
        </>
      ) : (
        <p>
          No two machines of one model have a figure of the last half year in common. Measure the same thing on each: at
          the <Link to="/bench">bench</Link>.
        </p>
      )}
    </section>
  );
}

function One({ model, common }: { model: number; common: Common }) {
  const { procedure, place } = common;
  const one = useQuery({
    queryKey: ["fleet", model, procedure, place],
    queryFn: () =>
      got(
        api.GET("/api/fleet/{model_id}", {
          params: { path: { model_id: model }, query: { procedure, place } },
        }),
      ),
  });
  if (!one.data) return one.error ? <ErrorNote error={one.error} /> : <Loading what="the machines" />;
  return <Drawn fleet={one.data} />;
}

/** What the comparison comes to, in sentences: the odd ones first. */
export function told(fleet: Fleet, figure: (value: number) => string): string[] {
  const out: string[] = [];
  const odd = fleet.machines.filter((m) => m.odd);
  if (fleet.few) out.push("Of two nobody can say which is odd: they stand side by side.");
  else if (odd.length)
    out.push(
      `${names(odd)} ${odd.length === 1 ? "stands" : "stand"} apart from the others, further than chance has it.`,
    );
  else out.push("None stands apart: they differ as such machines do.");
  const far = [...fleet.machines].sort((a, b) => Math.abs(b.apart ?? 0) - Math.abs(a.apart ?? 0))[0];
  if (!fleet.few && !odd.length && fleet.machines.length < ENOUGH && far?.apart) {
    const off = far.value.value - fleet.centre;
    out.push(
      `Of so few only one that is very far off can be told from chance. Farthest from the middle is ${far.printer}, ${figure(Math.abs(off))} ${off < 0 ? "below" : "above"}.`,
    );
  }
  if (fleet.all_moved && fleet.together)
    out.push(
      `All moved together since the time before, by ${fleet.together.value > 0 ? "+" : "−"}${figure(Math.abs(fleet.together.value))} ± ${figure(fleet.together.u95 ?? 0)}: the room, the season or the instrument rather than the machines.`,
    );
  const alone = fleet.machines.filter((m) => m.alone);
  if (alone.length) out.push(`${names(alone)} moved otherwise than the others did: that is the machine's own.`);
  return out;
}

const names = (rows: Machine[]) => rows.map((m) => m.printer).join(" and ");

function Drawn({ fleet }: { fleet: Fleet }) {
  const me = useMe();
  const { unit, factor } = preferred(fleet.common.unit, me);
  const figure = (value: number) => `${Number((value * factor).toPrecision(2))} ${unit === "1" ? "" : unit}`.trim();
  const values = fleet.machines.flatMap((m) => [
    m.value.value - (m.value.u95 ?? 0),
    m.value.value + (m.value.u95 ?? 0),
    ...[m.low, m.high, m.before].filter((v): v is number => v != null),
  ]);
  const [least, most] = [Math.min(...values), Math.max(...values)];
  const room = (most - least || Math.abs(most) || 1) * 0.1;
  const ends: [number, number] = [least - room, most + room];
  return (
    <div className="grid gap-4">
      <div aria-live="polite">
        {told(fleet, figure).map((s, i) => (
          <p key={s} className={i === 0 ? "text-[21px] font-semibold" : ""}>
            {s}
          </p>
        ))}
      </div>
      <ul className="rows">
        {[...fleet.machines]
          .sort((a, b) => Number(b.odd) - Number(a.odd) || a.printer.localeCompare(b.printer))
          .map((m) => (
            <li key={m.printer_id} className="grid items-center gap-x-5 gap-y-1 py-2.5 md:grid-cols-[12rem_1fr]">
              <span>
                <Link to={`/machines/${m.printer_id}`} className="text-[19px] font-semibold">
                  {m.printer}
                </Link>
                <span className="block font-mono">{sentence(m.value, me)}</span>
                <span className="block text-[15px] text-ink2">
                  {ago(m.at)}
                  {m.odd ? ". Stands apart" : ""}
                  {m.alone ? ". Moved by itself" : ""}
                </span>
                {m.touched ? <span className="block text-[15px] text-ink2">Since before: {m.touched}</span> : null}
              </span>
              <Strip
                label={`${fleet.common.words}, ${m.printer}`}
                quantity={m.value}
                low={m.low}
                high={m.high}
                before={m.before == null ? null : { value: m.before, u95: null, unit: m.value.unit }}
                ends={ends}
                centre={fleet.few ? undefined : fleet.centre}
              />
            </li>
          ))}
      </ul>
      {fleet.few ? null : (
        <p className="text-[15px] text-ink2">
          Dashed: the middle of them, {figure(fleet.centre)}; such machines differ by {figure(fleet.spread)} (one
          standard deviation, by most of them). Dotted: the time before.
        </p>
      )}
    </div>
  );
}
