/** Where things are measured. */
import type { Schemas } from "../api/client";

type Entry = Schemas["BenchEntry"];

export function benchPath(printer: number, procedure: string, place: string, query = ""): string {
  return `/bench/${printer}/${procedure}/${place}${query}`;
}

/** Where belts are set in rounds. */
export function beltsPath(printer: number, place: string, query = ""): string {
  return `/bench/${printer}/belts/${place}${query}`;
}

/** Where a procedure is done for a place that the diagnosis names: there, else at what stands for it (z1 for z), else at the first. */
export function fitting(entry: Entry, place: string): string {
  const places = entry.places.map((p) => p.place);
  return places.find((p) => p === place) ?? places.find((p) => p[0] === place[0]) ?? places[0]!;
}
