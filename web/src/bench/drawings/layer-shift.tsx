/** A layer's step in the motors' own units: on a rule of whole teeth and whole four-step cycles, and what explains it. */
import { scaleLinear } from "d3-scale";
import type { Schemas } from "../../api/client";
import { Figure } from "../../kit/Figure";
import { percent } from "../../kit/figures";
import type { Found as AnyFound, Shown } from "../drawing";

type Found = Schemas["LayerShiftResult"];
const W = 560;

const NAMES: Record<string, string> = {
  tooth_jump: "Belt jumped teeth",
  lost_cycles: "Motor stalled, lost whole cycles",
  pulley_slip: "Pulley slipped on its shaft",
  part_moved: "Part came loose",
  resolution_mismatch: "Microsteps do not match",
};

export function ShiftRulers({ found }: { found: Found }) {
  const reach = Math.max(3, ...found.motors.map((m) => 1.25 * Math.abs(m.travel_mm) + (m.travel.u95 ?? 0)));
  const x = scaleLinear([-reach, reach], [10, W - 10]);
  const each = 104;
  return (
    <>
      <Figure
        name="layer-shift"
        label={found.motors
          .map(
            (m) =>
              `Motor ${m.motor.toUpperCase()} moved ${m.travel_mm.toFixed(2)} millimetres: ${m.teeth != null ? `${m.teeth.toFixed(2)} teeth, ` : ""}${m.cycles.toFixed(2)} cycles`,
          )
          .join("; ")}
        width={W}
        height={found.motors.length * each + 6}
      >
        {found.motors.map((m, k) => {
          const ticks = (unit: number) => {
            const n = Math.floor(reach / unit);
            return n > 60 ? [] : Array.from({ length: 2 * n + 1 }, (_, i) => (i - n) * unit);
          };
          const u = m.travel.u95 ?? 0;
          return (
            <g key={m.motor} transform={`translate(0 ${k * each})`}>
              <text x={10} y={15} fontSize={15} fontWeight={650} fill="var(--ink)">
                Motor {m.motor.toUpperCase()}: {m.travel_mm.toFixed(2)} ± {u.toFixed(2)} mm
                {m.teeth != null ? `, ${m.teeth.toFixed(2)} teeth` : ""}, {m.cycles.toFixed(2)} cycles
              </text>
              <path d={`M10 56H${W - 10}`} stroke="var(--line)" />
              {m.tooth_mm
                ? ticks(m.tooth_mm).map((v) => (
                    <path key={v} d={`M${x(v)} 36V56`} stroke="var(--ink)" strokeWidth={v === 0 ? 3 : 2} />
                  ))
                : null}
              {ticks(m.cycle_mm).map((v) => (
                <path key={v} d={`M${x(v)} 56V70`} stroke="var(--ink2)" strokeDasharray="2 2" strokeWidth={1.6} />
              ))}
              <rect
                x={x(m.travel_mm - u)}
                y={32}
                width={Math.max(2, x(m.travel_mm + u) - x(m.travel_mm - u))}
                height={42}
                fill="var(--go)"
                opacity={0.18}
              />
              <path d={`M${x(m.travel_mm)} 28V78`} stroke="var(--go)" strokeWidth={3.5} />
              <text x={10} y={90} fontSize={12.5} fill="var(--ink2)">
                {m.tooth_mm ? `above: teeth of ${m.tooth_mm} mm; ` : ""}below: four-step cycles of{" "}
                {Number(m.cycle_mm.toPrecision(3))} mm
              </text>
            </g>
          );
        })}
      </Figure>
      <ol className="rows">
        {found.mechanisms.map((m) => (
          <li key={m.mechanism + m.motor} className="grid gap-1 py-3">
            <span className="flex items-center gap-3">
              <span className="w-16 font-mono text-[20px] font-semibold">{percent(m.probability)}</span>
              <b>
                {NAMES[m.mechanism]}
                {m.motor ? `, ${m.motor.toUpperCase()}` : m.mechanism === "lost_cycles" ? ", both motors" : ""}
              </b>
            </span>
            <span className="block h-2 bg-well" aria-hidden="true">
              <span className="block h-2 bg-ink" style={{ width: `${100 * m.probability}%` }} />
            </span>
            <span className="text-[15px] text-ink2">{m.check}</span>
          </li>
        ))}
      </ol>
    </>
  );
}

const LIKELIEST: Record<string, string> = {
  tooth_jump: "Most likely the belt jumped a tooth",
  lost_cycles: "Most likely the motor stalled",
  pulley_slip: "Most likely a pulley slips on its shaft",
  part_moved: "Most likely the part came loose",
  resolution_mismatch: "Most likely the microsteps do not match",
};

export function title(found: AnyFound): string | undefined {
  return found.procedure === "layer-shift" && found.mechanisms[0]
    ? LIKELIEST[found.mechanisms[0].mechanism]
    : undefined;
}

export function Result({ capture }: Shown) {
  return capture.found.procedure === "layer-shift" ? <ShiftRulers found={capture.found} /> : null;
}
