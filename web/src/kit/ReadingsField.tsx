/**
 * The readings field: a figure and Enter, and on to the next by itself. Calipers with a cable do just that.
 * One column or more; shows the spread as it grows, marks an odd one out, takes comma or point, undoes with one key.
 */
import { scaleLinear } from "d3-scale";
import { useEffect, useRef, useState } from "react";
import { Button } from "./bits";
import { oddOne, parseFigure, typedWrong } from "./figures";

/** ``expect``: about what a reading should be, where it is known; what is off by ten or an inch from it is asked about. */
export type Column = {
  name: string;
  label: string;
  unit: string;
  min?: number | null;
  max?: number | null;
  /** `min` itself is too low. */
  above?: boolean;
  expect?: number;
  /** Differs from row to row on purpose: then no figure is unlike the others. */
  varies?: boolean;
};
export type Row = Record<string, number | string>;

type Props = {
  columns: Column[];
  rows: Row[];
  onChange: (rows: Row[]) => void;
  watch?: string;
  most?: number;
  /** Whether all rows are readings of one thing: then their spread is shown and an odd one marked. */
  steady?: boolean;
  /** Whether what was read before is out of sight, but for the newest: nobody then reads from memory. */
  blind?: boolean;
};

const named = (c: Column) => (c.unit ? `${c.label}, ${c.unit}` : c.label);

