/** The frame's lean, drawn larger than it is; and the square's own error beside it. */
import type { Shown } from "../drawing";
import { Skewed } from "./squareness";

export function sketch() {
  return { note: "Indicator along the square's leg" };
}

export function Result({ capture }: Shown) {
  const found = capture.found;
  if (found.procedure !== "square-reversal") return null;
  return <Skewed found={found} wide={found.span_mm} tall={found.span_mm} name="square-reversal" />;
}
