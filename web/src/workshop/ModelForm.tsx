/** Describing a model: its kinematics, each belt with span and tensioner, and the tension bands with their source. */
import { useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { KINEMATICS } from "../floor/Floor";
import { Button, ErrorNote, Field, INPUT } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import { Sketch } from "../kit/Sketch";
import { useShopWrite } from "./WorkshopPage";

type Kinematics = Schemas["Description"]["kinematics"];
type Model = Schemas["ModelOut"];
type BeltDraft = {
  place: string;
  width_mm: string;
  span_mm: string;
  span_name: string;
  density: string;
  loop: string;
  kind: string;
  pitch: string;
  tighten: string;
  relief: boolean;
  where: string;
  low: string;
  high: string;
  source: string;
};

const BELTS: Record<Kinematics, string[]> = {
  bed_slinger: ["x", "y"],
  fixed_bed: ["x", "y1", "y2"],
  corexy: ["a", "b"],
  delta: ["t1", "t2", "t3"],
  belt_bed: ["x", "y", "z"],
};
const PAIRS: Partial<Record<Kinematics, [string, string][]>> = { corexy: [["a", "b"]], fixed_bed: [["y1", "y2"]] };
const SCREWS: Partial<Record<Kinematics, string[]>> = {
  bed_slinger: ["z1", "z2"],
  fixed_bed: ["z1", "z2"],
  corexy: ["z1", "z2", "z3"],
};

const blank = (place: string): BeltDraft => ({
  place,
  width_mm: "6",
  span_mm: "",
  span_name: "",
  density: "",
  loop: "",
  kind: "threaded_idler",
  pitch: "0.7",
  tighten: "clockwise",
  relief: false,
  where: "",
  low: "20",
  high: "50",
  source: "typical",
});

/** Whether a screw sets the tension; else the tensioner is moved by hand, in millimetres. */
const hasScrew = (b: BeltDraft) =>
  b.kind === "threaded_idler" || b.kind === "threaded_clamp" || (b.kind === "sprung_lock" && b.relief);

function draftOf(model: Model): BeltDraft[] {
  return Object.entries(model.description.transmissions).flatMap(([place, t]) => {
    if (t.kind !== "belt") return [];
    const limit = model.limits?.find((l) => l.what === "tension" && l.place === place);
    const text = (v: number | null | undefined) => (v == null ? "" : String(v));
    return [
      {
        place,
        width_mm: text(t.width_mm),
        span_mm: text(t.spans?.[0]?.span_mm),
        span_name: t.spans?.[0]?.name ?? "",
        density: text(t.linear_density_g_per_m),
        loop: text(t.loop_length_mm),
        kind: t.tensioner?.kind ?? "threaded_idler",
        pitch: text(t.tensioner?.thread_pitch_mm),
        tighten: t.tensioner?.tighten ?? "clockwise",
        relief: t.tensioner?.relief ?? false,
        where: t.tensioner_place ?? "",
        low: text(limit?.low ?? 20),
        high: text(limit?.high ?? 50),
        source: limit?.source ?? "typical",
      },
    ];
  });
}

export function ModelForm({ model, leave }: { model: Model | null; leave: () => void }) {
  const [name, setName] = useState(model?.name ?? "");
  const [kinematics, setKinematics] = useState<Kinematics>(model?.description.kinematics ?? "bed_slinger");
  const [belts, setBelts] = useState<BeltDraft[]>(model ? draftOf(model) : BELTS.bed_slinger.map(blank));
  const [wrong, setWrong] = useState("");
  const save = useShopWrite(
    (body: Schemas["ModelIn"]) =>
      model
        ? got(api.PUT("/api/workshop/models/{model_id}", { params: { path: { model_id: model.id } }, body }))
        : got(api.POST("/api/workshop/models", { body })),
    leave,
  );
  const set = (i: number, part: Partial<BeltDraft>) => setBelts(belts.map((b, j) => (j === i ? { ...b, ...part } : b)));

  function build(): Schemas["ModelIn"] {
    const figure = (
      b: BeltDraft,
      key: keyof Omit<BeltDraft, "relief">,
      label: string,
      needed: boolean,
    ): number | null => {
      const text = b[key].trim();
      if (!text && !needed) return null;
      const v = parseFigure(text);
      if (v === null || v <= 0) throw new Error(`Belt ${b.place.toUpperCase()}, ${label}: enter a figure above zero.`);
      return v;
    };
    // What the form does not show (screws, extruder, pitch, teeth) stays as it was.
    const kept = model?.description.kinematics === kinematics ? model.description.transmissions : {};
    const transmissions: Record<string, object> = model
      ? Object.fromEntries(Object.entries(kept).filter(([, t]) => t.kind !== "belt"))
      : Object.fromEntries(
          (SCREWS[kinematics] ?? []).map((z) => [z, { kind: "screw", lead_mm: 8, thread_pitch_mm: 2 }]),
        );
    const limits: Schemas["LimitIn"][] = (model?.limits ?? []).filter((l) => l.what !== "tension");
    for (const b of belts) {
      const span = figure(b, "span_mm", "free span", false);
      const relief = b.kind === "sprung_lock" && b.relief;
      const old = kept[b.place as keyof typeof kept];
      transmissions[b.place] = {
        ...(old && old.kind === "belt" ? old : {}),
        kind: "belt",
        width_mm: figure(b, "width_mm", "width", true),
        linear_density_g_per_m: figure(b, "density", "weight of a metre", false),
        loop_length_mm: figure(b, "loop", "length of the loop", true),
        spans: span ? [{ name: b.span_name || "free span", span_mm: span }] : [],
        tensioner: {
          kind: b.kind,
          thread_pitch_mm: hasScrew(b) ? figure(b, "pitch", "thread pitch", true) : null,
          tighten: b.tighten,
          relief,
          wrap_deg: 180,
        },
        tensioner_place: b.where,
      };
      const low = figure(b, "low", "lowest tension", true)!;
      const high = figure(b, "high", "highest tension", true)!;
      if (low >= high) throw new Error(`Belt ${b.place.toUpperCase()}: the lowest tension must be below the highest.`);
      limits.push({ what: "tension", place: b.place, low, high, unit: "N", source: b.source.trim() || "typical" });
    }
    const places = belts.map((b) => b.place);
    const pairs = (PAIRS[kinematics] ?? []).filter((p) => p.every((x) => places.includes(x)));
    return {
      name,
      notes: model?.notes ?? "",
      limits,
      description: { kinematics, transmissions, pairs } as Schemas["Description"],
    };
  }

  const preview = {
    kinematics,
    transmissions: Object.fromEntries(belts.map((b) => [b.place, { kind: "belt" }])),
  } as unknown as Schemas["Description"];
  const input = (i: number, b: BeltDraft, key: keyof Omit<BeltDraft, "relief">, label: string, hint = "") => (
    <Field label={label} hint={hint}>
      {(id, note) => (
        <input
          id={id}
          aria-describedby={note}
          className={INPUT}
          value={b[key]}
          onChange={(e) => set(i, { [key]: e.target.value })}
        />
      )}
    </Field>
  );
  return (
    <form
      className="sheet grid gap-5"
      onSubmit={(e) => {
        e.preventDefault();
        try {
          setWrong("");
          save.mutate(build());
        } catch (problem) {
          setWrong((problem as Error).message);
        }
      }}
    >
      <div className="grid items-center gap-4 sm:grid-cols-[1fr_180px]">
        <div className="grid gap-3">
          <Field label="Name of the model">
            {(id) => (
              <input
                id={id}
                className={INPUT}
                value={name}
                required
                maxLength={60}
                onChange={(e) => setName(e.target.value)}
              />
            )}
          </Field>
          <Field label="How it moves">
            {(id) => (
              <select
                id={id}
                className={INPUT}
                value={kinematics}
                disabled={model !== null}
                onChange={(e) => {
                  const k = e.target.value as Kinematics;
                  setKinematics(k);
                  setBelts(BELTS[k].map(blank));
                }}
              >
                {Object.entries(KINEMATICS).map(([value, words]) => (
                  <option key={value} value={value}>
                    {words}
                  </option>
                ))}
              </select>
            )}
          </Field>
        </div>
        <Sketch description={preview} />
      </div>
      {belts.map((b, i) => (
        <fieldset key={b.place} className="grid gap-3 border-t border-hair pt-3 sm:grid-cols-4">
          <legend className="text-[19px] font-bold">Belt {b.place.toUpperCase()}</legend>
          {input(i, b, "width_mm", "Width, mm")}
          {input(i, b, "span_mm", "Free span, mm", "Pulley to clamp.")}
          {input(i, b, "span_name", "Which run to pluck")}
          {input(i, b, "loop", "Whole loop, mm")}
          {input(i, b, "density", "Weight of a metre, g", "Empty: typical, ± 12 %.")}
          <Field label="Tensioner">
            {(id) => (
              <select id={id} className={INPUT} value={b.kind} onChange={(e) => set(i, { kind: e.target.value })}>
                <option value="threaded_idler">screw moves an idler</option>
                <option value="threaded_clamp">screw draws the end</option>
                <option value="sprung_lock">spring, screws lock</option>
                <option value="slider">slider by hand</option>
              </select>
            )}
          </Field>
          {b.kind === "sprung_lock" ? (
            <Field label="Relief screw" hint="Turned in, it slackens the belt.">
              {(id, note) => (
                <select
                  id={id}
                  aria-describedby={note}
                  className={INPUT}
                  value={b.relief ? "yes" : "no"}
                  onChange={(e) => set(i, { relief: e.target.value === "yes" })}
                >
                  <option value="no">none: moved by hand</option>
                  <option value="yes">has one</option>
                </select>
              )}
            </Field>
          ) : null}
          {hasScrew(b) ? input(i, b, "pitch", "Thread pitch, mm", "M3 0.5, M4 0.7, M5 0.8.") : null}
          {hasScrew(b) && b.kind !== "sprung_lock" ? (
            <Field label="Tightens" hint="Seen from the screw's head.">
              {(id, note) => (
                <select
                  id={id}
                  aria-describedby={note}
                  className={INPUT}
                  value={b.tighten}
                  onChange={(e) => set(i, { tighten: e.target.value })}
                >
                  <option value="clockwise">clockwise</option>
                  <option value="anticlockwise">anticlockwise</option>
                </select>
              )}
            </Field>
          ) : null}
          {input(i, b, "where", "Where the tensioner is")}
          {input(i, b, "low", "Lowest tension, N")}
          {input(i, b, "high", "Highest tension, N")}
          {input(i, b, "source", "Where the limits are from", "The maker's manual goes first.")}
        </fieldset>
      ))}
      <ErrorNote error={wrong || save.error} />
      <div className="flex gap-3">
        <Button next type="submit" disabled={save.isPending}>
          Keep the model
        </Button>
        <Button onClick={leave}>Back</Button>
      </div>
    </form>
  );
}
