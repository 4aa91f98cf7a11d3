/** Words of rounds that more than one page says. */
import type { Schemas } from "../api/client";
import { counted } from "../kit/words";

type Every = Schemas["Every"];
type Task = Schemas["TaskOut"];

/** How often, whichever comes first. */
export function every(e: Every): string {
  const ways = [
    e.days == null ? "" : counted(e.days, "day", "days"),
    e.hours == null ? "" : `${e.hours} h`,
    e.kg == null ? "" : `${e.kg} kg`,
    e.km == null ? "" : `${e.km} km`,
  ];
  return ways.filter(Boolean).join(" or ");
}

export const SOURCE: Record<Task["source"], string> = {
  typical: "typical",
  workshop: "the workshop's own",
  maker: "the maker's",
};

export const STATE: Record<Task["state"], string> = {
  unplugged: "Unplugged",
  cold: "Cold",
  powered: "Powered: it may move",
  hot: "Hot",
};

/** By how much something is over. */
export const over = (days: number) => (days < 1 ? "today" : `${counted(Math.round(days), "day", "days")} over`);

/** The rounds of several machines in one go. */
export const goPath = ([first, ...rest]: number[]) => `/rounds/${first}${rest.length ? `?then=${rest.join(",")}` : ""}`;

/** A day as the API tells it, of this device's zone. */
export const local = (d: Date) =>
  `${d.getFullYear()}-${String(d.getMonth() + 1).padStart(2, "0")}-${String(d.getDate()).padStart(2, "0")}`;

/** The Monday of the week so many weeks from a day. */
export function mondayOf(day: Date, weeks = 0): string {
  const d = new Date(day);
  d.setDate(d.getDate() - ((d.getDay() + 6) % 7) + 7 * weeks);
  return local(d);
}
