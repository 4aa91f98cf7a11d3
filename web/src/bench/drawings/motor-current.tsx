/** A motor's current: the cautions that stand at the step where the driver is set. */
import type { Shown } from "../drawing";

export function Result({ capture }: Shown) {
  const found = capture.found;
  if (found.procedure !== "motor-current") return null;
  return (
    <ul className="grid gap-1">
      {found.cautions.map((words) => (
        <li key={words} className="border-l-[5px] border-watch pl-3">
          {words}
        </li>
      ))}
    </ul>
  );
}
