/** The photo ruler: a picture of the wall, two points of known distance, a line across the pattern; out comes the spacing. */
import { useMutation } from "@tanstack/react-query";
import { type PointerEvent, useRef, useState } from "react";
import { api, got, newKey, type Schemas, send } from "../api/client";
import { Button, ErrorNote, FilePick, PICTURES, TextField } from "../kit/bits";
import { Curves } from "../kit/Curves";
import { parseFigure, sentence } from "../kit/figures";
import { useMe } from "../session/me";

type Wall = Schemas["WallOut"];
type P = { x: number; y: number };
type Points = { line: P[]; ruler: P[]; rectangle: P[] };

const NAMES: Record<keyof Points, string[]> = {
  line: ["Line across the pattern, start", "Line across the pattern, end"],
  ruler: ["Known distance, first end", "Known distance, second end"],
  rectangle: ["Rectangle, upper left", "Rectangle, upper right", "Rectangle, lower right", "Rectangle, lower left"],
};

function startPoints(wall: Wall): Points {
  const at = (u: number, v: number) => ({ x: wall.width * u, y: wall.height * v });
  return {
    line: wall.marks?.line ?? [at(0.2, 0.5), at(0.8, 0.5)],
    ruler: wall.marks?.ruler?.ends ?? [at(0.2, 0.8), at(0.8, 0.8)],
    rectangle: wall.marks?.rectangle?.corners ?? [at(0.15, 0.2), at(0.85, 0.2), at(0.85, 0.7), at(0.15, 0.7)],
  };
}

export function PhotoRuler({
  printerId,
  place,
  simulated,
  onUse,
}: {
  printerId: number;
  place: string;
  simulated: boolean;
  onUse: (spacing: Schemas["Quantity"], wall: number) => void;
}) {
  const [wall, setWall] = useState<Wall | null>(null);
  const add = useMutation({
    mutationFn: async (f: File | null) => {
      if (!f)
        return got(
          api.POST("/api/printers/{printer_id}/walls/made", {
            params: { path: { printer_id: printerId }, query: { place } },
          }),
        );
      const form = new FormData();
      form.append("file", f);
      return send<Wall>(`/api/printers/${printerId}/walls`, form, newKey());
    },
    onSuccess: setWall,
  });
  if (wall) return <Marking key={wall.id} wall={wall} onOther={() => setWall(null)} onUse={onUse} />;
  return (
    <div className="grid gap-3">
      <p>
        Light the wall from the side, lay a rule beside it, hold the camera square to both. A known rectangle round the
        pattern (a card, a gauge) takes out what tilt is left.
      </p>
      <div className="flex flex-wrap gap-3">
        <FilePick label="Load a picture" accept={PICTURES} camera onFile={(f) => add.mutate(f)} />
        {simulated ? (
          <Button disabled={add.isPending} onClick={() => add.mutate(null)}>
            Photograph the simulated print
          </Button>
        ) : null}
      </div>
      <ErrorNote error={add.error} />
    </div>
  );
}

