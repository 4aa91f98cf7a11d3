/** Words for what the core names. */
import type { Schemas } from "../api/client";

export const KINEMATICS: Record<Schemas["Description"]["kinematics"], string> = {
  bed_slinger: "moving bed",
  fixed_bed: "fixed bed, gantry",
  corexy: "crossed belts",
  delta: "three towers",
  belt_bed: "endless bed",
};

/** An axis by its letter, the rest in a word: X, Bed. */
export const axisName = (axis: string) =>
  axis.length > 2 ? axis.charAt(0).toUpperCase() + axis.slice(1) : axis.toUpperCase();

export const VERDICT: Record<Schemas["CaptureOut"]["verdict"], string> = {
  in_tolerance: "Within its limits",
  watch: "Within its limits, near the edge",
  out_of_tolerance: "Outside its limits",
  cannot_tell: "Cannot tell yet",
  not_judged: "Measured",
};
