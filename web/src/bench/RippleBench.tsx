/** What makes a regular pattern on a wall: count ripples at one speed or two, or photograph them; sources on a ladder. */
import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useParams, useSearchParams } from "react-router";
import { api, got, newKey, type Schemas, send } from "../api/client";
import { Button, Caution, Choices, ErrorNote, Field, INPUT, Loading, Steps } from "../kit/bits";
import { parseFigure, type Quantity, sentence } from "../kit/figures";
import { ReadingsField, type Row } from "../kit/ReadingsField";
import { Sketch } from "../kit/Sketch";
import { useMe } from "../session/me";
import { Answer, WayBack } from "./Answer";
import { useBench } from "./BenchStart";
import { Ladder } from "./Ladder";
import { PhotoRuler } from "./PhotoRuler";

type Capture = Schemas["CaptureOut"];
type Photographed = { speed_mm_s: number; spacing: Quantity; wall: number };

const FAMILY = {
  timed: "It is timed: the spacing grows with speed",
  geometric: "It is a length: the spacing stays",
  open: "Both families stay open",
};

/** What else can make a pattern, where it is known: name, label, hint. */
const MORE = [
  ["fan", "A fan turns at, Hz", "Turns a minute over 60."],
  ["filament", "Filament for 1 mm of wall, mm", "From the file: E over travel."],
  ["teeth", "Teeth of the drive gear", "Counted."],
] as const;

export function RippleBench() {
  const params = useParams();
  const id = Number(params.id);
  const bench = useBench(id);
  if (!bench.data) return bench.error ? <ErrorNote error={bench.error} /> : <Loading what="the bench" />;
  return <Ripples key={params.place} id={id} place={params.place!} bench={bench.data} />;
}

