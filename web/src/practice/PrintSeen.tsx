/** The part as it came off the practice machine: both walls as one sees them, the lid from above, the first layer from below. */
import type { Schemas } from "../api/client";

type Print = Schemas["Print"];
type Wall = Schemas["Wall"];

/** Pixels for a millimetre, the part's edge (mm), and layers that are drawn. */
const PX = 3;
const EDGE = 60;
const LAYERS = 60;
/** What is a fraction of a millimetre is drawn so many times larger: a hand turns the part in the light, a picture cannot. */
const LIFT = 14;

export function PrintSeen({ p, className = "" }: { p: Print; className?: string }) {
  return (
    <div className={`grid gap-3 sm:grid-cols-2 ${className}`}>
      {p.walls.map((w) => (
        <Figure key={w.along} words={`The wall along ${w.along.toUpperCase()}`}>
          <WallSeen p={p} w={w} />
        </Figure>
      ))}
      <Figure words="The lid with its ring, from above">
        <LidSeen p={p} />
      </Figure>
      <Figure words="The underside, and two posts beside it">
        <UnderSeen p={p} />
      </Figure>
    </div>
  );
}

function Figure({ words, children }: { words: string; children: React.ReactNode }) {
  return (
    <figure className="rounded-[3px] bg-well p-2">
      {children}
      <figcaption className="px-1 text-[15px] text-ink2">{words}</figcaption>
    </figure>
  );
}

const SIZE = (EDGE + 16) * PX;
const FOOT = (EDGE + 8) * PX;

/** How far a layer at a height (0 to 1) stands aside (mm). */
function aside(w: Wall, height: number): number {
  const ledge = [...w.ledges].reverse().find((l) => height >= l.at);
  return (ledge?.aside_mm ?? 0) + w.leans_mm * height;
}

/** How far a rib stands out at a height: regular ones a lead apart, uneven ones anyhow, the same at each look. */
function rib(p: Print, height: number): number {
  const z = height * EDGE;
  let out = 0;
  if (p.bands_every_mm) out += Math.sin((2 * Math.PI * z) / p.bands_every_mm) * (p.bands_grow ? 0.3 + height : 0.8);
  if (p.bands_uneven) out += Math.sin(z * 1.7) * Math.sin(z * 0.61 + 1) * 0.9;
  return out;
}

function WallSeen({ p, w }: { p: Print; w: Wall }) {
  const wide = EDGE * (1 + w.too_long * 3) * PX;
  const tall = EDGE * (1 + p.too_tall * 1.5) * PX;
  const left = (SIZE - wide) / 2;
  const rows = [];
  const reached = p.stopped_at ?? 1;
  for (let k = 0; k < LAYERS; k++) {
    const height = k / LAYERS;
    if (height > reached) break;
    const gone = p.missing.some((m) => Math.abs(m - height) < 0.012);
    if (gone) continue;
    const sheen = p.sheen && Math.floor(height * 7) % 2 === 1;
    const light = 60 + rib(p, height) * 9 - (sheen ? 12 : 0) + (p.thin ? 10 : 0);
    const bulge = p.bulging * 1.2 * PX * (k % 3 === 0 ? 1 : 0.5);
    const curl = p.corner_up && k < 5 ? (5 - k) * 2.4 : 0;
    const y = FOOT - (height + 1 / LAYERS) * tall;
    const x = left + aside(w, height) * PX - bulge + rib(p, height) * 1.2;
    const end = x + wide + 2 * bulge;
    const thick = (tall / LAYERS) * (p.thin ? 0.62 : 1.02);
    rows.push(
      <g key={k}>
        <path
          d={`M${x} ${y}H${end}V${y + thick}${curl ? `Q${end - 20} ${y + thick} ${end} ${y + thick - curl}` : ""}H${x}Z`}
          fill={`hsl(165 18% ${light}%)`}
        />
        {/* The lip goes with its layer. */}
        {w.lip_at_turn ? (
          <path d={`M${x + 2} ${y}h3v${thick}h-3zM${end - 5} ${y}h3v${thick}h-3z`} fill="hsl(165 20% 34%)" />
        ) : null}
      </g>,
    );
  }
  const top = FOOT - tall * reached;
  return (
    <svg viewBox={`0 0 ${SIZE} ${SIZE}`} className="w-full" role="img" aria-label={words(p, w)}>
      <line x1="6" x2={SIZE - 6} y1={FOOT} y2={FOOT} stroke="var(--line)" strokeWidth="2" />
      {rows}
      <Ripples w={w} left={left} wide={wide} top={top} />
      <Upright w={w} left={left} wide={wide} top={top} />
      {p.infill_gap ? (
        <line
          x1={left + 8}
          x2={left + wide - 8}
          y1={top + 3}
          y2={top + 3}
          stroke="var(--ink)"
          strokeWidth="1.6"
          strokeDasharray="9 3"
        />
      ) : null}
      {p.knocked ? <path d={`M${left + wide * 0.7} ${top}l12 -7l4 9z`} fill="hsl(165 18% 52%)" /> : null}
      {p.drooping ? <Droop left={left} wide={wide} y={FOOT - tall * 0.45} /> : null}
      {/* An edge to hold it against. */}
      <path
        d={`M${SIZE - 12} ${FOOT}V${FOOT - EDGE * PX}`}
        stroke="var(--ink2)"
        strokeWidth="1"
        strokeDasharray="2 4"
      />
    </svg>
  );
}

