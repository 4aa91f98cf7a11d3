/** Two pictures from the same place, one over the other: a slider wipes between them, by hand or by arrow key. */
import { type CSSProperties, useState } from "react";
import type { Schemas } from "../api/client";

export type Fit = Schemas["Fit"];
type Picture = { src: string; alt: string; width: number; height: number };

/** How the later picture lies over the earlier one. Shares are of the earlier one's width and height. */
export function laid(fit: Fit | null, earlier: Picture, later: Picture): CSSProperties {
  const f = { right: 0, down: 0, size: 1, turn: 0, ...fit };
  // At its plain size it is as wide as the earlier one, and in its middle.
  const height = (later.height / later.width) * (earlier.width / earlier.height) * 100;
  return {
    position: "absolute",
    width: "100%",
    height: `${height}%`,
    left: `${100 * f.right}%`,
    top: `${(100 - height) / 2 + 100 * f.down}%`,
    maxWidth: "none",
    transform: `rotate(${f.turn}deg) scale(${f.size})`,
  };
}

type Props = { before: Picture; after: Picture; fit: Fit | null; label: string };

export function BeforeAfter({ before, after, fit, label }: Props) {
  const [share, setShare] = useState(50);
  return (
    <div
      className="relative w-full overflow-hidden rounded-[3px] bg-well focus-within:outline-3 focus-within:outline-go"
      style={{ aspectRatio: `${before.width} / ${before.height}` }}
    >
      <img src={before.src} alt={before.alt} className="absolute h-full w-full" />
      <div className="absolute inset-0 overflow-hidden" style={{ clipPath: `inset(0 0 0 ${share}%)` }}>
        <img src={after.src} alt={after.alt} style={laid(fit, before, after)} />
      </div>
      <div className="pointer-events-none absolute inset-y-0 w-[3px] bg-go" style={{ left: `calc(${share}% - 1px)` }}>
        <span className="absolute top-1/2 left-1/2 flex h-11 w-11 -translate-x-1/2 -translate-y-1/2 items-center justify-center rounded-full bg-go font-bold text-goink">
          ◂▸
        </span>
      </div>
      <span className="absolute top-2 left-2 bg-sheet px-2 text-[15px] font-semibold">before</span>
      <span className="absolute top-2 right-2 bg-sheet px-2 text-[15px] font-semibold">after</span>
      <input
        type="range"
        min={0}
        max={100}
        value={share}
        aria-label={label}
        aria-valuetext={`${share} % before, ${100 - share} % after`}
        className="absolute inset-0 h-full w-full cursor-ew-resize opacity-0"
        onChange={(e) => setShare(Number(e.target.value))}
      />
    </div>
  );
}
