/** The bed from above with its heights, contour lines and screws; as a relief, drawn higher than it is; cold beside hot. */
import { useQuery } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import { useState } from "react";
import { api, got, type Schemas } from "../../api/client";
import { Choices } from "../../kit/bits";
import { Figure } from "../../kit/Figure";
import type { Row } from "../../kit/ReadingsField";
import { contour, contourStep, heightAt, type Place, surface } from "../../kit/surface";
import { TurnArc } from "../../kit/TurnArc";
import type { Shown } from "../drawing";

type Found = Schemas["BedResult"];
type What = "lies" | "left";

const W = 640;
/** Measured places are told in figures up to so many. */
const MOST_FIGURES = 64;

/** Heights over the middle: as the bed lies, or what is left after its plane. */
function placesOf(found: Found, what: What): Place[] {
  const mean = found.heights.reduce((s, h) => s + h.z_mm, 0) / found.heights.length;
  return found.heights.map((h, i) => ({
    x: h.x_mm,
    y: h.y_mm,
    z: what === "left" ? found.left_mm[i]! : h.z_mm - mean,
  }));
}

const signed = (mm: number) => `${mm < 0 ? "−" : "+"}${Math.abs(mm).toFixed(2)}`;

type MapProps = { places: Place[]; found?: Found; name: string; label: string; width?: number };

/** Seen from above: darker is higher, contour lines with their height. */
function FromAbove({ places, found, name, label, width = W }: MapProps) {
  const r = surface(places);
  const screws = found?.screws ?? [];
  const xs = [...places.map((p) => p.x), ...screws.map((s) => s.x_mm)];
  const ys = [...places.map((p) => p.y), ...screws.map((s) => s.y_mm)];
  const [wide, deep] = [Math.max(...xs) - Math.min(...xs) || 1, Math.max(...ys) - Math.min(...ys) || 1];
  const side = screws.length ? 116 : 20;
  const across = width - 2 * side;
  const height = Math.min(1.1 * across, (across * deep) / wide) + (screws.length ? 96 : 64);
  const x = scaleLinear([Math.min(...xs), Math.max(...xs)], [side, width - side]);
  const y = scaleLinear([Math.min(...ys), Math.max(...ys)], [height - (screws.length ? 64 : 32), 32]);
  const [low, high] = [Math.min(...r.z), Math.max(...r.z)];
  const step = contourStep(high - low);
  const levels: number[] = [];
  for (let k = Math.ceil(low / step); k * step <= high; k++) levels.push(k * step);
  const [cw, ch] = [(x(r.x1) - x(r.x0)) / (r.n - 1), (y(r.y0) - y(r.y1)) / (r.n - 1)];
  const told = places.length <= MOST_FIGURES && width > 300;
  return (
    <Figure name={name} label={label} width={width} height={height}>
      {r.z.map((z, k) => {
        const [i, j] = [k % r.n, Math.floor(k / r.n)];
        return (
          <rect
            key={k}
            x={x(r.x0) + (i - 0.5) * cw}
            y={y(r.y0) - (j + 0.5) * ch}
            width={cw}
            height={ch}
            shapeRendering="crispEdges"
            fill="var(--ink)"
            fillOpacity={0.03 + 0.34 * ((z - low) / (high - low || 1))}
          />
        );
      })}
      {levels.map((level) => {
        const pieces = contour(r, level);
        const first = pieces[Math.floor(pieces.length / 3)];
        return (
          <g key={level}>
            <path
              d={pieces.map(([a, b, c, d]) => `M${x(a)} ${y(b)}L${x(c)} ${y(d)}`).join("")}
              stroke="var(--go)"
              strokeWidth={Math.abs(level) < step / 2 ? 2.2 : 1.1}
              fill="none"
            />
            {first && !told ? (
              <text x={x(first[0])} y={y(first[1]) - 2} fontSize={12} fill="var(--ink)">
                {signed(level)}
              </text>
            ) : null}
          </g>
        );
      })}
      {told
        ? places.map((p, i) => (
            <text
              key={i}
              x={x(p.x)}
              y={y(p.y) + 4}
              textAnchor="middle"
              fontSize={12}
              fontFamily="var(--font-mono)"
              fill="var(--ink)"
              stroke="var(--sheet)"
              strokeWidth={3}
              paintOrder="stroke"
            >
              {signed(p.z)}
            </text>
          ))
        : null}
      {found?.debris_at ? (
        <g>
          <circle
            cx={x(found.debris_at.x_mm)}
            cy={y(found.debris_at.y_mm)}
            r={24}
            fill="none"
            stroke="var(--off)"
            strokeWidth={3}
          />
          <text
            x={x(found.debris_at.x_mm)}
            y={y(found.debris_at.y_mm) - 30}
            textAnchor="middle"
            fontSize={13}
            fontWeight={600}
            fill="var(--off)"
          >
            look here
          </text>
        </g>
      ) : null}
      {screws.map((s) =>
        s.turns.unit === "mm" ? (
          <text
            key={s.name}
            x={x(s.x_mm)}
            y={y(s.y_mm) - 14}
            textAnchor="middle"
            fontSize={13}
            fontWeight={600}
            fill="var(--ink)"
          >
            shim {signed(s.turns.value)}
          </text>
        ) : (
          <TurnArc
            key={s.name}
            x={s.x_mm > (Math.min(...xs) + Math.max(...xs)) / 2 ? width - 54 : 54}
            y={y(s.y_mm) - 12}
            turns={s.turns.value}
            direction={s.turns.value < 0.005 ? null : (s.direction ?? null)}
            label={s.name}
            r={11}
          />
        ),
      )}
      <text x={width / 2} y={height - 6} textAnchor="middle" fontSize={12} fill="var(--ink2)">
        front; heights in mm, darker is higher, a line every {Number(step.toPrecision(1))} mm
      </text>
    </Figure>
  );
}

