/** Resonance: what rings and whether to believe it, what a shaper buys, and how it was before. */
import { useQuery } from "@tanstack/react-query";
import { Tabs } from "radix-ui";
import { useState } from "react";
import { Link } from "react-router";
import { api, got, type Schemas } from "../../api/client";
import { ErrorNote, Loading } from "../../kit/bits";
import { Curves, type Series } from "../../kit/Curves";
import { ago, sentence } from "../../kit/figures";
import { TimeFrequency } from "../../kit/TimeFrequency";
import { useMe } from "../../session/me";
import type { Found as AnyFound, Bench, Capture, Shown } from "../drawing";
import { benchPath } from "../paths";
import { ShaperTable } from "../ShaperTable";

export { ByPhone as Also } from "../ByPhone";

type Found = Schemas["ResonanceResult"];

export const opensWithLast = true;

export function sketch() {
  return { note: "Sensor on the head" };
}

export function title(found: AnyFound): string | undefined {
  if (found.procedure !== "resonance") return undefined;
  if (found.recommended) return `${found.recommended.toUpperCase()} is advised.`;
  return slow(found) && found.verdict !== "cannot_tell" ? "A first look." : "No shaper is advised.";
}

/** Whether a slow sensor, as a phone's, took it. */
const slow = (found: Found) => (found.quality.rates_hz ?? []).length > 0;

/** A figure of a record that is not to be believed would only be remembered. */
export function silent(capture: Capture): boolean {
  return capture.verdict === "cannot_tell";
}

export function Before({ bench, query }: { bench: Bench; place: string; query: string }) {
  if (bench.kinematics !== "corexy") return null;
  return (
    <p>
      Belts cross on this machine: record{" "}
      {["a", "b"].map((d, i) => (
        <span key={d}>
          {i ? " and " : ""}
          <Link to={benchPath(bench.printer_id, "resonance", d, query)}>diagonal {d.toUpperCase()}</Link>
        </span>
      ))}{" "}
      one after the other to compare belt with belt.
    </p>
  );
}

