/** A line under the header while what is shown is what this device has kept. */
import { useQueryClient } from "@tanstack/react-query";
import { Button } from "../kit/bits";
import { ago } from "../kit/figures";
import { useKept } from "./kept";

export function KeptLine() {
  const client = useQueryClient();
  const since = useKept();
  if (!since) return null;
  return (
    <div className="flex flex-wrap items-center gap-3 border-b border-line bg-well px-5 py-2" role="status">
      <span>
        <b>The workshop cannot be reached.</b> What you see is as it was{" "}
        <time title={new Date(since).toLocaleString()}>{ago(since)}</time>, kept on this device.
      </span>
      <Button className="min-h-11" onClick={() => client.invalidateQueries()}>
        Look again
      </Button>
    </div>
  );
}
