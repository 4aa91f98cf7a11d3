/** What was done in a case and by whom; words and pictures are added here. */
import { useState } from "react";
import type { Schemas } from "../api/client";
import { Button, ErrorNote, LongField, PICTURES } from "../kit/bits";
import { ago } from "../kit/figures";
import { WaitsHere } from "../offline/KeptNote";
import { useWrite } from "../offline/useEntries";
import { aboutCase } from "./writing";

type Case = Schemas["CaseOut"];

export function Log({ c, changed }: { c: Case; changed: (c: Case) => void }) {
  const [words, setWords] = useState("");
  const written = () => setWords("");
  const comment = useWrite<Case>(
    () => aboutCase(c, "comments", `“${words.slice(0, 60)}” into the log`, { words } satisfies Schemas["Words"]),
    (next) => {
      written();
      changed(next);
    },
    written,
  );
  const picture = useWrite<Case, File>(
    (file) => aboutCase(c, "pictures", `a picture, ${file.name}`, [{ name: "file", value: file, file: file.name }]),
    changed,
  );
  return (
    <section className="sheet grid gap-3">
      <h2>Log</h2>
      <WaitsHere about={`/cases/${c.id}`} />
      <ol className="rows">
        {c.log.map((l) => (
          <li key={`${l.at}${l.words}`} className="py-2">
            <span className={l.kind === "turned" || l.kind === "measured" ? "font-semibold" : ""}>{l.words}</span>
            <span className="block text-[15px] text-ink2">
              {l.who}, <time title={new Date(l.at).toLocaleString()}>{ago(l.at)}</time>
            </span>
          </li>
        ))}
      </ol>
      <form
        className="grid gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          if (words.trim()) comment.mutate();
        }}
      >
        <LongField label="Write into the log" rows={2} value={words} onText={setWords} />
        <div className="flex flex-wrap gap-2">
          <Button type="submit" disabled={comment.isPending || !words.trim()}>
            Write it down
          </Button>
          <label className="inline-flex min-h-12 cursor-pointer items-center rounded-[3px] border border-line px-4 font-semibold focus-within:outline-3 focus-within:outline-go">
            Add a picture
            <input
              type="file"
              accept={PICTURES}
              className="sr-only"
              onChange={(e) => e.target.files?.[0] && picture.mutate(e.target.files[0])}
            />
          </label>
        </div>
        <ErrorNote error={comment.error ?? picture.error} />
      </form>
    </section>
  );
}
