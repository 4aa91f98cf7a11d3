/** One part: what tells of it, what can be done to it, and what was done in its position before. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, got, newKey, type Schemas, send } from "../api/client";
import { beltsPath, benchPath } from "../bench/paths";
import { Button, ErrorNote, Field, FilePick, fieldError, INPUT, PICTURES, TextField } from "../kit/bits";
import { ConditionMark } from "../kit/Condition";
import { ago } from "../kit/figures";
import { Lasting } from "./Lasting";
import { PartMore } from "./PartMore";

type Here = Schemas["ComponentsHere"];
type Part = Here["parts"][number];
type Deed = Schemas["DeedIn"];

const days = (age: number | null) => (age === null ? "" : age < 1 ? " Today." : ` ${Math.round(age)} days ago.`);

/** How much of its expected life a part has behind it; nothing where its age or its life is not known. */
export function LifeBar({ p }: { p: Part }) {
  if (p.age_hours == null || p.life_hours == null) return null;
  const share = p.age_hours / p.life_hours;
  const words = `${Math.round(p.age_hours)} of ${Math.round(p.life_hours)} h`;
  return (
    <span className="flex items-center gap-3 text-[15px] text-ink2">
      <svg
        viewBox="0 0 120 10"
        className="h-2.5 w-[120px]"
        role="img"
        aria-label={`${words}, ${Math.round(100 * share)} %`}
      >
        <rect x="0.5" y="0.5" width="119" height="9" fill="none" stroke="var(--line)" />
        <rect x="0.5" y="0.5" width={119 * Math.min(1, share)} height="9" fill="var(--ink2)" />
        <path d="M96 0V10" stroke="var(--ink)" strokeDasharray="2 1.5" />
      </svg>
      <span>
        {p.age_estimated ? "about " : ""}
        <span className="font-mono">{words}</span>
      </span>
    </span>
  );
}

function addPicture(deed: number, file: File) {
  const form = new FormData();
  form.append("file", file, file.name);
  return send<Schemas["DeedOut"][]>(`/api/deeds/${deed}/picture`, form, newKey());
}

type Props = { id: number; p: Part; types: Here["types"] };

