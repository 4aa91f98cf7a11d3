/** A drawing of figures, in its own frame: named for those who do not see it, read by pointing, taken along as SVG or PNG. */
import { type ReactNode, useRef } from "react";

type Props = {
  /** What it is saved as. */
  name: string;
  /** What it shows, in words. */
  label: string;
  /** In the drawing's own units, which it fills the page's width with. */
  width: number;
  height: number;
  /** Where one points, in the same units; null when one no longer does. */
  onPoint?: (at: { x: number; y: number } | null) => void;
  children: ReactNode;
};

export function Figure({ name, label, width, height, onPoint, children }: Props) {
  const svg = useRef<SVGSVGElement>(null);
  return (
    <figure>
      <svg
        ref={svg}
        viewBox={`0 0 ${width} ${height}`}
        className="block w-full"
        role="img"
        aria-label={label}
        fontFamily="var(--font-sans)"
        onPointerMove={
          onPoint &&
          ((e) => {
            const r = e.currentTarget.getBoundingClientRect();
            onPoint({ x: ((e.clientX - r.left) / r.width) * width, y: ((e.clientY - r.top) / r.height) * height });
          })
        }
        onPointerLeave={onPoint && (() => onPoint(null))}
      >
        {children}
      </svg>
      <figcaption className="flex justify-end gap-4 text-[14px]">
        <button type="button" className="min-h-8 underline" onClick={() => svg.current && saveSvg(svg.current, name)}>
          Save as SVG
        </button>
        <button type="button" className="min-h-8 underline" onClick={() => svg.current && savePng(svg.current, name)}>
          Save as PNG
        </button>
      </figcaption>
    </figure>
  );
}

/** The drawing by itself: colours that stand in the page's tokens are written out. */
function standalone(svg: SVGSVGElement): string {
  const style = getComputedStyle(svg);
  const text = new XMLSerializer().serializeToString(svg);
  const resolved = text.replace(/var\((--[\w-]+)\)/g, (_, token: string) =>
    token === "--font-sans" ? "sans-serif" : style.getPropertyValue(token).trim() || "#000",
  );
  const [, , w, h] = (svg.getAttribute("viewBox") ?? "0 0 560 180").split(" ");
  return resolved.replace(
    "<svg ",
    `<svg width="${w}" height="${h}" style="background:${style.getPropertyValue("--sheet").trim()}" `,
  );
}

function offer(blob: Blob, name: string) {
  const a = document.createElement("a");
  a.href = URL.createObjectURL(blob);
  a.download = name;
  a.click();
  setTimeout(() => URL.revokeObjectURL(a.href), 2000);
}

function saveSvg(svg: SVGSVGElement, name: string) {
  offer(new Blob([standalone(svg)], { type: "image/svg+xml" }), `${name}.svg`);
}

function savePng(svg: SVGSVGElement, name: string) {
  const image = new Image();
  const url = URL.createObjectURL(new Blob([standalone(svg)], { type: "image/svg+xml" }));
  image.onload = () => {
    const canvas = document.createElement("canvas");
    canvas.width = image.width * 2;
    canvas.height = image.height * 2;
    canvas.getContext("2d")!.drawImage(image, 0, 0, canvas.width, canvas.height);
    canvas.toBlob((b) => b && offer(b, `${name}.png`));
    URL.revokeObjectURL(url);
  };
  image.src = url;
}
