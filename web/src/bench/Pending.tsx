/** A line under the header while a recording has not reached the workshop. */
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import { Refusal } from "../api/client";
import { Button } from "../kit/bits";
import { all, deliver, drop, PENDING_CHANGED, type PendingRecording } from "./pending";

export function Pending() {
  const client = useQueryClient();
  const [waiting, setWaiting] = useState<PendingRecording[]>([]);
  const [words, setWords] = useState("");
  const look = useCallback(() => void all().then(setWaiting), []);
  useEffect(() => {
    look();
    window.addEventListener(PENDING_CHANGED, look);
    return () => window.removeEventListener(PENDING_CHANGED, look);
  }, [look]);
  const sendAll = useCallback(async () => {
    setWords("");
    for (const r of await all()) {
      try {
        await deliver(r, 1);
        client.invalidateQueries();
      } catch (e) {
        setWords(e instanceof Refusal ? e.message : String(e));
      }
    }
  }, [client]);
  useEffect(() => {
    window.addEventListener("online", sendAll);
    return () => window.removeEventListener("online", sendAll);
  }, [sendAll]);
  if (!waiting.length) return null;
  return (
    <div className="flex flex-wrap items-center gap-3 border-b border-line bg-well px-5 py-2" role="status">
      <span>
        {waiting.length === 1 ? `A recording of ${waiting[0]!.printer} is` : `${waiting.length} recordings are`} kept
        here and not in the workshop yet. {words}
      </span>
      <Button className="min-h-11" onClick={sendAll}>
        Send now
      </Button>
      <Button className="min-h-11" onClick={() => waiting.forEach((r) => void drop(r.id))}>
        Throw away
      </Button>
    </div>
  );
}
