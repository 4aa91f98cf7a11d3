/** Which machine for what today, in words: for who comes in with a file. */
import { Link } from "react-router";
import type { Schemas } from "../api/client";

type Tile = Schemas["Tile"];

/** So many are named. */
const NAMED = 6;

export function ForToday({ machines }: { machines: Tile[] }) {
  const fine = machines.filter((m) => m.fitness === "fit");
  const rough = machines.filter((m) => m.fitness === "rough_only");
  if (!machines.length) return null;
  return (
    <section className="sheet grid gap-1 !py-3" aria-label="Which machine for what today">
      <p>
        <b>For a fine part today:</b> {fine.length ? <Names rows={fine} /> : "no machine. Ask a technician."}
      </p>
      {rough.length ? (
        <p>
          <b>For a rough one only:</b> <Names rows={rough} why />
        </p>
      ) : null}
    </section>
  );
}

function Names({ rows, why = false }: { rows: Tile[]; why?: boolean }) {
  return (
    <>
      {rows.slice(0, NAMED).map((m, i) => (
        <span key={m.id}>
          {i ? ", " : ""}
          <Link to={`/machines/${m.id}`}>{m.name}</Link>
          {why && m.reason ? ` (${m.reason})` : ""}
        </span>
      ))}
      {rows.length > NAMED ? ` and ${rows.length - NAMED} more` : ""}.
    </>
  );
}
