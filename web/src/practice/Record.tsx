/** Lessons that have ended, line by line. */
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { ago } from "../kit/figures";
import { took } from "./practice";

type Line = Omit<Schemas["PracticeLine"], "id" | "seed" | "ended_at">;

/** How it ended, in a word or two. */
function ending(r: Line): string {
  if (r.how === "unsafe") return "ended: not safe";
  if (r.right) return r.found ? "put right, cause named" : "put right";
  return r.how === "given_up" ? "given up" : r.found ? "cause named, not put right" : "not put right";
}

function InShort({ r }: { r: Line }) {
  return (
    <span className="block">
      {ending(r)}: {took(r.minutes)}, the advice {took(r.advised_minutes)}
      {r.figures ? `; ${r.within} of ${r.figures} figures within their ±` : ""}
      {r.unread ? `; ${r.unread} misread` : ""}
      {r.unaided ? "; without the advice" : ""}
    </span>
  );
}

/** In practice: each leads to its account. */
export function Record({ rows }: { rows: Schemas["PracticeLine"][] }) {
  if (!rows.length) return <p className="text-ink2">Nothing yet.</p>;
  return (
    <ul className="rows">
      {rows.map((r) => (
        <li key={r.id} className="py-2">
          <Link to={`/lessons/${r.id}`} className="font-semibold">
            {r.title}
          </Link>{" "}
          <span className="text-ink2">
            number {r.seed}, {ago(r.ended_at)}
          </span>
          <InShort r={r} />
        </li>
      ))}
    </ul>
  );
}

/** In the workshop: as practice has stated them. */
export function RecordLines({ rows }: { rows: Line[] }) {
  if (!rows.length) return <p className="text-ink2">No lesson has been ended yet.</p>;
  return (
    <ul className="rows max-h-80 overflow-y-auto">
      {rows.map((r, k) => (
        <li key={`${k} ${r.title}`} className="py-1.5">
          <b>{r.title}</b>
          <InShort r={r} />
        </li>
      ))}
    </ul>
  );
}