/** Ripples die away from the corner at the left. */
function Ripples({ w, left, wide, top }: { w: Wall; left: number; wide: number; top: number }) {
  if (!w.ripple_mm) return null;
  const lines = [];
  for (let k = 0; k < 9; k++) {
    const x = left + (k + 0.6) * w.ripple_every_mm * PX * 1.6;
    if (x > left + wide - 4) break;
    const deep = Math.min(0.55, w.ripple_mm * LIFT * 0.55 * Math.exp(-k / 3));
    lines.push(
      <rect
        key={k}
        x={x}
        y={top}
        width={w.ripple_every_mm * PX * 0.55}
        height={FOOT - top}
        fill="#0b1c17"
        opacity={deep}
      />,
    );
  }
  return <g>{lines}</g>;
}

function Upright({ w, left, wide, top }: { w: Wall; left: number; wide: number; top: number }) {
  if (!w.lines_every_mm) return null;
  const every = Math.max(4, w.lines_every_mm * PX);
  const lines = [];
  for (let x = left + every / 2; x < left + wide; x += every)
    lines.push(<line key={x} x1={x} x2={x} y1={top} y2={FOOT} stroke="#0b1c17" strokeWidth="1" opacity="0.35" />);
  return <g>{lines}</g>;
}

function Droop({ left, wide, y }: { left: number; wide: number; y: number }) {
  const loops = [];
  for (let k = 0; k < 7; k++) {
    const x = left + wide * (0.2 + 0.08 * k);
    loops.push(
      <path
        key={k}
        d={`M${x} ${y}q6 ${12 + (k % 3) * 5} 13 0`}
        fill="none"
        stroke="hsl(165 18% 40%)"
        strokeWidth="2"
      />,
    );
  }
  return <g>{loops}</g>;
}

function LidSeen({ p }: { p: Print }) {
  const c = SIZE / 2;
  const r = 22 * PX;
  const points = [];
  for (let k = 0; k < 96; k++) {
    const a = (2 * Math.PI * k) / 96;
    let x = Math.cos(a) * (1 + (p.ring.x - 1) * 4);
    let y = Math.sin(a) * (1 + (p.ring.y - 1) * 4);
    if (p.ring.flat.includes("x") && Math.abs(Math.cos(a)) > 0.94) x = Math.sign(x) * 0.94;
    if (p.ring.flat.includes("y") && Math.abs(Math.sin(a)) > 0.94) y = Math.sign(y) * 0.94;
    points.push([c + r * (x + p.ring.lean * 8 * y), c - r * y] as const);
  }
  const path = `M${points.map(([x, y]) => `${x.toFixed(1)} ${y.toFixed(1)}`).join("L")}Z`;
  const skew = p.ring.lean * 8 * EDGE * PX * 0.5;
  const h = (EDGE / 2) * PX;
  const gaps = p.ring.gap.flatMap((axis) =>
    axis === "x" ? [[c + r, c] as const, [c - r, c] as const] : [[c, c + r] as const, [c, c - r] as const],
  );
  return (
    <svg viewBox={`0 0 ${SIZE} ${SIZE}`} className="w-full" role="img" aria-label={lid(p)}>
      <path
        d={`M${c - h - skew} ${c + h}L${c + h - skew} ${c + h}L${c + h + skew} ${c - h}L${c - h + skew} ${c - h}Z`}
        fill="hsl(165 18% 64%)"
        stroke="hsl(165 20% 38%)"
      />
      {p.bulging ? <Scars c={c} h={h} /> : null}
      <path d={path} fill="none" stroke="hsl(165 20% 30%)" strokeWidth="7" />
      {gaps.map(([x, y]) => (
        <rect key={`${x} ${y}`} x={x - 5} y={y - 5} width="10" height="10" fill="hsl(165 18% 64%)" />
      ))}
      <text x="8" y={SIZE - 8} fontSize="15" fill="var(--ink2)">
        X →
      </text>
      <text x="8" y="20" fontSize="15" fill="var(--ink2)">
        Y ↑
      </text>
    </svg>
  );
}

