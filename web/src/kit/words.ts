/** Words for what the core names. */
import type { Schemas } from "../api/client";

export const KINEMATICS: Record<Schemas["Description"]["kinematics"], string> = {
  bed_slinger: "moving bed",
  fixed_bed: "fixed bed, gantry",
  corexy: "crossed belts",
  delta: "three towers",
  belt_bed: "endless bed",
};

export const capital = (words: string) => words.charAt(0).toUpperCase() + words.slice(1);

/** Words that begin a sentence, inside another; what follows keeps its letters. */
export const inside = (words: string) => words.charAt(0).toLowerCase() + words.slice(1);

/** So many of something. */
export const counted = (n: number, one: string, more: string) => `${n} ${n === 1 ? one : more}`;

/** A place inside a sentence: an axis, belt or screw by its letter, the rest in a word: X, bed. */
export const placeName = (place: string) => (place.length > 2 ? place : place.toUpperCase());

/** The same where it stands alone: X, Bed. */
export const axisName = (axis: string) => capital(placeName(axis));

/** Where parts sit, as it stands alone. */
export const saidPlace = (place: string) =>
  place === "all" ? "Whole machine" : place === "e" ? "Drive, hot end" : axisName(place);

export const VERDICT: Record<Schemas["CaptureOut"]["verdict"], string> = {
  in_tolerance: "Within its limits",
  watch: "Within its limits, near the edge",
  out_of_tolerance: "Outside its limits",
  cannot_tell: "Cannot tell yet",
  not_judged: "Measured",
};

/** Where a value is from that nobody typed beside the reading, by the core's name of it. */
export const FROM: Record<string, string> = {
  typed: "typed",
  given: "given",
  model: "the model",
  limit: "the workshop's limit",
  workshop: "the workshop's setting",
  instrument: "the instrument",
  stored: "the ledger",
  last: "as last time",
  measured: "as measured before",
  typical: "typical",
};
