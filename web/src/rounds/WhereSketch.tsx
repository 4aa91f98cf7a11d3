/** Where on the machine a task is done: its sketch with a ring at each place. */
import { anchor, type Description } from "../kit/motion";
import { SKETCH, Sketch } from "../kit/Sketch";
import { inside, saidPlace } from "../kit/words";

export function WhereSketch({ description, places }: { description: Description; places: string[] }) {
  const said = places.map((p) => inside(saidPlace(p))).join(", ");
  return (
    <svg viewBox={`0 0 ${SKETCH[0]} ${SKETCH[1]}`} className="block w-full" role="img" aria-label={`Where: ${said}`}>
      <Sketch description={description} plain within={{ x: 0, y: 0 }} />
      {places.map((p) => {
        const [x, y] = anchor(description, p);
        return (
          <g key={p} fill="none" stroke="var(--go)">
            <circle cx={x} cy={y} r={15} strokeWidth={4} />
            <circle cx={x} cy={y} r={4} fill="var(--go)" stroke="none" />
          </g>
        );
      })}
    </svg>
  );
}
