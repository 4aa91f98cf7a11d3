/** Figures for people: rounded to their uncertainty, in the units each person prefers. Stored values stay SI. */
import type { Schemas } from "../api/client";

export type Quantity = Schemas["Quantity"];
export type Preferences = Pick<Schemas["Me"], "length_unit" | "force_unit">;

const TO: Record<string, { unit: string; factor: number }> = {
  lbf: { unit: "lbf", factor: 1 / 4.4482216152605 },
  in: { unit: "in", factor: 1 / 25.4 },
};

/** Units that are said, not written. */
const SAID: Record<string, string> = {
  "mm/100mm": "mm per 100 mm",
  "N/100mm": "N per 100 mm",
  Hz2: "Hz²",
  "Hz2/turn": "Hz² per turn",
  deg: "°",
};

/** Factor and name of the unit in which a person wants to read `unit`. */
export function preferred(unit: string, p: Preferences): { unit: string; factor: number } {
  if (p.force_unit === "lbf") {
    if (unit === "N") return TO.lbf!;
    if (unit === "N/turn") return { unit: "lbf/turn", factor: TO.lbf!.factor };
  }
  if (unit === "mm" && p.length_unit === "in") return TO.in!;
  return { unit: SAID[unit] ?? unit, factor: 1 };
}

/** Decimals that show the second digit of an uncertainty. */
export function decimals(u95: number | null | undefined, value: number): number {
  // Rounded first: 0.996 shows as 1.0.
  const size = Number((u95 ? u95 : Math.abs(value) / 100 || 1).toPrecision(2));
  return Math.min(5, Math.max(0, 1 - Math.floor(Math.log10(size))));
}

/** ``ends``: from where to where it may lie, where that is not the same to both sides; then it stands for ``pm``. */
export type Shown = { value: string; pm: string | null; unit: string; ends: string | null };

/** An interval is told by its ends where one side is longer than the other by this share of it. */
const LOPSIDED = 0.2;

export function show(q: Quantity, p: Preferences): Shown {
  const { unit, factor } = preferred(q.unit, p);
  const value = q.value * factor;
  const u = q.u95 == null ? null : q.u95 * factor;
  const d = decimals(u, value);
  const named = unit === "1" ? "" : unit;
  if (u && q.low != null && q.high != null) {
    const [below, above] = [q.value - q.low, q.high - q.value];
    if (Math.abs(above - below) > LOPSIDED * (above + below)) {
      const fine = decimals(Math.min(...[below, above].filter((x) => x > 0)) * factor, value);
      const ends = `${(q.low * factor).toFixed(fine)} to ${(q.high * factor).toFixed(fine)}`;
      return { value: value.toFixed(fine), pm: u.toFixed(d), unit: named, ends };
    }
  }
  return { value: value.toFixed(d), pm: u == null ? null : u.toFixed(d), unit: named, ends: null };
}

export function sentence(q: Quantity, p: Preferences): string {
  const s = show(q, p);
  const known = s.ends ? ` (${s.ends})` : s.pm ? ` ± ${s.pm}` : "";
  return `${s.value}${known}${s.unit ? ` ${s.unit}` : ""}`;
}

/** A chance, which is never certain. */
export function percent(p: number): string {
  return p > 0.99 ? "99 %" : p < 0.01 ? "< 1 %" : `${Math.round(100 * p)} %`;
}

/** Turns as said at the bench: to the nearest eighth. */
export function turns(value: number): string {
  const eighths = Math.max(1, Math.round(Math.abs(value) * 8));
  const whole = Math.floor(eighths / 8);
  const part = ["", "⅛", "¼", "⅜", "½", "⅝", "¾", "⅞"][eighths % 8]!;
  const unit = whole >= 1 && eighths > 8 ? "turns" : "turn";
  return `${whole || ""}${part} ${unit}`;
}

/** The same in figures, for the record. */
export function eighth(value: number): number {
  return (Math.sign(value) * Math.max(1, Math.round(Math.abs(value) * 8))) / 8;
}

/** A typed figure with comma or point; null where it is none. */
export function parseFigure(text: string): number | null {
  const t = text.trim().replace(",", ".");
  if (!/^[+-]?(\d+\.?\d*|\.\d+)$/.test(t)) return null;
  const value = Number(t);
  return Number.isFinite(value) ? value : null;
}

const RELATIVE = new Intl.RelativeTimeFormat("en", { numeric: "auto" });

/** A moment as people say it. */
export function ago(iso: string, today = new Date()): string {
  const minutes = (today.getTime() - new Date(iso).getTime()) / 60000;
  if (minutes < 1) return "just now";
  if (minutes < 60) return RELATIVE.format(-Math.round(minutes), "minute");
  if (minutes < 60 * 20) return RELATIVE.format(-Math.round(minutes / 60), "hour");
  const days = minutes / 1440;
  if (days < 14) return RELATIVE.format(-Math.round(days), "day");
  if (days < 60) return RELATIVE.format(-Math.round(days / 7), "week");
  return RELATIVE.format(-Math.round(days / 30.4), "month");
}

/** In words, what a figure is of what is expected, where it is off by ten or by an inch's millimetres; else null. */
export function typedWrong(value: number, expected: number): string | null {
  if (!expected) return null;
  for (const [factor, words] of [
    [10, "ten times"],
    [0.1, "a tenth of"],
    [25.4, "25.4 times"],
    [1 / 25.4, "1/25.4 of"],
  ] as const)
    if (Math.abs(value / expected / factor - 1) < 0.03) return words;
  return null;
}

/** A reading that lies far from the others (median deviation); its index, or null. */
export function oddOne(readings: number[]): number | null {
  if (readings.length < 4) return null;
  const median = (v: number[]) => {
    const s = [...v].sort((a, b) => a - b);
    const m = Math.floor(s.length / 2);
    return s.length % 2 ? s[m]! : (s[m - 1]! + s[m]!) / 2;
  };
  const centre = median(readings);
  const off = readings.map((r) => Math.abs(r - centre));
  const spread = 1.4826 * median(off);
  const worst = off.indexOf(Math.max(...off));
  return off[worst]! > Math.max(5 * spread, 0.005 * Math.abs(centre)) ? worst : null;
}

/** A day by itself is the workshop's, not world time's: at noon it is the same day everywhere that reads it. */
const moment = (iso: string) => new Date(iso.length === 10 ? `${iso}T12:00:00` : iso);

/** A day, as one says it: with its year, or of this one without. */
export const onDay = (iso: string) =>
  moment(iso).toLocaleDateString(undefined, { day: "numeric", month: "long", year: "numeric" });
export const dayOf = (iso: string) => moment(iso).toLocaleDateString(undefined, { day: "numeric", month: "long" });
