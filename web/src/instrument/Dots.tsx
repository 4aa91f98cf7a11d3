/** Each reading of a comparison, less what all found of that piece: a row a person, the mean as a tick, what is to be reckoned with as a band. */
import { scaleLinear } from "d3-scale";
import type { Schemas } from "../api/client";
import { Figure } from "../kit/Figure";

type Study = Schemas["StudyHere"];

const WIDTH = 560;
const LEFT = 120;
const ROW = 64;
const TOP = 26;

const mean = (v: number[]) => v.reduce((a, b) => a + b, 0) / v.length;

/** How far each reading lies from the mean of all people's means of that piece. */
export function deviations(s: Study): { person: number; piece: number; off: number }[] {
  return s.pieces.flatMap((_, piece) => {
    const of = (person: number) => s.readings.filter((r) => r.piece === piece && r.person === person);
    const middle = mean(s.people.map((p) => mean(of(p.id).map((r) => r.value))));
    return s.people.flatMap((p) => of(p.id).map((r) => ({ person: p.id, piece, off: r.value - middle })));
  });
}

export function Dots({ s, found }: { s: Study; found: NonNullable<Study["found"]> }) {
  const all = deviations(s);
  const band = found.reading_u95.value;
  const reach = 1.1 * Math.max(band, ...all.map((d) => Math.abs(d.off)));
  const x = scaleLinear([-reach, reach], [LEFT, WIDTH - 16]);
  const height = TOP + ROW * s.people.length + 46;
  const bottom = TOP + ROW * s.people.length;
  return (
    <Figure
      name="comparison"
      label={`Readings less what all found of each piece: ${found.people.map((p) => `${p.person} ${p.bias.value.toPrecision(2)} ${s.unit}`).join(", ")}; a reading is good to ± ${band.toPrecision(2)} ${s.unit}`}
      width={WIDTH}
      height={height}
    >
      <rect
        x={x(-band)}
        y={TOP}
        width={x(band) - x(-band)}
        height={bottom - TOP}
        fill="var(--band)"
        stroke="var(--bandline)"
      />
      <text x={x(0)} y={16} textAnchor="middle" fontSize={13} fill="var(--ink2)">
        95 of 100 readings lie in here
      </text>
      <path d={`M${x(0)} ${TOP}V${bottom}`} stroke="var(--ink2)" strokeDasharray="3 4" />
      {s.people.map((p, i) => {
        const mine = all.filter((d) => d.person === p.id);
        const y = TOP + ROW * i + ROW / 2;
        return (
          <g key={p.id}>
            <text x={LEFT - 10} y={y + 5} textAnchor="end" fontSize={15} fontWeight={600} fill="var(--ink)">
              {p.name.length > 14 ? `${p.name.slice(0, 13)}…` : p.name}
            </text>
            <path d={`M${LEFT} ${y}H${WIDTH - 16}`} stroke="var(--hair)" />
            {mine.map((d, k) => (
              <circle
                key={k}
                cx={x(d.off)}
                cy={y + 14 * (s.pieces.length > 1 ? d.piece / (s.pieces.length - 1) - 0.5 : 0)}
                r={4.5}
                fill="var(--ink)"
                fillOpacity={0.6}
              />
            ))}
            <path d={`M${x(mean(mine.map((d) => d.off)))} ${y - 20}v40`} stroke="var(--go)" strokeWidth={4} />
          </g>
        );
      })}
      {x.ticks(5).map((t) => (
        <g key={t}>
          <path d={`M${x(t)} ${bottom}v6`} stroke="var(--ink2)" />
          <text x={x(t)} y={bottom + 20} textAnchor="middle" fontSize={13} fill="var(--ink2)">
            {t}
          </text>
        </g>
      ))}
      <text x={(LEFT + WIDTH - 16) / 2} y={bottom + 40} textAnchor="middle" fontSize={13} fill="var(--ink2)">
        {s.unit} more or less than all found of that piece
      </text>
    </Figure>
  );
}
