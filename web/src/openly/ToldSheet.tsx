/** What was told without an account, for a technician to look at: it counts, and is a case, or it does not, and why. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, fieldError, TextField } from "../kit/bits";
import { ago } from "../kit/figures";

type Told = Schemas["ToldOut"];

export function ToldSheet() {
  const told = useQuery({ queryKey: ["open-reports"], queryFn: () => got(api.GET("/api/open-reports")) });
  if (!told.data?.length) return <ErrorNote error={told.error} />;
  return (
    <section className="sheet mx-auto mb-4 grid max-w-4xl gap-2" aria-labelledby="told">
      <h2 id="told">Told without an account: look, and say whether it counts</h2>
      <ul className="rows">
        {told.data.map((t) => (
          <One key={t.id} t={t} />
        ))}
      </ul>
    </section>
  );
}

function One({ t }: { t: Told }) {
  const client = useQueryClient();
  const go = useNavigate();
  const [not, setNot] = useState(false);
  const [why, setWhy] = useState("");
  const look = useMutation({
    mutationFn: (counts: boolean) =>
      got(
        api.POST("/api/open-reports/{report_id}", {
          params: { path: { report_id: t.id } },
          body: { counts, why_not: why },
        }),
      ),
    onSuccess: (now) => {
      client.setQueryData(["open-reports"], now.waiting);
      for (const key of [["floor"], ["cases"], ["printer", t.printer_id]]) client.invalidateQueries({ queryKey: key });
      if (now.case) go(`/cases/${now.case}`);
    },
  });
  return (
    <li className="grid gap-2 py-3">
      <div className="flex flex-wrap items-center gap-x-5 gap-y-2">
        <span className="flex-1">
          <b className="text-[19px]">{t.printer}</b>: {t.label}
          {t.danger ? <b className="text-failed"> Unplug it first.</b> : null}
          <span className="block text-ink2">
            {t.name}, {ago(t.at)}
            {t.since ? `; since ${t.since}` : ""}
            {t.words ? `: ${t.words}` : ""}
          </span>
        </span>
        <Button
          next
          disabled={look.isPending}
          onClick={() => look.mutate(true)}
          aria-label={`It counts: ${t.printer}, ${t.label}`}
        >
          It counts
        </Button>
        {not ? null : (
          <Button onClick={() => setNot(true)} aria-label={`It does not count: ${t.printer}, ${t.label}`}>
            It does not
          </Button>
        )}
      </div>
      {not ? (
        <form
          className="flex flex-wrap items-end gap-3 border-l-[5px] border-line pl-4"
          onSubmit={(e) => {
            e.preventDefault();
            look.mutate(false);
          }}
        >
          <div className="grow">
            <TextField
              label="Why not"
              required
              maxLength={200}
              value={why}
              error={fieldError(look.error, "why_not")}
              onText={setWhy}
            />
          </div>
          <Button type="submit" disabled={look.isPending}>
            It does not count
          </Button>
        </form>
      ) : null}
      <ErrorNote error={look.error} />
    </li>
  );
}