/** The same seen aslant, heights drawn larger. */
function Relief({ places, label }: { places: Place[]; label: string }) {
  const n = 15;
  const r = surface(places, n);
  const H = 320;
  const [wide, deep] = [r.x1 - r.x0 || 1, r.y1 - r.y0 || 1];
  const scale = Math.min(330 / wide, 330 / deep);
  const most = Math.max(0.02, ...r.z.map(Math.abs));
  const tall = 60 / most;
  const at = (i: number, j: number): [number, number] => {
    const [u, v] = [(i / (n - 1) - 0.5) * wide * scale, (j / (n - 1) - 0.5) * deep * scale];
    return [W / 2 + (u - v) * 0.82, H / 2 + (u * 0.32 - v * 0.42) - r.z[j * n + i]! * tall];
  };
  const path = (points: [number, number][]) => points.map((p, k) => `${k ? "L" : "M"}${p.join(" ")}`).join("");
  const all = Array.from({ length: n }, (_, k) => k);
  return (
    <Figure name="bed-relief" label={label} width={W} height={H + 20}>
      {all.map((j) => (
        <path key={`r${j}`} d={path(all.map((i) => at(i, j)))} fill="none" stroke="var(--ink2)" strokeWidth={1} />
      ))}
      {all.map((i) => (
        <path
          key={`c${i}`}
          d={path(all.map((j) => at(i, j)))}
          fill="none"
          stroke="var(--ink)"
          strokeWidth={i === 0 ? 2.5 : 1}
        />
      ))}
      <text x={W / 2} y={H + 14} textAnchor="middle" fontSize={12} fill="var(--ink2)">
        heights drawn {Math.round(tall / scale)} times; the bold edge is the left one, its near end the front
      </text>
    </Figure>
  );
}

/** The other temperature's newest map, where there is one. */
function useOther(capture: Shown["capture"], hot: number | null) {
  const earlier = useQuery({
    queryKey: ["capture", capture.id, "earlier"],
    queryFn: () => got(api.GET("/api/captures/{capture_id}/earlier", { params: { path: { capture_id: capture.id } } })),
  });
  const other = earlier.data?.find((c) => c.found.procedure === "bed" && isHot(c.found.hot_c) !== isHot(hot));
  return other?.found.procedure === "bed" ? other.found : null;
}

const isHot = (c: number | null | undefined) => (c ?? 0) > 40;

/** The change from cold to hot, at the places of the one map. */
function difference(cold: Place[], hot: Place[]): Place[] {
  return hot.map((p) => ({ ...p, z: p.z - heightAt(cold, p.x, p.y) }));
}

export function sketch() {
  return { note: "Heights all over the bed" };
}

/** The map as it comes in, from three places on. */
export function Live({ rows }: { rows: Row[] }) {
  const heights = rows as unknown as Schemas["Height"][];
  if (heights.length < 4) return null;
  const mean = heights.reduce((s, h) => s + h.z_mm, 0) / heights.length;
  const places = heights.map((h) => ({ x: h.x_mm, y: h.y_mm, z: h.z_mm - mean }));
  return <FromAbove places={places} name="bed-so-far" label={`${heights.length} heights so far`} />;
}

export function Result({ capture }: Shown) {
  const found = capture.found;
  const [what, setWhat] = useState<What>("lies");
  const [how, setHow] = useState<"map" | "relief">("map");
  const other = useOther(capture, found.procedure === "bed" ? (found.hot_c ?? null) : null);
  if (found.procedure !== "bed") return null;
  const places = placesOf(found, what);
  const label = `The bed rises by ${found.tilt_x.value.toFixed(3)} mm per 100 mm along X and ${found.tilt_y.value.toFixed(3)} along Y; warped by ${found.warp.value.toFixed(2)} mm, highest at X ${found.high_spot.x_mm}, Y ${found.high_spot.y_mm}`;
  const [cold, hot] = isHot(found.hot_c) ? [other, found] : [found, other];
  return (
    <div className="grid gap-3">
      <div className="flex flex-wrap gap-4">
        <Choices
          label="Show"
          options={[
            { value: "lies", label: "As it lies" },
            { value: "left", label: "What no screw mends" },
          ]}
          value={what}
          onChange={setWhat}
        />
        <Choices
          label="As"
          options={[
            { value: "map", label: "Map" },
            { value: "relief", label: "Relief" },
          ]}
          value={how}
          onChange={setHow}
        />
      </div>
      {how === "map" ? (
        <FromAbove places={places} found={found} name="bed" label={label} />
      ) : (
        <Relief places={places} label={label} />
      )}
      {cold && hot && other ? (
        <section aria-label="Cold and hot" className="grid grid-cols-3 gap-2">
          {(
            [
              ["Cold", placesOf(cold, "lies")],
              [`At ${hot.hot_c} °C`, placesOf(hot, "lies")],
              ["What heat changes", difference(placesOf(cold, "lies"), placesOf(hot, "lies"))],
            ] as const
          ).map(([title, p]) => (
            <div key={title}>
              <h2 className="!text-[15px]">{title}</h2>
              <FromAbove places={p} name={title.toLowerCase().replaceAll(" ", "-")} label={title} width={230} />
            </div>
          ))}
        </section>
      ) : null}
    </div>
  );
}
