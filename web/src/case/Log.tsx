/** What was done in a case and by whom; words and pictures are added here. */
import { useMutation } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, got, newKey, type Schemas, send } from "../api/client";
import { Button, ErrorNote, Field, INPUT } from "../kit/bits";
import { ago } from "../kit/figures";

type Case = Schemas["CaseOut"];

export function Log({ c, changed }: { c: Case; changed: (c: Case) => void }) {
  const [words, setWords] = useState("");
  const pictureKey = useRef(newKey());
  const comment = useMutation({
    mutationFn: () =>
      got(api.POST("/api/cases/{case_id}/comments", { params: { path: { case_id: c.id } }, body: { words } })),
    onSuccess: (next) => {
      setWords("");
      changed(next);
    },
  });
  const picture = useMutation({
    mutationFn: (file: File) => {
      const form = new FormData();
      form.append("file", file);
      return send<Case>(`/api/cases/${c.id}/pictures`, form, pictureKey.current);
    },
    onSuccess: (next) => {
      pictureKey.current = newKey();
      changed(next);
    },
  });
  return (
    <section className="sheet grid gap-3">
      <h2>Log</h2>
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
        <Field label="Write into the log">
          {(id) => (
            <textarea
              id={id}
              className={`${INPUT} py-2`}
              rows={2}
              value={words}
              maxLength={2000}
              onChange={(e) => setWords(e.target.value)}
            />
          )}
        </Field>
        <div className="flex flex-wrap gap-2">
          <Button type="submit" disabled={comment.isPending || !words.trim()}>
            Write it down
          </Button>
          <label className="inline-flex min-h-12 cursor-pointer items-center rounded-[3px] border border-line px-4 font-semibold focus-within:outline-3 focus-within:outline-go">
            Add a picture
            <input
              type="file"
              accept="image/jpeg,image/png,image/webp"
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
