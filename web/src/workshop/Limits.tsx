/** The limits of a model: what its machines are judged by, each with where it is from; empty is typical. */
import type { Schemas } from "../api/client";
import { Field, INPUT, TextField } from "../kit/bits";
import { parseFigure } from "../kit/figures";

type Limit = Schemas["LimitTold"];
type Kind = Schemas["LimitKind"];
export type LimitRow = { kind: Kind; place: string; low: string; high: string; source: string };

const text = (v: number | null | undefined) => (v == null ? "" : String(v));
const key = (r: { kind: Kind; place: string }) => `${r.kind.what}-${r.place}`;

/** A row for each belt's tension, and one for each other limit wherever it applies. */
export function limitRows(kinds: Kind[], belts: string[], limits: Limit[]): LimitRow[] {
  return kinds.flatMap((kind) =>
    (kind.what === "tension" ? belts : ["all"]).map((place) => {
      const told = limits.find((l) => l.what === kind.what && l.place === place);
      return { kind, place, low: text(told?.low), high: text(told?.high), source: told?.source ?? "" };
    }),
  );
}

/** The limits that the rows tell, with those of other places as they were; what is wrong, by row. */
export function limitsOf(rows: LimitRow[], before: Limit[], kinds: Kind[]) {
  const wrong: Record<string, string> = {};
  const here = new Set(rows.map(key));
  const known = new Map(kinds.map((k) => [k.what, k]));
  const limits = before.filter(
    (l) => known.has(l.what) && !here.has(key({ kind: known.get(l.what)!, place: l.place })),
  );
  for (const r of rows) {
    if (!r.low.trim() && !r.high.trim()) continue;
    const low = r.low.trim() ? parseFigure(r.low) : null;
    const high = parseFigure(r.high);
    const band = r.kind.side === "band";
    if (high === null || high <= 0) wrong[key(r)] = "Enter a figure above zero.";
    else if (band && (low === null || low <= 0)) wrong[key(r)] = "Enter both ends.";
    else if (band && low! >= high) wrong[key(r)] = "The lower must be below the upper.";
    else
      limits.push({
        what: r.kind.what,
        place: r.place,
        low: band ? low : null,
        high,
        unit: r.kind.unit,
        source: r.source.trim() || "the workshop's own",
      });
  }
  return { limits, wrong };
}

export function LimitRows({
  rows,
  wrong,
  onChange,
}: {
  rows: LimitRow[];
  wrong: Record<string, string>;
  onChange: (rows: LimitRow[]) => void;
}) {
  const set = (i: number, part: Partial<LimitRow>) => onChange(rows.map((r, k) => (k === i ? { ...r, ...part } : r)));
  return (
    <fieldset className="grid gap-3 border-t border-hair pt-3">
      <legend className="text-[19px] font-bold">Limits</legend>
      <p className="text-[15px] text-ink2">
        The maker's manual goes first. Empty: typical, and shown as such. They reach every verdict from the next
        measurement on.
      </p>
      {rows.map((r, i) => {
        const name = `${r.kind.words}${r.place === "all" ? "" : `, ${r.place.toUpperCase()}`}`;
        const input = (part: "low" | "high", label: string) => (
          <input
            aria-label={`${name}, ${label}, ${r.kind.unit}`}
            aria-invalid={wrong[key(r)] !== undefined}
            inputMode="decimal"
            className={`${INPUT} font-mono`}
            value={r[part]}
            onChange={(e) => set(i, { [part]: e.target.value })}
          />
        );
        return (
          <div key={key(r)} className="grid gap-3 sm:grid-cols-[2fr_3fr]">
            <Field label={`${name}, ${r.kind.unit}`} error={wrong[key(r)]}>
              {() => (
                <div className="grid grid-cols-2 gap-2">
                  {r.kind.side === "band" ? input("low", "at least") : <span className="self-center">up to</span>}
                  {input("high", "at most")}
                </div>
              )}
            </Field>
            <TextField
              label="From where"
              maxLength={120}
              value={r.source}
              placeholder={r.high ? "the workshop's own" : "typical"}
              onText={(typed) => set(i, { source: typed })}
            />
          </div>
        );
      })}
    </fieldset>
  );
}
