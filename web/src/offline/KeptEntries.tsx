/** A line under the header while something that was entered waits on this device; it opens into the list. */
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import { Link } from "react-router";
import { Button } from "../kit/bits";
import { ago } from "../kit/figures";
import { atLeast, useMe } from "../session/me";
import { all, drop, ENTRIES_CHANGED, type Entry, keep, sendAll, takeOver } from "./entries";

/** So often is tried again while something waits (ms). */
const AGAIN_MS = 20_000;

export function KeptEntries() {
  const me = useMe();
  const client = useQueryClient();
  const [waiting, setWaiting] = useState<Entry[]>([]);
  const [open, setOpen] = useState(false);
  const look = useCallback(() => void all().then(setWaiting), []);
  useEffect(() => {
    void takeOver(me).then(look);
    window.addEventListener(ENTRIES_CHANGED, look);
    return () => window.removeEventListener(ENTRIES_CHANGED, look);
  }, [look, me]);
  const send = useCallback(async () => {
    if (await sendAll(me.id)) client.invalidateQueries();
  }, [client, me.id]);
  const going = waiting.filter((e) => e.who === me.id && !e.refused).length;
  useEffect(() => {
    if (!going) return;
    void send();
    const again = setInterval(send, AGAIN_MS);
    return () => clearInterval(again);
  }, [going, send]);
  useEffect(() => {
    window.addEventListener("online", send);
    return () => window.removeEventListener("online", send);
  }, [send]);
  if (!waiting.length) return null;
  const refused = waiting.filter((e) => e.refused).length;
  return (
    <section className="grid gap-2 border-b border-line bg-well px-5 py-2" aria-label="Kept on this device">
      <div className="flex flex-wrap items-center gap-3">
        <span role="status">
          <b>{waiting.length === 1 ? "One entry is kept here" : `${waiting.length} entries are kept here`}</b> and not
          in the workshop yet{waiting.length === 1 ? ", entered " : ", the first entered "}
          <time title={new Date(waiting[0]!.at).toLocaleString()}>{ago(new Date(waiting[0]!.at).toISOString())}</time>.
          {refused ? ` ${refused === 1 ? "One was" : `${refused} were`} refused.` : ""}
        </span>
        {going ? (
          <Button className="min-h-11" onClick={send}>
            Send now
          </Button>
        ) : null}
        <Button className="min-h-11" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Fold the list" : "Show the list"}
        </Button>
      </div>
      {open ? (
        <ul>
          {waiting.map((e) => (
            <Kept key={e.id} entry={e} mine={e.who === me.id} lead={atLeast(me, "lead")} />
          ))}
        </ul>
      ) : null}
    </section>
  );
}

/** Its person sends, tries again or throws away; of somebody who does not come back the lead may throw it away, unread. */
function Kept({ entry, mine, lead }: { entry: Entry; mine: boolean; lead: boolean }) {
  const [sure, setSure] = useState(false);
  const { refused: _, ...again } = entry;
  return (
    <li className="flex flex-wrap items-center gap-3 border-t border-hair py-2">
      <span className="min-w-64 flex-1">
        <b>{mine ? entry.words : `An entry of ${entry.name}`}</b>,{" "}
        <span className="text-ink2">{ago(new Date(entry.at).toISOString())}</span>
        {mine && entry.refused ? <span className="block">Refused: {entry.refused}</span> : null}
        {mine ? null : <span className="block text-ink2">It goes out when {entry.name} signs in here.</span>}
      </span>
      {mine && entry.refused ? (
        <Button className="min-h-11" onClick={() => keep(again)}>
          Try again
        </Button>
      ) : null}
      {mine && entry.about ? (
        <Link to={entry.about} className="inline-flex min-h-11 items-center">
          {entry.refused ? "Look there" : "Its page"}
        </Link>
      ) : null}
      {!mine && !lead ? null : sure ? (
        <Button className="min-h-11" onClick={() => drop(entry.id)}>
          {mine ? "Throw it away for good" : `Throw it away for good, unread: tell ${entry.name}`}
        </Button>
      ) : (
        <Button className="min-h-11" onClick={() => setSure(true)}>
          Throw away
        </Button>
      )}
    </li>
  );
}
