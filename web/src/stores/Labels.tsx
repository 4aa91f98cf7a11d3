/** Labels with a code for drawers and machines, on a sheet that is at hand. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got } from "../api/client";
import { Field, INPUT, TextField } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import type { Drawer } from "./stores";

export function Labels({ drawers }: { drawers: Drawer[] }) {
  const [open, setOpen] = useState(false);
  const [sheet, setSheet] = useState("a4-24");
  const [skip, setSkip] = useState("0");
  const sheets = useQuery({ queryKey: ["labels"], queryFn: () => got(api.GET("/api/labels")), enabled: open });
  const used = Math.min(100, Math.max(0, Math.round(parseFigure(skip) ?? 0)));
  const link = (what: string) => `/api/labels.pdf?what=${what}&sheet=${sheet}&skip=${used}`;
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-11 cursor-pointer py-2 font-semibold">Labels to print</summary>
      <div className="grid max-w-[40em] gap-3 sm:grid-cols-[2fr_1fr]">
        <Field label="On">
          {(fid) => (
            <select id={fid} className={INPUT} value={sheet} onChange={(e) => setSheet(e.target.value)}>
              {sheets.data?.map((s) => (
                <option key={s.name} value={s.name}>
                  {s.words}
                </option>
              ))}
            </select>
          )}
        </Field>
        <TextField label="Used already" figure maxLength={3} value={skip} onText={setSkip} />
      </div>
      <p className="flex flex-wrap gap-x-5">
        <a className="inline-flex min-h-11 items-center font-semibold" href={link("machines")} download>
          For the machines
        </a>
        {drawers.length ? (
          <a className="inline-flex min-h-11 items-center font-semibold" href={link("drawers")} download>
            For the drawers
          </a>
        ) : null}
      </p>
      <p className="text-[15px] text-ink2">
        A machine's label leads a technician to its page, a member to the report. Print at 100 %.
      </p>
    </details>
  );
}