export function OnePart({ id, p, types }: Props) {
  const client = useQueryClient();
  const [doing, setDoing] = useState<"" | "trouble" | "adjust" | "lubricate" | "replace">("");
  const [words, setWords] = useState("");
  const [because, setBecause] = useState<Deed["because"]>("worn");
  const [type, setType] = useState("");
  const [elsewhere, setElsewhere] = useState(false);
  const [picture, setPicture] = useState<File | null>(null);
  const [unsent, setUnsent] = useState(false);
  const done = useMutation({
    mutationFn: async (deed: Partial<Deed> & Pick<Deed, "did">) => {
      const here = await got(
        api.POST("/api/components/{component_id}/deeds", {
          params: { path: { component_id: p.id } },
          body: { found: "sound", words: "", used: "", because: "worn", type_id: null, spare: "drawer", ...deed },
        }),
      );
      const last = here.parts.find((other) => other.id === p.id)?.last;
      // What was found is written down; a picture that does not get through can be put to it below.
      setUnsent(false);
      if (picture && last) await addPicture(last.id, picture).catch(() => setUnsent(true));
      return here;
    },
    onSuccess: (here) => {
      client.invalidateQueries({ queryKey: ["printer", id] });
      client.setQueryData(["printer", id, "components"], here);
      client.invalidateQueries({ queryKey: ["record", id] });
      client.invalidateQueries({ queryKey: ["components"] });
      setDoing("");
      setWords("");
      setPicture(null);
    },
  });
  const write = () => {
    if (doing === "trouble") done.mutate({ did: "inspect", found: "trouble", words });
    else if (doing === "lubricate") done.mutate({ did: "lubricate", used: words });
    else if (doing === "adjust") done.mutate({ did: "adjust", words });
    else if (doing === "replace")
      done.mutate({
        did: "replace",
        because,
        words,
        type_id: type ? Number(type) : null,
        spare: elsewhere ? "elsewhere" : "drawer",
      });
  };
  const ask = { trouble: "What is wrong with it?", adjust: "What was done?", lubricate: "With what?", replace: "What was wrong with the old one?" }; // biome-ignore format: a row
  const here = types.find((t) => t.id === (type ? Number(type) : p.type?.id))?.here;
  return (
    <div className="grid gap-3 border-l-[5px] border-line py-2 pl-4">
      {p.speaks.length ? (
        <ul className="grid gap-1">
          {p.speaks.map((s) => (
            <li key={s.words} className="flex flex-wrap items-center gap-x-3">
              <ConditionMark condition={s.condition} word={false} />
              <span className="flex-1">
                {s.words}
                <span className="text-ink2">{days(s.age_days)}</span>
              </span>
            </li>
          ))}
        </ul>
      ) : null}
      {p.would_tell ? <p>{p.would_tell}</p> : <p className="text-ink2">Look for: {p.look}</p>}
      <p className="text-[15px] text-ink2">
        {p.type ? `${p.type.name}. ` : ""}
        {p.fitted_on ? `Fitted ${ago(p.fitted_on)}. ` : ""}
        {p.life_hours != null ? `Expected life ${Math.round(p.life_hours)} h (${p.life_from}). ` : ""}
        {p.last ? `Last: ${p.last.words}, ${ago(p.last.at)}.` : ""}
      </p>
      {p.measure.length ? (
        <p className="flex flex-wrap gap-x-4">
          {p.measure.map((m) => (
            <Link
              key={m.procedure}
              to={m.rounds ? beltsPath(id, p.place) : benchPath(id, m.procedure, p.place)}
              className="inline-flex min-h-11 items-center font-semibold"
            >
              Measure: {m.words}
            </Link>
          ))}
        </p>
      ) : null}
      {p.can.includes("lubricate") ? (
        <p className="text-[15px]">
          <b>Lubricate:</b> {p.lubricant}
        </p>
      ) : null}
      <div className="flex flex-wrap gap-2">
        <Button onClick={() => done.mutate({ did: "inspect", found: "sound" })} disabled={done.isPending}>
          Looked at: sound
        </Button>
        <Button onClick={() => setDoing("trouble")}>Found trouble</Button>
        {p.can.includes("adjust") ? <Button onClick={() => setDoing("adjust")}>Adjusted</Button> : null}
        {p.can.includes("lubricate") ? <Button onClick={() => setDoing("lubricate")}>Lubricated</Button> : null}
        {p.can.includes("replace") ? <Button onClick={() => setDoing("replace")}>Replaced</Button> : null}
      </div>
      {doing ? (
        <form
          className="grid max-w-[34em] gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            write();
          }}
        >
          {doing === "replace" ? (
            <>
              <Field label="The old one was">
                {(fid) => (
                  <select
                    id={fid}
                    className={INPUT}
                    value={because}
                    onChange={(e) => setBecause(e.target.value as Deed["because"])}
                  >
                    <option value="worn">worn</option>
                    <option value="failed">failed</option>
                    <option value="sound">sound</option>
                  </select>
                )}
              </Field>
              {types.length ? (
                <Field label="The new one is" error={fieldError(done.error, "type_id")}>
                  {(fid) => (
                    <select id={fid} className={INPUT} value={type} onChange={(e) => setType(e.target.value)}>
                      <option value="">of the same type</option>
                      {types.map((t) => (
                        <option key={t.id} value={t.id}>
                          {t.name}
                        </option>
                      ))}
                    </select>
                  )}
                </Field>
              ) : null}
              {here == null ? null : (
                <div>
                  <label className="flex min-h-11 items-center gap-3">
                    <input
                      type="checkbox"
                      className="h-5 w-5 accent-[var(--ink)]"
                      checked={elsewhere}
                      onChange={(e) => setElsewhere(e.target.checked)}
                    />
                    It did not come from the drawer ({here} there)
                  </label>
                  <p role="alert" className="font-semibold text-failed">
                    {fieldError(done.error, "spare")}
                  </p>
                </div>
              )}
            </>
          ) : null}
          <TextField
            label={ask[doing]}
            error={fieldError(done.error, "words")}
            required={doing === "trouble"}
            maxLength={doing === "lubricate" ? 120 : 300}
            value={words}
            onText={setWords}
          />
          {doing === "trouble" ? (
            <div className="flex flex-wrap items-center gap-3">
              <FilePick label="Take a picture" accept={PICTURES} camera onFile={setPicture} />
              {picture ? <span>{picture.name}</span> : null}
            </div>
          ) : null}
          <div className="flex gap-2">
            <Button next type="submit" disabled={done.isPending}>
              Write it down
            </Button>
            <Button onClick={() => setDoing("")}>Leave it</Button>
          </div>
        </form>
      ) : null}
      <ErrorNote error={done.error} />
      {unsent ? (
        <p role="alert" className="font-semibold text-failed">
          It is written down, but the picture did not get through. Add it under “What was done here before”.
        </p>
      ) : null}
      <Folded words="How long it still lasts">
        <Lasting id={p.id} />
      </Folded>
      <Folded words="What was done here before">
        <History id={p.id} />
      </Folded>
      <Folded words={p.can.includes("replace") ? "Its type, and moving it" : "Its type"}>
        <PartMore id={id} p={p} types={types} />
      </Folded>
    </div>
  );
}

