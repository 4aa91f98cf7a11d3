/** What each input shaper leaves and costs, and what the choice means for a print at one's own acceleration. */
import { useState } from "react";
import type { Schemas } from "../api/client";
import { TextField } from "../kit/bits";
import { parseFigure } from "../kit/figures";

type Shaped = Schemas["Shaped"];

export function ShaperTable({
  shapers,
  recommended,
  shown,
  onShow,
}: {
  shapers: Shaped[];
  recommended?: string | null;
  shown?: string | null;
  onShow?: (name: string | null) => void;
}) {
  const [text, setText] = useState("3000");
  const acceleration = parseFigure(text);
  if (!shapers.length) return null;
  return (
    <section className="grid gap-2">
      <div className="flex flex-wrap items-end justify-between gap-3">
        <h2 className="!text-[19px] !text-ink">What a shaper would leave, and cost</h2>
        <div className="w-56">
          <TextField label="Acceleration of a print, mm/s²" figure inputMode="numeric" value={text} onText={setText} />
        </div>
      </div>
      <div className="relative overflow-x-auto">
        <table className="w-full border-collapse text-[16px] [&_td]:pr-4 [&_td]:whitespace-nowrap [&_th]:pr-4">
          <thead>
            <tr className="text-left text-[15px] text-ink2">
              <th scope="col">Shaper</th>
              <th scope="col">set to</th>
              <th scope="col">leaves at worst</th>
              <th scope="col">corners round by</th>
              <th scope="col">most acceleration</th>
              {onShow ? <th scope="col">in the plot</th> : null}
            </tr>
          </thead>
          <tbody>
            {shapers.map((s) => {
              const rounds = acceleration ? (s.smoothing_mm_per_1000 * acceleration) / 1000 : null;
              return (
                <tr key={s.name} className={`border-t border-hair ${s.name === recommended ? "font-semibold" : ""}`}>
                  <th scope="row" className="py-2 text-left">
                    {s.name.toUpperCase()}
                    {s.name === recommended ? (
                      <span className="ml-2 border border-go px-1.5 text-[13px] text-go">advised</span>
                    ) : null}
                  </th>
                  <td className="font-mono">{s.frequency_hz.toFixed(1)} Hz</td>
                  <td className={`font-mono ${s.residual_percent > 5 ? "text-off" : ""}`}>
                    {s.residual_percent < 0.1 ? "under 0.1" : s.residual_percent.toFixed(1)} %
                    {s.residual_percent > 5 ? " too much" : ""}
                  </td>
                  <td className="font-mono">{rounds === null ? "–" : `${rounds.toFixed(2)} mm`}</td>
                  <td className="font-mono">{Number(s.max_acceleration_mm_s2.toPrecision(2))} mm/s²</td>
                  {onShow ? (
                    <td>
                      <button
                        type="button"
                        aria-pressed={shown === s.name}
                        className={`min-h-11 rounded-[3px] border px-3 ${shown === s.name ? "border-ink bg-ink text-sheet" : "border-line"}`}
                        onClick={() => onShow(shown === s.name ? null : s.name)}
                      >
                        {shown === s.name ? "shown" : "show"}
                        <span className="sr-only"> what {s.name.toUpperCase()} leaves</span>
                      </button>
                    </td>
                  ) : null}
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      <p className="text-[15px] text-ink2">
        Leaves: the largest rest over all modes, each within its uncertainty; 5 % or less is good. Most acceleration: so
        that corners round by the smoothing limit and no more.
      </p>
    </section>
  );
}