function Scars({ c, h }: { c: number; h: number }) {
  return (
    <g stroke="hsl(165 20% 48%)" strokeWidth="3">
      {[0.2, 0.45, 0.7].map((t) => (
        <line key={t} x1={c - h + 8} x2={c + h - 8} y1={c - h + t * 2 * h} y2={c - h + t * 2 * h - 14} />
      ))}
    </g>
  );
}

function UnderSeen({ p }: { p: Print }) {
  const h = EDGE * PX * 0.62;
  const lines = [];
  for (let k = 0; k < 22; k++) {
    const t = k / 22;
    const loose = p.first_gap === "loose" || (p.first_uneven && t > 0.55);
    const scraped = p.first_gap === "scraped" || (p.first_uneven && t < 0.25);
    lines.push(
      <line
        key={k}
        x1={14}
        x2={14 + h}
        y1={20 + (k * h) / 22}
        y2={20 + (k * h) / 22}
        stroke={scraped ? "hsl(165 14% 78%)" : "hsl(165 20% 42%)"}
        strokeWidth={loose ? 2 : scraped ? 6 : 5}
      />,
    );
  }
  const post = (x: number) => <rect key={x} x={x} y={80} width="20" height={FOOT - 80} fill="hsl(165 18% 58%)" />;
  const hairs = [];
  if (p.strings)
    for (let k = 0; k < 9; k++)
      hairs.push(
        <path
          key={k}
          d={`M172 ${90 + k * 11}q12 ${4 + (k % 3) * 3} 26 0`}
          fill="none"
          stroke="hsl(165 20% 40%)"
          strokeWidth="0.9"
        />,
      );
  return (
    <svg viewBox={`0 0 ${SIZE} ${SIZE}`} className="w-full" role="img" aria-label={under(p)}>
      {lines}
      <text
        x={34}
        y={20 + h / 2 + 8}
        fontSize="30"
        fontWeight="700"
        fill="var(--well)"
        opacity={p.lettering_closed ? 0.25 : 1}
      >
        ROPE
      </text>
      {post(152)}
      {post(198)}
      {hairs}
      <line x1="140" x2={SIZE - 4} y1={FOOT} y2={FOOT} stroke="var(--line)" strokeWidth="2" />
    </svg>
  );
}

/** What the pictures show, for who cannot see them: no more than they do. */
function words(p: Print, w: Wall): string {
  const out = [`Wall along ${w.along.toUpperCase()}.`];
  if (w.ripple_mm) out.push("Stripes after the corner that die away.");
  if (w.lines_every_mm) out.push("Upright lines all along it.");
  if (w.ledges.length) out.push(`Stands aside from ${w.ledges.length} height${w.ledges.length > 1 ? "s" : ""} on.`);
  if (w.leans_mm) out.push("Its top stands aside of its foot.");
  if (w.lip_at_turn) out.push("A line at both ends.");
  if (p.bands_every_mm) out.push("Ribs at one distance.");
  if (p.bands_uneven) out.push("Uneven ridges.");
  if (p.thin) out.push("Thin, with gaps between the lines.");
  if (p.missing.length) out.push("Layers missing.");
  if (p.bulging) out.push("It bulges.");
  if (p.sheen) out.push("Dull and shiny stretches.");
  if (p.drooping) out.push("Loops hang under the overhang.");
  if (p.corner_up) out.push("A corner is up.");
  if (p.stopped_at !== null) out.push("It ends before its height.");
  if (w.too_long > 0.003 || w.too_long < -0.003)
    out.push(w.too_long > 0 ? "Longer than drawn." : "Shorter than drawn.");
  return out.length > 1 ? out.join(" ") : `${out[0]} Even.`;
}

function lid(p: Print): string {
  const out = ["The lid with its ring."];
  if (Math.abs(p.ring.x - p.ring.y) > 0.002) out.push(p.ring.x > p.ring.y ? "Long along X." : "Long along Y.");
  if (p.ring.lean) out.push("Pushed over.");
  if (p.ring.flat.length) out.push(`Flat where ${p.ring.flat.join(" and ").toUpperCase()} turns round.`);
  if (p.ring.gap.length) out.push(`Open where ${p.ring.gap.join(" and ").toUpperCase()} turns round.`);
  return out.length > 1 ? out.join(" ") : `${out[0]} Round and square.`;
}

function under(p: Print): string {
  const out = ["The underside, and two posts."];
  if (p.first_uneven) out.push("Scraped at one side, loose lines at the other.");
  if (p.first_gap) out.push(p.first_gap === "scraped" ? "Scraped thin all over." : "Loose lines all over.");
  if (p.lettering_closed) out.push("Its letters are filled up.");
  if (p.strings) out.push("Hairs hang between the posts.");
  return out.length > 1 ? out.join(" ") : `${out[0]} Even, and clean between the posts.`;
}