/** What is fetched only when it is unfolded. */
function Folded({ words, children }: { words: string; children: React.ReactNode }) {
  const [open, setOpen] = useState(false);
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-11 cursor-pointer py-2 text-[15px] font-semibold text-ink2">{words}</summary>
      {open ? children : null}
    </details>
  );
}

function History({ id }: { id: number }) {
  const client = useQueryClient();
  const add = useMutation({
    mutationFn: ({ deed, file }: { deed: number; file: File }) => addPicture(deed, file),
    onSuccess: (rows) => client.setQueryData(["components", id, "history"], rows),
  });
  const rows = useQuery({
    queryKey: ["components", id, "history"],
    queryFn: () => got(api.GET("/api/components/{component_id}/history", { params: { path: { component_id: id } } })),
  });
  return (
    <>
      {rows.data?.length === 0 ? <p>Nothing was written down yet.</p> : null}
      <ErrorNote error={rows.error} />
      <ul className="rows">
        {rows.data?.map((d, i) => (
          <li key={d.id} className="py-1.5">
            {d.words}
            <span className="block text-[15px] text-ink2">
              {d.who}, <time title={new Date(d.at).toLocaleString()}>{ago(d.at)}</time>
              {d.hours == null ? "" : `, at ${Math.round(d.hours)} h`}
            </span>
            {d.picture ? (
              <a href={`/api/deeds/${d.id}/picture`}>
                <img
                  src={`/api/deeds/${d.id}/picture`}
                  alt={`To: ${d.words}`}
                  loading="lazy"
                  className="mt-1 max-h-60 border border-line"
                />
              </a>
            ) : i === 0 ? (
              <div className="mt-1">
                <FilePick
                  label="Add a picture of it"
                  accept={PICTURES}
                  camera
                  disabled={add.isPending}
                  onFile={(file) => add.mutate({ deed: d.id, file })}
                />
                <ErrorNote error={add.error} />
              </div>
            ) : null}
          </li>
        ))}
      </ul>
    </>
  );
}

/** Positions in which nothing sits. */
export function Empty({ id, rows }: { id: number; rows: Here["empty"] }) {
  const client = useQueryClient();
  const fit = useMutation({
    mutationFn: (r: Here["empty"][number]) =>
      got(
        api.POST("/api/printers/{printer_id}/components", {
          params: { path: { printer_id: id } },
          body: { kind: r.kind, place: r.place, type_id: null, spare: "drawer" },
        }),
      ),
    onSuccess: (here) => client.setQueryData(["printer", id, "components"], here),
  });
  return (
    <div>
      <h2>Nothing sits here</h2>
      <ul className="rows">
        {rows.map((r) => (
          <li key={`${r.kind}${r.place}`} className="flex flex-wrap items-center justify-between gap-3 py-2">
            <b>{r.label}</b>
            <Button disabled={fit.isPending} onClick={() => fit.mutate(r)}>
              Fitted today
            </Button>
          </li>
        ))}
      </ul>
      <ErrorNote error={fit.error} />
    </div>
  );
}