function Marking({
  wall,
  onOther,
  onUse,
}: {
  wall: Wall;
  onOther: () => void;
  onUse: (spacing: Schemas["Quantity"], wall: number) => void;
}) {
  const me = useMe();
  const svg = useRef<SVGSVGElement>(null);
  const [points, setPoints] = useState<Points>(() => startPoints(wall));
  const [tilt, setTilt] = useState(Boolean(wall.marks?.rectangle));
  const [texts, setTexts] = useState({
    distance: String(wall.marks?.ruler?.distance_mm ?? 40),
    width: String(wall.marks?.rectangle?.width_mm ?? 60),
    height: String(wall.marks?.rectangle?.height_mm ?? 30),
  });
  const [held, setHeld] = useState<[keyof Points, number] | null>(null);
  const measure = useMutation({
    mutationFn: async () => {
      const [distance, width, height] = [texts.distance, texts.width, texts.height].map((t) => parseFigure(t));
      if (!tilt && !distance) throw new Error("Known distance: enter it in mm.");
      if (tilt && (!width || !height)) throw new Error("Rectangle: enter its width and height in mm.");
      const marks: Schemas["WallMarks"] = tilt
        ? { line: points.line, rectangle: { corners: points.rectangle, width_mm: width!, height_mm: height! } }
        : { line: points.line, ruler: { ends: points.ruler, distance_mm: distance! } };
      return got(api.POST("/api/walls/{wall_id}/measure", { params: { path: { wall_id: wall.id } }, body: marks }));
    },
  });
  const found = measure.data?.found ?? null;
  const shown: (keyof Points)[] = tilt ? ["rectangle", "line"] : ["ruler", "line"];
  const r = wall.width / 60;
  const move = (kind: keyof Points, i: number, p: P) =>
    setPoints((all) => ({
      ...all,
      [kind]: all[kind].map((q, j) =>
        j === i ? { x: Math.min(wall.width - 2, Math.max(1, p.x)), y: Math.min(wall.height - 2, Math.max(1, p.y)) } : q,
      ),
    }));
  const drag = (e: PointerEvent<SVGSVGElement>) => {
    if (!held) return;
    const box = e.currentTarget.getBoundingClientRect();
    move(held[0], held[1], {
      x: ((e.clientX - box.left) / box.width) * wall.width,
      y: ((e.clientY - box.top) / box.height) * wall.height,
    });
  };
  const outline = (kind: keyof Points) =>
    points[kind].map((p, i) => `${i ? "L" : "M"}${p.x} ${p.y}`).join("") + (kind === "rectangle" ? "Z" : "");
  return (
    <div className="grid gap-3">
      <svg
        ref={svg}
        viewBox={`0 0 ${wall.width} ${wall.height}`}
        className="block w-full touch-none border border-line"
        role="group"
        aria-label="Picture of the wall with the marks on it"
        onPointerMove={drag}
        onPointerUp={() => setHeld(null)}
        onPointerLeave={() => setHeld(null)}
      >
        <image href={`/api/walls/${wall.id}/image`} width={wall.width} height={wall.height} />
        {shown.map((kind) => (
          <g key={kind}>
            <path d={outline(kind)} fill="none" stroke="#000" strokeWidth={r / 3.2} opacity={0.7} />
            <path
              d={outline(kind)}
              fill="none"
              stroke={kind === "line" ? "#ffe14d" : "#fff"}
              strokeWidth={r / 7}
              strokeDasharray={kind === "line" ? undefined : `${r} ${r / 2}`}
            />
            {points[kind].map((p, i) => (
              <g
                key={NAMES[kind][i]}
                tabIndex={0}
                role="button"
                aria-label={`${NAMES[kind][i]}, at ${Math.round(p.x)}, ${Math.round(p.y)}; arrow keys move it`}
                className="cursor-move"
                onPointerDown={(e) => {
                  e.preventDefault();
                  setHeld([kind, i]);
                }}
                onKeyDown={(e) => {
                  const step = e.shiftKey ? 10 : 1;
                  const by = {
                    ArrowLeft: [-step, 0],
                    ArrowRight: [step, 0],
                    ArrowUp: [0, -step],
                    ArrowDown: [0, step],
                  }[e.key];
                  if (!by) return;
                  e.preventDefault();
                  move(kind, i, { x: p.x + by[0]!, y: p.y + by[1]! });
                }}
              >
                <circle cx={p.x} cy={p.y} r={r * 1.4} fill="transparent" />
                <circle cx={p.x} cy={p.y} r={r * 0.75} fill="none" stroke="#000" strokeWidth={r / 3.4} />
                <circle
                  cx={p.x}
                  cy={p.y}
                  r={r * 0.75}
                  fill="none"
                  stroke={kind === "line" ? "#ffe14d" : "#fff"}
                  strokeWidth={r / 7}
                />
                <path d={`M${p.x - r / 2} ${p.y}h${r}M${p.x} ${p.y - r / 2}v${r}`} stroke="#fff" strokeWidth={r / 10} />
              </g>
            ))}
          </g>
        ))}
      </svg>
      <div className="grid items-end gap-3 sm:grid-cols-3">
        <label className="col-span-full flex min-h-11 items-center gap-3">
          <input type="checkbox" className="size-5" checked={tilt} onChange={(e) => setTilt(e.target.checked)} />
          Take out the tilt by a known rectangle
        </label>
        {(tilt ? (["width", "height"] as const) : (["distance"] as const)).map((name) => (
          <TextField
            key={name}
            label={{ distance: "Known distance, mm", width: "Rectangle's width, mm", height: "Its height, mm" }[name]}
            figure
            value={texts[name]}
            onText={(typed) => setTexts({ ...texts, [name]: typed })}
          />
        ))}
      </div>
      <div className="flex flex-wrap gap-3">
        <Button next={!found} disabled={measure.isPending} onClick={() => measure.mutate()}>
          Measure along the line
        </Button>
        <Button onClick={onOther}>Another picture</Button>
      </div>
      <ErrorNote error={measure.error} />
      {found ? (
        <div className="grid gap-3" aria-live="polite">
          <p className="text-[21px]">
            Spacing <b className="font-mono">{sentence(found.spacing, me)}</b>,{" "}
            <span className="text-ink2">
              {found.ripples.toFixed(1)} ripples over {found.length_mm.toFixed(1)} mm
            </span>
          </p>
          <Button next className="justify-self-start" onClick={() => onUse(found.spacing, wall.id)}>
            Use this spacing
          </Button>
          <Curves
            series={[{ name: "grey along the line", x: found.position_mm, y: found.profile, look: "main" }]}
            label="Grey along the line"
            name="wall-profile"
            xUnit="mm"
            yUnit="shade"
          />
          <Curves
            series={[
              {
                name: "strength by spacing",
                x: found.spacings_mm.filter((v) => v < 5 * found.spacing.value).reverse(),
                y: found.strength.filter((_, i) => found.spacings_mm[i]! < 5 * found.spacing.value).reverse(),
                look: "go",
              },
            ]}
            marks={[{ x: found.spacing.value, label: `${found.spacing.value.toFixed(2)} mm` }]}
            label="Strength of the pattern by its spacing"
            name="wall-spectrum"
            xUnit="mm"
            yUnit="strength"
          />
        </div>
      ) : null}
    </div>
  );
}
