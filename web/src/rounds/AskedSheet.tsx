/** What the machine itself asks for, in its words, until it is done and cleared on it. */
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, got } from "../api/client";
import { Button, ErrorNote, Field, fieldError, INPUT, TextField } from "../kit/bits";
import { ago } from "../kit/figures";
import { inside } from "../kit/words";
import type { Service, Task } from "./OneTask";

type Props = { id: number; asked: Service["asked"]; due: Task[]; onTold: (s: Service) => void };

export function AskedSheet({ id, asked, due, onTold }: Props) {
  const [words, setWords] = useState("");
  const [task, setTask] = useState("");
  const ask = useMutation({
    mutationFn: () =>
      got(
        api.POST("/api/printers/{printer_id}/service/asked", {
          params: { path: { printer_id: id } },
          body: { words, task },
        }),
      ),
    onSuccess: (now) => {
      onTold(now);
      setWords("");
      setTask("");
    },
  });
  const clear = useMutation({
    mutationFn: (row: number) =>
      got(api.POST("/api/service/asked/{asked_id}/clear", { params: { path: { asked_id: row } } })),
    onSuccess: onTold,
  });
  return (
    <section className="sheet grid gap-3" aria-labelledby="asked">
      <h2 id="asked">What the machine asks for</h2>
      {asked.length ? (
        <ul className="rows">
          {asked.map((a) => (
            <li key={a.id} className="flex flex-wrap items-center justify-between gap-3 py-2">
              <span>
                <b className="font-mono">{a.words}</b>
                <span className="block text-[15px] text-ink2">
                  {a.by}, {ago(a.at)}
                  {a.task ? `. It means: ${inside(due.find((t) => t.task === a.task)?.label ?? a.task)}` : ""}
                </span>
              </span>
              <Button disabled={clear.isPending} onClick={() => clear.mutate(a.id)}>
                Done, and cleared on it
              </Button>
            </li>
          ))}
        </ul>
      ) : null}
      <details>
        <summary className="min-h-11 cursor-pointer py-2 text-ink2">It shows a reminder</summary>
        <form
          className="grid max-w-[34em] gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            ask.mutate();
          }}
        >
          <TextField
            label="In its words"
            required
            minLength={2}
            maxLength={200}
            value={words}
            error={fieldError(ask.error, "words")}
            onText={setWords}
          />
          <Field label="It means" error={fieldError(ask.error, "task")}>
            {(fid) => (
              <select id={fid} className={INPUT} value={task} onChange={(e) => setTask(e.target.value)}>
                <option value="">not sure</option>
                {due.map((t) => (
                  <option key={t.task} value={t.task}>
                    {t.label}
                  </option>
                ))}
              </select>
            )}
          </Field>
          <ErrorNote error={ask.error ?? clear.error} />
          <Button type="submit" className="justify-self-start" disabled={ask.isPending}>
            Write it down
          </Button>
        </form>
      </details>
    </section>
  );
}
