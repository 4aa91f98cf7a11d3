/** The circle as it was drawn and the oval as it came out, the difference drawn larger; each diameter at its angle. */
import type { Schemas } from "../../api/client";
import { Figure } from "../../kit/Figure";
import type { Shown } from "../drawing";

const S = 400;
const R = 120;
/** What the largest deviation is drawn as. */
const REACH = 22;

function Oval({ found, nominal }: { found: Schemas["RoundnessResult"]; nominal: number }) {
  const off = (t: number) =>
    found.mean_mm - nominal + found.along_mm * Math.cos(2 * t) + found.diagonal_mm * Math.sin(2 * t);
  const most = Math.max(
    0.02,
    ...found.readings.map((r) => Math.abs(r.diameter_mm - nominal)),
    Math.abs(found.mean_error.value) + found.out_of_round.value / 2,
  );
  const at = (t: number, d: number): [number, number] => {
    const r = R + (d / most) * REACH;
    return [S / 2 + r * Math.cos(t), S / 2 - r * Math.sin(t)];
  };
  const rim = Array.from({ length: 121 }, (_, i) => at((2 * Math.PI * i) / 120, off((2 * Math.PI * i) / 120)));
  const times = Math.round(REACH / most / (R / (nominal / 2)) / 0.5) / 2;
  return (
    <Figure
      name="roundness"
      label={`The circle came out ${found.out_of_round.value.toFixed(2)} mm out of round, ${found.mean_error.value.toFixed(2)} mm larger than drawn`}
      width={S}
      height={S + 20}
    >
      <path d={`M24 ${S / 2}H${S - 24}M${S / 2} 24V${S - 24}`} stroke="var(--hair)" />
      <path
        d={`M${S / 2 - 130} ${S / 2 + 130}L${S / 2 + 130} ${S / 2 - 130}M${S / 2 - 130} ${S / 2 - 130}L${S / 2 + 130} ${S / 2 + 130}`}
        stroke="var(--hair)"
        strokeDasharray="4 4"
      />
      <text x={S - 20} y={S / 2 + 4} fontSize={14} fontWeight={600} fill="var(--ink)">
        X
      </text>
      <text x={S / 2 - 5} y={18} fontSize={14} fontWeight={600} fill="var(--ink)">
        Y
      </text>
      <circle cx={S / 2} cy={S / 2} r={R} fill="none" stroke="var(--line)" strokeWidth={1.5} strokeDasharray="6 5" />
      <path
        d={`${rim.map((p, i) => `${i ? "L" : "M"}${p.map((v) => v.toFixed(1)).join(" ")}`).join("")}Z`}
        fill="var(--go)"
        fillOpacity={0.07}
        stroke="var(--go)"
        strokeWidth={2.5}
      />
      {found.readings.flatMap((r, i) =>
        [0, Math.PI].map((half) => {
          const [cx, cy] = at((r.angle_deg * Math.PI) / 180 + half, r.diameter_mm - nominal);
          return <circle key={`${i}-${half}`} cx={cx} cy={cy} r={4} fill="var(--ink)" fillOpacity={0.75} />;
        }),
      )}
      <text x={S / 2} y={S + 12} textAnchor="middle" fontSize={12} fill="var(--ink2)">
        dashes: as drawn; what it is off by is drawn {Math.max(1, times)} times
      </text>
    </Figure>
  );
}

export function sketch() {
  return { note: "0° is along X" };
}

export function Result({ capture }: Shown) {
  const found = capture.found;
  if (found.procedure !== "roundness") return null;
  const nominal = (capture.context as { nominal_mm?: number }).nominal_mm ?? found.mean_mm;
  return (
    <div className="max-w-[440px]">
      <Oval found={found} nominal={nominal} />
    </div>
  );
}