function Ripples({ id, place, bench }: { id: number; place: string; bench: Schemas["BenchOut"] }) {
  const me = useMe();
  const [search] = useSearchParams();
  const caseId = search.get("case") ? Number(search.get("case")) : null;
  const store = `readings-${id}-ripple-${place}`;
  const [rows, setRows] = useState<Row[]>(() => JSON.parse(sessionStorage.getItem(store) ?? "[]"));
  const [photos, setPhotos] = useState<Photographed[]>([]);
  const [byPhoto, setByPhoto] = useState(false);
  const [speed, setSpeed] = useState("80");
  const [resolution, setResolution] = useState("0.1");
  const [texts, setTexts] = useState<Record<string, string>>({});
  const [driversChanged, setDriversChanged] = useState(false);
  const [key, setKey] = useState(newKey);
  useEffect(() => sessionStorage.setItem(store, JSON.stringify(rows)), [rows, store]);
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: id } } })),
  });
  const fan = parseFigure(texts.fan ?? "");
  const filament = parseFigure(texts.filament ?? "");
  const teeth = parseFigure(texts.teeth ?? "");
  const more = {
    ...(fan ? { fans_hz: [fan] } : {}),
    ...(filament ? { filament_per_mm: filament } : {}),
    ...(teeth ? { drive_teeth: teeth } : {}),
  };
  const practice = useMutation({
    mutationFn: () =>
      got(
        api.GET("/api/printers/{printer_id}/practice-readings", {
          params: { path: { printer_id: id }, query: { procedure: "ripple-source", place } },
        }),
      ),
    onSuccess: (read) =>
      setRows(read.rows.map((r) => Object.fromEntries(Object.entries(r).map(([k, v]) => [k, Number(v)])))),
  });
  const compute = useMutation({
    mutationFn: async () => {
      const res = parseFigure(resolution);
      if (res === null || res < 0) throw new Error("Caliper and eye: enter a figure, 0.1 is typical.");
      return send<Capture>(
        `/api/printers/${id}/ripple-source`,
        JSON.stringify({
          id: key,
          place,
          case_id: caseId,
          circumstances: photos.length ? { wall_pictures: photos.map((p) => p.wall).join(" ") } : {},
          context: {
            direction: place,
            resolution_mm: res,
            observations: [
              ...rows,
              ...photos.map((p) => ({ speed_mm_s: p.speed_mm_s, spacing_mm: p.spacing.value, u95_mm: p.spacing.u95 })),
            ],
            machine: { ...bench.machine, ...more },
            drivers_changed: driversChanged,
          },
        }),
        key,
        "application/json",
      );
    },
    onSuccess: () => sessionStorage.removeItem(store),
    onError: (e) => "status" in e && e.status !== 0 && setKey(newKey()),
  });
  const capture = compute.data;
  const seen = rows.length + photos.length;
  return (
    <div className="grid items-start gap-5 lg:grid-cols-2">
      <section className="sheet grid gap-4">
        <h1>
          {bench.printer}: what makes the pattern along {place.toUpperCase()}?
        </h1>
        <div className="grid gap-4 sm:grid-cols-[150px_1fr]">
          {printer.data ? (
            <Sketch description={printer.data.description} plain wall={place === "x" || place === "y" ? place : null} />
          ) : null}
          <Steps
            lines={[
              "Print one wall twice, at two speeds that differ by half or more.",
              "On each, count ripples from crest to crest, over as many as can be told.",
              "Measure over all of them with calipers, or photograph the wall.",
            ]}
          />
        </div>
        {bench.walls
          .filter((w) => w.runs === place)
          .map((w) => (
            <p key={w.runs} className="text-[17px]">
              {w.words} Teeth and turns belong to the drive along it.
            </p>
          ))}
        <Caution>Take the part off with a flexible plate first; a blade slips towards the hand.</Caution>
        {capture ? (
          <Button
            className="justify-self-start"
            onClick={() => {
              compute.reset();
              setKey(newKey());
            }}
          >
            Add another wall
          </Button>
        ) : (
          <>
            <Choices
              label="How is the spacing measured?"
              options={[
                { value: "count", label: "By counting" },
                { value: "photo", label: "By photograph" },
              ]}
              value={byPhoto ? "photo" : "count"}
              onChange={(v) => setByPhoto(v === "photo")}
            />
            {byPhoto ? (
              <>
                <div className="w-56">
                  <Field label="Speed of this wall, mm/s">
                    {(fid) => (
                      <input
                        id={fid}
                        inputMode="decimal"
                        className={`${INPUT} font-mono`}
                        value={speed}
                        onChange={(e) => setSpeed(e.target.value)}
                      />
                    )}
                  </Field>
                </div>
                <PhotoRuler
                  printerId={id}
                  place={place}
                  simulated={bench.simulated}
                  onUse={(spacing, wall) => {
                    const v = parseFigure(speed);
                    if (v && v > 0)
                      setPhotos((p) => [...p.filter((q) => q.wall !== wall), { speed_mm_s: v, spacing, wall }]);
                  }}
                />
              </>
            ) : (
              <ReadingsField
                columns={[
                  { name: "speed_mm_s", label: "Speed", unit: "mm/s", min: 1, max: 1000 },
                  { name: "count", label: "Ripples", unit: "count", min: 1, max: 500 },
                  { name: "distance_mm", label: "Over", unit: "mm", min: 0.05, max: 1000 },
                ]}
                rows={rows}
                onChange={setRows}
              />
            )}
            {photos.length ? (
              <ul className="rows">
                {photos.map((p) => (
                  <li key={p.wall} className="flex items-center justify-between py-1">
                    <span>
                      Photographed at {p.speed_mm_s} mm/s: <b className="font-mono">{sentence(p.spacing, me)}</b>
                    </span>
                    <button
                      type="button"
                      className="min-h-11 underline"
                      onClick={() => setPhotos(photos.filter((q) => q !== p))}
                    >
                      take out
                    </button>
                  </li>
                ))}
              </ul>
            ) : null}
            <details className="border-y border-hair py-2">
              <summary className="min-h-11 cursor-pointer py-2 font-semibold">Fans, drive gears, drivers</summary>
              <label className="flex min-h-11 items-center gap-3">
                <input
                  type="checkbox"
                  className="h-6 w-6 accent-[var(--ink)]"
                  checked={driversChanged}
                  onChange={(e) => setDriversChanged(e.target.checked)}
                />
                Motor drivers were changed just before
              </label>
              <div className="grid gap-3 py-2 sm:grid-cols-3">
                {MORE.map(([name, label, hint]) => (
                  <Field key={name} label={label} hint={hint}>
                    {(fid, note) => (
                      <input
                        id={fid}
                        aria-describedby={note}
                        inputMode="decimal"
                        className={`${INPUT} font-mono`}
                        value={texts[name] ?? ""}
                        onChange={(e) => setTexts({ ...texts, [name]: e.target.value })}
                      />
                    )}
                  </Field>
                ))}
              </div>
            </details>
            <div className="flex flex-wrap items-end gap-3">
              <div className="w-44">
                <Field label="Caliper and eye, mm">
                  {(fid) => (
                    <input
                      id={fid}
                      inputMode="decimal"
                      className={`${INPUT} font-mono`}
                      value={resolution}
                      onChange={(e) => setResolution(e.target.value)}
                    />
                  )}
                </Field>
              </div>
              <Button next={seen > 0} disabled={!seen || compute.isPending} onClick={() => compute.mutate()}>
                Find the source
              </Button>
              {bench.simulated && !byPhoto ? (
                <Button disabled={practice.isPending} onClick={() => practice.mutate()}>
                  Read the simulated print
                </Button>
              ) : null}
            </div>
          </>
        )}
        <ErrorNote error={compute.error ?? practice.error} />
      </section>
      <section className="sheet grid gap-4" aria-live="polite">
        {capture && "sources" in capture.found ? (
          <Answer
            capture={capture}
            bench={bench}
            title={FAMILY[capture.found.family]}
            query={caseId ? `?case=${caseId}` : ""}
          >
            <Ladder found={capture.found} />
          </Answer>
        ) : (
          <>
            <h2>Result</h2>
            <p>
              {seen
                ? "Ready. A wall at another speed tells what is timed from what is a length."
                : "Enter a wall: its speed, how many ripples, over what distance."}
            </p>
          </>
        )}
        <WayBack caseId={caseId} bench={bench} />
      </section>
    </div>
  );
}
