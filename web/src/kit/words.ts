/** Words for what the core names. */
import type { Schemas } from "../api/client";

export const KINEMATICS: Record<Schemas["Description"]["kinematics"], string> = {
  bed_slinger: "moving bed",
  fixed_bed: "fixed bed, gantry",
  corexy: "crossed belts",
  delta: "three towers",
  belt_bed: "endless bed",
};
