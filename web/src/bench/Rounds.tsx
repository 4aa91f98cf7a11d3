/** Rounds of one adjustment side by side: what each belt had, what was turned, until it holds. */
import { useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "../api/client";
import { useAgain } from "../api/events";
import { sentence, turns } from "../kit/figures";
import { Strip } from "../kit/Strip";
import { useMe } from "../session/me";

export const tensionOf = (c: Schemas["CaptureOut"] | null | undefined) =>
  c && "tension" in c.found ? c.found.tension : null;

export function useRounds(printerId: number, place: string, caseId: number | null) {
  return useQuery({
    queryKey: ["rounds", printerId, place, caseId],
    queryFn: () =>
      got(
        api.GET("/api/printers/{printer_id}/rounds", {
          params: { path: { printer_id: printerId }, query: { place, ...(caseId ? { case_id: caseId } : {}) } },
        }),
      ),
    refetchInterval: useAgain(5000),
  });
}

type Props = {
  printerId: number;
  place: string;
  caseId: number | null;
  belts: Schemas["BenchBelt"][];
  strips?: boolean;
};

export function Rounds({ printerId, place, caseId, belts, strips = true }: Props) {
  const me = useMe();
  const query = useRounds(printerId, place, caseId);
  const r = query.data;
  if (!r?.rounds.length) return null;
  const at = (round: Schemas["RoundOut"], p: string) => tensionOf(round.readings.find((x) => x.place === p)?.capture);
  return (
    <section className="grid gap-3">
      {strips && r.rounds.length > 1
        ? r.places.map((p) => {
            const seen = r.rounds.map((x) => at(x, p)).filter((q) => q != null);
            const belt = belts.find((b) => b.place === p);
            if (seen.length < 2) return null;
            return (
              <div key={p}>
                <h3 className="font-semibold">
                  Belt {p.toUpperCase()}: before {sentence(seen[0]!, me)}, now {sentence(seen[seen.length - 1]!, me)}
                </h3>
                <Strip
                  label={`Belt ${p.toUpperCase()}, before and now`}
                  quantity={seen[seen.length - 1]!}
                  before={seen[0]!}
                  low={belt?.target_low_n}
                  high={belt?.target_high_n}
                />
              </div>
            );
          })
        : null}
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a table that scrolls must be reached from the keyboard */}
      <div className="overflow-x-auto" role="region" aria-label="Rounds" tabIndex={0}>
        <table className="w-full border-collapse text-[16px]">
          <thead>
            <tr className="border-b border-line text-left">
              <th scope="col" className="py-1 pr-4 text-[15px] text-ink2">
                Round
              </th>
              {r.rounds.map((x) => (
                <th key={x.number} scope="col" className="py-1 pr-4 font-mono">
                  {x.number}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {r.places.map((p) => (
              <tr key={p} className="border-b border-hair align-top">
                <th scope="row" className="py-1.5 pr-4 text-left font-semibold whitespace-nowrap">
                  Belt {p.toUpperCase()}
                </th>
                {r.rounds.map((x) => {
                  const q = at(x, p);
                  const turned = x.actions.filter((a) => a.place === p);
                  return (
                    <td key={x.number} className="py-1.5 pr-4">
                      <span className="font-mono whitespace-nowrap">{q ? sentence(q, me) : "–"}</span>
                      {turned.map((a) => (
                        <span key={a.id} className="block text-[15px] text-ink2">
                          then {a.unit === "mm" ? `${Math.abs(a.turns).toFixed(1)} mm` : turns(a.turns)} {a.direction}
                        </span>
                      ))}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}
