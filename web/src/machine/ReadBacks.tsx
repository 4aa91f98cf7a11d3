/** What a machine printed of its settings before: when, what it did not agree with, and the text as it came. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got } from "../api/client";
import { ErrorNote } from "../kit/bits";
import { ago } from "../kit/figures";
import { counted, inside } from "../kit/words";

export function ReadBacks({ id }: { id: number }) {
  const [open, setOpen] = useState(false);
  const rows = useQuery({
    queryKey: ["printer", id, "read-backs"],
    queryFn: () => got(api.GET("/api/printers/{printer_id}/read-backs", { params: { path: { printer_id: id } } })),
    enabled: open,
  });
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-11 cursor-pointer py-2 font-semibold">Read back before</summary>
      <ErrorNote error={rows.error} />
      {rows.data?.length === 0 ? <p>It was never read back.</p> : null}
      <ul className="rows">
        {rows.data?.map((r) => (
          <li key={r.id} className="grid gap-1 py-2">
            <span className="flex flex-wrap items-baseline justify-between gap-x-4">
              <b>
                {counted(r.agreed, "value agreed", "values agreed")}
                {r.differed.length ? `, ${counted(r.differed.length, "did not", "did not")}` : ""}
              </b>
              <span className="text-[15px] text-ink2">
                {r.who}, <time title={new Date(r.at).toLocaleString()}>{ago(r.at)}</time>
              </span>
            </span>
            {r.differed.length ? <span>Otherwise: {r.differed.map(inside).join(", ")}.</span> : null}
            <details>
              <summary className="min-h-11 cursor-pointer py-2 text-[15px] text-ink2">What it printed</summary>
              {/* biome-ignore lint/a11y/noNoninteractiveTabindex: long lines are scrolled by the arrow keys */}
              <pre tabIndex={0} className="overflow-x-auto bg-well p-3 font-mono text-[15px]">
                {r.text}
              </pre>
            </details>
          </li>
        ))}
      </ul>
    </details>
  );
}