export function ReadingsField({ columns, rows, onChange, watch, most = 40, steady = true, blind }: Props) {
  const [partial, setPartial] = useState<number[]>([]);
  const [text, setText] = useState("");
  const [error, setError] = useState("");
  // Typed once and asked about; typed again, it is meant.
  const [asked, setAsked] = useState("");
  // A long list would push the field out of sight: the newest rows are enough until all are asked for.
  const [all, setAll] = useState(false);
  const from = blind ? Math.max(0, rows.length - 1) : all || rows.length <= 7 ? 0 : rows.length - 5;
  const input = useRef<HTMLInputElement>(null);
  const begun = useRef(false);
  // Typing figures is the work of this page: the field has the focus, but does not pull the page down to it at first.
  useEffect(() => {
    input.current?.focus({ preventScroll: !begun.current });
    begun.current = true;
  }, [partial.length, rows.length]);
  const column = columns[partial.length]!;
  const watched = rows.map((r) => Number(r[watch ?? columns[0]!.name]));
  const odd = steady && (columns.length === 1 || watch) ? oddOne(watched) : null;

  function enter() {
    const value = parseFigure(text);
    if (value === null) return setError(text.trim() ? `“${text.trim()}” is not a figure.` : "Type a figure.");
    const low = column.min != null && (column.above ? value <= column.min : value < column.min);
    if (low || (column.max != null && value > column.max))
      return setError(
        `${column.label} must lie between ${column.min ?? "−∞"} and ${column.max ?? "∞"} ${column.unit}.`,
      );
    const others = rows.map((r) => Number(r[column.name])).sort((a, b) => a - b);
    const usual = column.expect ?? others[Math.floor(others.length / 2)];
    const odd = usual === undefined || column.varies ? null : typedWrong(value, usual);
    if (odd && asked !== text.trim()) {
      setAsked(text.trim());
      return setError(
        `${text.trim()} ${column.unit} is ${odd} ${column.expect !== undefined ? "what is expected" : "the others"}: is the point right, and is it in ${column.unit}? Correct it, or press Enter again if it is so.`,
      );
    }
    setAsked("");
    setError("");
    setText("");
    const next = [...partial, value];
    if (next.length < columns.length) return setPartial(next);
    setPartial([]);
    onChange([...rows, Object.fromEntries(columns.map((c, i) => [c.name, next[i]!]))]);
  }

  function undo() {
    setError("");
    if (partial.length) setPartial(partial.slice(0, -1));
    else if (rows.length) onChange(rows.slice(0, -1));
    input.current?.focus();
  }

  const spread = steady && watched.length > 1 ? Math.max(...watched) - Math.min(...watched) : null;
  return (
    <div className="grid gap-2">
      <table className="w-full border-collapse font-mono text-[20px]">
        <thead>
          <tr className="text-left font-sans text-[15px] text-ink2">
            <th className="w-10 font-semibold" scope="col">
              No.
            </th>
            {columns.map((c) => (
              <th key={c.name} className="pr-4 font-semibold" scope="col">
                {named(c)}
              </th>
            ))}
            <th scope="col">
              <span className="sr-only">Remark</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {from && !blind ? (
            <tr className="border-t border-hair font-sans text-[15px]">
              <td colSpan={columns.length + 2}>
                <button type="button" className="min-h-11 underline" onClick={() => setAll(true)}>
                  Show the first {from}, too
                </button>
              </td>
            </tr>
          ) : null}
          {rows.map((row, i) =>
            i < from ? null : (
              <tr
                key={`${i}-${Object.values(row).join()}`}
                className={`border-t border-hair ${i === odd ? "text-off" : ""}`}
              >
                <td className="py-1 text-[15px] text-ink2">{i + 1}</td>
                {columns.map((c) => (
                  <td key={c.name} className="py-1 pr-4">
                    {row[c.name]}
                  </td>
                ))}
                <td className="py-1 text-right font-sans text-[15px]">
                  {i === odd ? <strong>odd one out: measure it again </strong> : null}
                  <button
                    type="button"
                    className="min-h-11 min-w-11 underline"
                    aria-label={`Take out reading ${i + 1}`}
                    onClick={() => {
                      onChange(rows.filter((_, j) => j !== i));
                      input.current?.focus();
                    }}
                  >
                    take out
                  </button>
                </td>
              </tr>
            ),
          )}
          {rows.length < most ? (
            <tr className="border-t border-hair">
              <td className="text-[15px] text-ink2">{rows.length + 1}</td>
              {columns.map((c, i) => (
                <td key={c.name} className="py-1 pr-2">
                  {i < partial.length ? (
                    partial[i]
                  ) : i === partial.length ? (
                    <input
                      ref={input}
                      inputMode="decimal"
                      autoComplete="off"
                      aria-label={`${c.label}${c.unit ? ` in ${c.unit}` : ""}, reading ${rows.length + 1}`}
                      aria-invalid={error !== ""}
                      value={text}
                      onChange={(e) => setText(e.target.value)}
                      onKeyDown={(e) => {
                        if (e.key === "Enter") {
                          e.preventDefault();
                          enter();
                        } else if (e.key === "Backspace" && text === "") {
                          e.preventDefault();
                          undo();
                        }
                      }}
                      className="min-h-12 w-full min-w-24 rounded-[3px] border-2 border-go bg-sheet px-2 text-ink"
                    />
                  ) : null}
                </td>
              ))}
              <td className="text-right font-sans text-[15px] text-ink2">Enter for the next</td>
            </tr>
          ) : null}
        </tbody>
      </table>
      {steady && columns.length === 1 && watched.length > 1 ? <Dots values={watched} odd={odd} /> : null}
      {error ? (
        <p role="alert" className="font-semibold text-failed">
          {error}
        </p>
      ) : null}
      <div className="flex items-center justify-between text-[16px] text-ink2">
        <span aria-live="polite">
          {spread !== null && (columns.length === 1 || watch)
            ? `Spread so far ${spread.toPrecision(2)} ${columns.find((c) => c.name === (watch ?? columns[0]!.name))!.unit}`
            : " "}
        </span>
        <Button
          onClick={undo}
          disabled={!rows.length && !partial.length}
          keyHint="⌫"
          className="min-h-11 px-3 text-[15px]"
        >
          Undo
        </Button>
      </div>
    </div>
  );
}

/** The readings so far on one line, with their mean: the spread as it grows. */
function Dots({ values, odd }: { values: number[]; odd: number | null }) {
  const low = Math.min(...values);
  const high = Math.max(...values);
  const room = (high - low || Math.abs(high) / 100 || 1) * 0.15;
  const x = scaleLinear([low - room, high + room], [10, 550]);
  const mean = values.reduce((a, b) => a + b, 0) / values.length;
  return (
    <svg
      viewBox="0 0 560 46"
      className="block w-full"
      role="img"
      aria-label={`${values.length} readings from ${low} to ${high}`}
    >
      <path d="M6 20H554" stroke="var(--line)" />
      <path d={`M${x(mean)} 6V34`} stroke="var(--go)" strokeWidth={2} />
      <text x={x(mean)} y={45} textAnchor="middle" fontSize={12} fill="var(--ink2)">
        mean {Number(mean.toPrecision(6))}
      </text>
      {values.map((v, i) => (
        <circle
          key={i}
          cx={x(v)}
          cy={20}
          r={6}
          fill={i === odd ? "var(--sheet)" : "var(--ink)"}
          fillOpacity={0.75}
          stroke={i === odd ? "var(--off)" : "var(--ink)"}
          strokeWidth={2}
        />
      ))}
    </svg>
  );
}
