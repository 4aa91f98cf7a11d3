/** Calendars of bookings, taken as files; and one's own rounds as a calendar to take along. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, newKey, send } from "../api/client";
import { Button, ErrorNote, FilePick, fieldError, TextField } from "../kit/bits";
import { ago } from "../kit/figures";
import { counted } from "../kit/words";
import { atLeast, useMe } from "../session/me";
import { outcome, type Work } from "../work/outcome";
import { WorkLine } from "../work/WorkLine";
import { useWeekWrite, type Week } from "./week";

export function Calendars({ w }: { w: Week }) {
  const lead = atLeast(useMe(), "lead");
  const [name, setName] = useState("");
  const take = useWeekWrite(
    w.monday,
    (file: File) => {
      const form = new FormData();
      form.append("name", name || file.name.replace(/\.ics$/i, ""));
      form.append("file", file, file.name);
      return send<Week>("/api/calendars", form, newKey());
    },
    () => setName(""),
  );
  const client = useQueryClient();
  const [address, setAddress] = useState("");
  const [work, setWork] = useState<Work | null>(null);
  const fetched = useMutation({
    mutationFn: async () => {
      const asked = await got(api.POST("/api/calendars/address", { body: { name, address } }));
      setWork(asked);
      return outcome(asked.id, setWork);
    },
    onSuccess: () => {
      setName("");
      setAddress("");
    },
    onSettled: () => {
      setWork(null);
      client.invalidateQueries({ queryKey: ["service", "week"] });
    },
  });
  const forget = useWeekWrite(w.monday, (id: number) =>
    got(api.POST("/api/calendars/{calendar_id}/forget", { params: { path: { calendar_id: id } } })),
  );
  return (
    <>
      <section className="sheet grid gap-2" aria-labelledby="booked">
        <h2 id="booked">When machines are booked</h2>
        {w.calendars.length ? (
          <ul className="rows">
            {w.calendars.map((c) => (
              <li key={c.id} className="grid gap-1 py-2">
                <b>{c.name}</b>
                <span className="text-[15px] text-ink2">
                  {counted(c.bookings, "booking", "bookings")}
                  {c.printer ? ` of ${c.printer}` : ""}
                  {c.of_none ? `; ${c.of_none} more name no machine` : ""}. {c.address ? "Fetched" : "Taken"}{" "}
                  {ago(c.at)}
                  {c.address ? " from " : ` by ${c.by}`}
                  {c.address ? <span className="break-all">{c.address}</span> : null}.
                </span>
                {c.said ? <span className="text-[15px]">Not the last time: {c.said}</span> : null}
                {lead ? (
                  <Button
                    className="justify-self-start"
                    disabled={forget.isPending}
                    onClick={() => forget.mutate(c.id)}
                    aria-label={`Forget ${c.name}`}
                  >
                    Forget it
                  </Button>
                ) : null}
              </li>
            ))}
          </ul>
        ) : (
          <p>No calendar is known.</p>
        )}
        {lead ? (
          <details>
            <summary className="min-h-11 cursor-pointer py-2 font-semibold">Take a calendar</summary>
            <div className="grid gap-3">
              <TextField
                label="Its name"
                hint="The same name again: the newer one in its place."
                maxLength={80}
                value={name}
                error={fieldError(take.error, "name") ?? fieldError(fetched.error, "name")}
                onText={setName}
              />
              <p className="text-[15px] text-ink2">
                An iCalendar file. A booking is of the machines that its title or place names.
              </p>
              <FilePick
                label="Choose the file"
                accept=".ics,text/calendar"
                disabled={take.isPending}
                onFile={(f) => take.mutate(f)}
              />
              <form
                className="grid gap-2"
                onSubmit={(e) => {
                  e.preventDefault();
                  fetched.mutate();
                }}
              >
                <TextField
                  label="Or its address"
                  hint="Within the workshop's network; fetched again every half hour."
                  type="url"
                  required
                  maxLength={300}
                  value={address}
                  error={fieldError(fetched.error, "address")}
                  onText={setAddress}
                />
                <Button type="submit" className="justify-self-start" disabled={fetched.isPending}>
                  Fetch it
                </Button>
                {work ? (
                  <WorkLine
                    work={work}
                    words={work.state === "waiting" ? undefined : "Fetching it …"}
                    onTold={setWork}
                  />
                ) : null}
              </form>
              <ErrorNote
                error={take.error ?? (fieldError(fetched.error, "address") ? null : fetched.error) ?? forget.error}
              />
            </div>
          </details>
        ) : null}
      </section>
      <TakeAlong />
    </>
  );
}

function TakeAlong() {
  const feed = useMutation({ mutationFn: () => got(api.POST("/api/service/feed")) });
  return (
    <section className="sheet grid gap-2" aria-labelledby="along">
      <h2 id="along">My rounds as a calendar</h2>
      <a href="/api/service/rounds.ics" download className="inline-flex min-h-11 items-center font-semibold">
        As a file
      </a>
      {feed.data ? (
        <p>
          <span className="block break-all font-mono text-[15px]">{feed.data.address}</span>
          <span className="block text-[15px] text-ink2">
            Whoever has it can read your rounds. It is shown only now; the one before is no longer good.
          </span>
        </p>
      ) : (
        <Button className="justify-self-start" disabled={feed.isPending} onClick={() => feed.mutate()}>
          Make a private address
        </Button>
      )}
      <ErrorNote error={feed.error} />
    </section>
  );
}
