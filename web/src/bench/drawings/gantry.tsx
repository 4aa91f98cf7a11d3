/** The beam over its two screws, its tilt drawn larger than it is, and each screw's turn as an arc. */
import { scaleLinear } from "d3-scale";
import type { Schemas } from "../../api/client";
import { Figure } from "../../kit/Figure";
import type { Row } from "../../kit/ReadingsField";
import { TurnArc } from "../../kit/TurnArc";
import type { Shown } from "../drawing";

const W = 560;
const H = 290;
const LEVEL = 165;
/** What the largest height is drawn as, in the drawing's units. */
const TALL = 46;

type Gap = Schemas["Gap"];

function Beam({ gaps, found }: { gaps: Gap[]; found?: Schemas["GantryResult"] }) {
  const xs = [...gaps.map((g) => g.x_mm), ...(found?.screws.map((s) => s.x_mm) ?? [])];
  const x = scaleLinear([Math.min(...xs), Math.max(...xs)], [70, W - 70]);
  const mean = gaps.reduce((sum, g) => sum + g.height_mm, 0) / gaps.length;
  const most = Math.max(0.02, ...gaps.map((g) => Math.abs(g.height_mm - mean)));
  const y = (height: number) => LEVEL - ((height - mean) / most) * TALL;
  const [x0, x1] = [Math.min(...gaps.map((g) => g.x_mm)), Math.max(...gaps.map((g) => g.x_mm))];
  const steeper = TALL / most / ((x.range()[1]! - x.range()[0]!) / Math.max(1, x.domain()[1]! - x.domain()[0]!));
  return (
    <>
      <path d={`M40 ${LEVEL}H${W - 40}`} stroke="var(--line)" strokeDasharray="6 5" />
      <text x={W - 38} y={LEVEL + 4} fontSize={12} fill="var(--ink2)">
        level
      </text>
      <rect x={40} y={H - 40} width={W - 80} height={6} fill="var(--hair)" />
      <text x={W / 2} y={H - 20} textAnchor="middle" fontSize={12} fill="var(--ink2)">
        heights drawn {steeper >= 10 ? Math.round(steeper) : steeper.toFixed(1)} times steeper than they are
      </text>
      {found ? (
        <path
          d={`M${x(x0)} ${y(found.line_mm[0]!)}L${x(x1)} ${y(found.line_mm[1]!)}`}
          stroke="var(--ink)"
          strokeWidth={7}
          strokeLinecap="round"
          strokeOpacity={0.75}
        />
      ) : null}
      {found?.screws.map((s) => (
        <g key={s.name}>
          <path d={`M${x(s.x_mm)} 92V${H - 40}`} stroke="var(--ink2)" strokeWidth={3} strokeDasharray="3 3" />
          <TurnArc x={x(s.x_mm)} y={32} turns={s.turns.value} direction={s.direction ?? null} label={s.name} />
        </g>
      ))}
      {gaps.map((g, i) => (
        <circle key={i} cx={x(g.x_mm)} cy={y(g.height_mm)} r={5} fill="var(--go)" />
      ))}
    </>
  );
}

export function sketch() {
  return { note: "Gap under the beam, at both ends and between" };
}

export function Live({ rows }: { rows: Row[] }) {
  const gaps = rows as unknown as Gap[];
  if (gaps.length < 2) return null;
  return (
    <svg viewBox={`0 0 ${W} ${H}`} className="block w-full" role="img" aria-label={`${gaps.length} gaps so far`}>
      <Beam gaps={gaps} />
    </svg>
  );
}

export function Result({ capture }: Shown) {
  const found = capture.found;
  if (found.procedure !== "gantry") return null;
  const turned = found.screws.filter((s) => s.direction);
  return (
    <Figure
      name="beam"
      label={`The beam rises along X by ${found.tilt.value.toFixed(3)} mm in 100 mm. ${
        turned.map((s) => `Screw ${s.name}: ${s.degrees.value.toFixed(0)} degrees ${s.direction}`).join(", ") ||
        "No screw wants turning"
      }`}
      width={W}
      height={H}
    >
      <Beam gaps={found.probe} found={found} />
    </Figure>
  );
}
