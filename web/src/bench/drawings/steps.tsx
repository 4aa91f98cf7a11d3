/** After a travel test: theory beside it, the script, and the ledger with its way back. */
import { useQueryClient } from "@tanstack/react-query";
import type { Schemas } from "../../api/client";
import { Button, ErrorNote } from "../../kit/bits";
import { sentence } from "../../kit/figures";
import { Ledger } from "../../machine/Ledger";
import { KeptNote } from "../../offline/KeptNote";
import { useWrite } from "../../offline/useEntries";
import { useMe } from "../../session/me";
import type { Shown } from "../drawing";

type Found = Schemas["StepsResult"];

export function StepsAfter({
  capture,
  found,
  bench,
}: {
  capture: Schemas["CaptureOut"];
  found: Found;
  bench: Schemas["BenchOut"];
}) {
  const me = useMe();
  const client = useQueryClient();
  const axis = capture.place;
  const was = Number(capture.context.steps_per_mm);
  const changed = Math.abs(found.steps_per_mm_new.value - was) > 1e-9 && !found.ratio_suspect.length;
  const set = useWrite<Schemas["StoredOut"][]>(
    () => {
      const body: Schemas["StoredIn"] = {
        name: `steps_${axis}`,
        value: found.steps_per_mm_new.value,
        text: "",
        was,
        unit: "steps/mm",
        reason: `Travel test: ${sentence(found.error, me)}`,
        capture_id: capture.id,
      };
      return {
        words: `${bench.printer}: steps of ${axis.toUpperCase()} set to ${sentence(found.steps_per_mm_new, me)}`,
        about: `/machines/${bench.printer_id}`,
        writes: [{ path: `/api/printers/${bench.printer_id}/ledger`, body }],
      };
    },
    (rows) => client.setQueryData(["ledger", bench.printer_id], rows),
  );
  return (
    <div className="grid gap-3">
      <table className="w-full border-collapse text-[17px]">
        <tbody>
          {[
            ["Set now", `${was}`],
            [
              "By teeth and lead",
              found.theory_steps_per_mm != null ? found.theory_steps_per_mm.toFixed(3) : "not known",
            ],
            ["To set", changed ? sentence(found.steps_per_mm_new, me) : "leave it"],
            ["Travel for a turn of the motor", `${found.script.travel_per_turn_mm.toFixed(3)} mm`],
          ].map(([name, value]) => (
            <tr key={name} className="border-t border-hair">
              <th scope="row" className="py-1.5 text-left font-normal">
                {name}
              </th>
              <td className="text-right font-mono">{value}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {changed ? (
        <>
          <p>
            Send these lines, read the value back, then say so here: the ledger keeps what it was, and the way back.
          </p>
          <pre className="bg-well p-3 font-mono text-[17px]">{found.script.gcode.trim()}</pre>
          <div className="flex flex-wrap items-center gap-4">
            <Button
              next={!set.isDone && found.basis === "theory"}
              disabled={set.isPending || set.isSuccess}
              onClick={() => set.mutate()}
            >
              {set.isDone ? "Written in the ledger" : "It is set: write it down"}
            </Button>
            <a href={`/api/captures/${capture.id}/steps.gcode`}>The lines as a file</a>
          </div>
          {set.kept ? <KeptNote id={set.kept}>the ledger has it then</KeptNote> : null}
          <ErrorNote error={set.error} />
        </>
      ) : null}
      <Ledger printerId={bench.printer_id} name={`steps_${axis}`} />
    </div>
  );
}

export function Result({ capture, bench }: Shown) {
  return capture.found.procedure === "steps" ? (
    <StepsAfter capture={capture} found={capture.found} bench={bench} />
  ) : null;
}
