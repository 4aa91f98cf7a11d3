/** For a screen on the wall: which machine is fit for what, in words that are read from five metres; it refreshes by itself. */
import { useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "../api/client";
import { ErrorNote, Loading, useTitle } from "../kit/bits";
import { capital } from "../kit/words";

type Machine = Schemas["WallMachine"];
/** How often it asks (ms). */
const EVERY = 30_000;

const SAID: Record<Machine["fitness"], string> = {
  fit: "For a fine part",
  rough_only: "For a rough one only",
  in_service: "In service",
  look_first: "Not before somebody has looked",
  tagged_out: "Out of use",
  not_known: "Ask a technician",
};
const ORDER = Object.keys(SAID) as Machine["fitness"][];

export function Wall() {
  useTitle("For what today");
  const wall = useQuery({
    queryKey: ["wall"],
    queryFn: () => got(api.GET("/api/wall")),
    refetchInterval: EVERY,
    refetchIntervalInBackground: true,
  });
  if (!wall.data)
    return (
      <main className="p-8 text-[28px]">
        {wall.error ? <ErrorNote error={wall.error} /> : <Loading what="the wall" />}
      </main>
    );
  const machines = wall.data.flatMap((a) => a.machines);
  const at = new Date(wall.dataUpdatedAt).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });
  return (
    <main className="grid min-h-screen content-start gap-[3vh] bg-sheet px-[4vw] py-[4vh]">
      <h1 className="sr-only">Which machine for what today</h1>
      {ORDER.map((fitness) => {
        const rows = machines.filter((m) => m.fitness === fitness);
        return rows.length ? (
          <section key={fitness} aria-label={SAID[fitness]}>
            <h2 className="!text-[clamp(22px,3.2vw,48px)] !font-semibold">{SAID[fitness]}</h2>
            {fitness === "fit" ? (
              <p className="text-[clamp(34px,6vw,96px)] font-extrabold leading-[1.1]">
                {rows.map((m) => m.name).join(", ")}
              </p>
            ) : (
              <ul className="text-[clamp(24px,3.8vw,60px)] leading-tight">
                {rows.map((m) => (
                  <li key={m.name}>
                    <b>{m.name}</b>
                    {m.reason ? <span className="text-[0.6em] text-ink2"> {capital(m.reason)}</span> : null}
                  </li>
                ))}
              </ul>
            )}
          </section>
        ) : null;
      })}
      {machines.some((m) => m.fitness === "fit") ? null : (
        <p className="text-[clamp(34px,6vw,96px)] font-extrabold">No machine for a fine part today</p>
      )}
      <p className="text-[clamp(18px,2vw,30px)] text-ink2" role="status">
        {wall.error ? `The workshop does not answer. As of ${at}.` : `As of ${at}.`}
      </p>
    </main>
  );
}