export function Result({ capture }: Shown) {
  const me = useMe();
  const found = capture.found;
  if (found.procedure !== "resonance") return null;
  return (
    <>
      <p className="text-[15px] text-ink2">
        <time title={new Date(capture.taken_at).toLocaleString()}>{ago(capture.taken_at)}</time> by {capture.taken_by}
        {capture.instrument ? `, ${capture.instrument}` : ""}
      </p>
      {found.modes.length ? (
        <table className="w-full border-collapse text-[15px]">
          <thead>
            <tr className="text-left text-[15px] text-ink2">
              <th scope="col">Mode</th>
              <th scope="col">damping</th>
              <th scope="col">share</th>
            </tr>
          </thead>
          <tbody>
            {found.modes.map((m) => (
              <tr key={m.frequency.value} className="border-t border-hair font-mono">
                <td className="py-1">{sentence(m.frequency, me)}</td>
                <td>{sentence(m.damping_ratio, me)}</td>
                <td>{Math.round(100 * m.share)} %</td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : null}
      {!found.recommended && capture.verdict !== "cannot_tell" ? <p>{found.why_not}</p> : null}
      <p className="text-[15px] text-ink2">
        {found.quality.seconds.toFixed(0)} s at{" "}
        {new Intl.ListFormat("en").format(
          (slow(found) ? found.quality.rates_hz : [found.quality.sample_rate_hz]).map((r) => r.toFixed(0)),
        )}{" "}
        samples a second, {found.quality.coherence_or_snr_db.toFixed(0)} dB over the noise
        {slow(found) ? "" : `, clock steps vary by ${found.quality.jitter_percent.toFixed(1)} %`}
        {found.quality.gaps && !slow(found) ? `, ${found.quality.gaps} gap${found.quality.gaps > 1 ? "s" : ""}` : ""}.
      </p>
    </>
  );
}

export function Beside({ capture, bench }: Shown) {
  return capture.found.procedure === "resonance" ? (
    <Plots capture={capture} found={capture.found} bench={bench} />
  ) : null;
}

export function Plots({ capture, found, bench }: { capture: Capture; found: Found; bench: Bench }) {
  const [shaper, setShaper] = useState<string | null>(found.recommended);
  const [tab, setTab] = useState("spectrum");
  const overlay = useQuery({
    queryKey: ["overlay", capture.id],
    queryFn: () => got(api.GET("/api/captures/{capture_id}/overlay", { params: { path: { capture_id: capture.id } } })),
  });
  const view = useQuery({
    queryKey: ["view", capture.id],
    enabled: tab === "time",
    queryFn: () => got(api.GET("/api/captures/{capture_id}/view", { params: { path: { capture_id: capture.id } } })),
  });
  const file = `${bench.printer}-${capture.place}-resonance`;
  const f = found.spectrum.frequency_hz;
  const chosen = found.shapers.find((s) => s.name === shaper);
  const series: Series[] = [
    {
      name: slow(found) ? "what each frequency alone explains" : "measured",
      x: f,
      y: found.spectrum.excited,
      look: "main",
    },
  ];
  if (found.spectrum.fitted.length) series.push({ name: "fitted modes", x: f, y: found.spectrum.fitted, look: "fit" });
  if (chosen?.leaves?.length)
    series.push({ name: `${chosen.name.toUpperCase()} leaves`, x: f, y: chosen.leaves, look: "dots" });
  const earlier = overlay.data?.earlier ?? [];
  const other = overlay.data?.other ?? null;
  return (
    <section className="sheet grid gap-4">
      <Tabs.Root value={tab} onValueChange={setTab}>
        <Tabs.List aria-label="Plots" className="mb-3 flex flex-wrap gap-2">
          {[
            ["spectrum", "Spectrum"],
            ["time", "Time and frequency"],
            ["earlier", `Against earlier${earlier.length ? ` (${earlier.length})` : ""}`],
            ...(other || ["a", "b"].includes(capture.place) ? [["belts", "Belt against belt"]] : []),
          ].map(([value, label]) => (
            <Tabs.Trigger
              key={value}
              value={value!}
              className="min-h-11 rounded-[3px] border border-line px-3 data-[state=active]:border-ink data-[state=active]:bg-ink data-[state=active]:font-semibold data-[state=active]:text-sheet"
            >
              {label}
            </Tabs.Trigger>
          ))}
        </Tabs.List>
        <Tabs.Content value="spectrum" className="grid gap-4">
          <Curves
            series={series}
            marks={[
              ...found.modes.map((m) => ({ x: m.frequency.value, label: `${m.frequency.value.toFixed(1)} Hz` })),
              ...(found.elsewhere ?? []).map((hz) => ({ x: hz, label: `or ${hz.toFixed(0)} Hz` })),
            ]}
            label={`Spectrum along ${capture.place.toUpperCase()} with ${found.modes.length} fitted modes`}
            name={`${file}-spectrum`}
            xUnit="Hz"
            yUnit="(mm/s²)²/Hz"
            decades={slow(found) ? 2 : 5}
          />
          <ShaperTable shapers={found.shapers} recommended={found.recommended} shown={shaper} onShow={setShaper} />
        </Tabs.Content>
        <Tabs.Content value="time">
          {view.data && "time_s" in view.data ? (
            <TimeFrequency view={view.data} name={`${file}-time`} marks={found.modes.map((m) => m.frequency.value)} />
          ) : view.error ? (
            <ErrorNote error={view.error} />
          ) : (
            <Loading what="the record" />
          )}
          <p className="text-[15px] text-ink2">
            {slow(found)
              ? "Darker is louder; each stroke is a knock. What rings above half the samples a second shows below it here: the figure was fitted otherwise."
              : "Darker is louder. A sound axis follows the sweep in one line and is darkest where it crosses a mode; the command's own overtones run beside it. Lines below the sweep, or that begin, jump or stop by themselves, speak of play."}
          </p>
        </Tabs.Content>
        <Tabs.Content value="earlier" className="grid gap-3">
          <Against
            capture={capture}
            found={found}
            earlier={earlier}
            baseline={overlay.data?.baseline ?? null}
            file={file}
          />
        </Tabs.Content>
        <Tabs.Content value="belts" className="grid gap-3">
          {other ? (
            <>
              <Curves
                series={[
                  {
                    name: `diagonal ${capture.place.toUpperCase()}`,
                    x: f,
                    y: relative(found.spectrum.excited),
                    look: "main",
                  },
                  {
                    name: `diagonal ${other.place.toUpperCase()}`,
                    x: other.frequency_hz,
                    y: relative(other.power),
                    look: "fit",
                  },
                ]}
                label="Spectra of the two diagonals on one plot"
                name={`${file}-belts`}
                xUnit="Hz"
                yUnit="share of the highest"
                decades={4}
              />
              <p className="text-[19px]">
                {other.compared?.words ?? "One of the two has no mode that could be compared."}
              </p>
            </>
          ) : (
            <p>
              Record{" "}
              <Link to={benchPath(bench.printer_id, "resonance", capture.place === "a" ? "b" : "a")}>
                the other diagonal
              </Link>
              , too: the two together compare belt with belt.
            </p>
          )}
        </Tabs.Content>
      </Tabs.Root>
    </section>
  );
}

/** Records are shaken unlike hard: their shapes are compared, not their heights. */
function relative(power: number[]): number[] {
  const top = Math.max(...power) || 1;
  return power.map((v) => v / top);
}

function Against({
  capture,
  found,
  earlier,
  baseline,
  file,
}: {
  capture: Capture;
  found: Found;
  earlier: Schemas["EarlierRecord"][];
  baseline: string | null;
  file: string;
}) {
  const looks = ["fit", "ghost", "dots"] as const;
  const drawn = earlier.slice(0, 2);
  const first = earlier.find((e) => e.capture_id === baseline);
  if (first && !drawn.includes(first)) drawn.push(first);
  if (!earlier.length)
    return <p>This is the first record of this direction. It is what later ones are held against.</p>;
  const day = (iso: string) => new Date(iso).toLocaleDateString("en", { day: "numeric", month: "short" });
  return (
    <>
      <Curves
        series={[
          { name: "now", x: found.spectrum.frequency_hz, y: relative(found.spectrum.excited), look: "main" },
          ...drawn.map((e, i) => ({
            name: `${day(e.at)}${e.capture_id === baseline ? ", first" : ""}`,
            x: e.frequency_hz,
            y: relative(e.power),
            look: looks[i]!,
          })),
        ]}
        label={`Spectrum along ${capture.place.toUpperCase()} against earlier records`}
        name={`${file}-earlier`}
        xUnit="Hz"
        yUnit="share of the highest"
        decades={4}
      />
      <ul className="rows">
        {earlier.map((e) => (
          <li key={e.capture_id} className="py-2">
            {e.compared?.words ?? `The record of ${day(e.at)} has no mode to compare.`}
          </li>
        ))}
      </ul>
      <p className="text-[15px] text-ink2">
        Stiffness goes with the square of the frequency, for a head of the same weight.
      </p>
    </>
  );
}
