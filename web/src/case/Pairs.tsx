/** Before and after in pictures: pairs taken from the same place, each under its slider; another is taken over a faint copy. */
import { useState } from "react";
import type { Schemas } from "../api/client";
import { BeforeAfter } from "../kit/BeforeAfter";
import { Button } from "../kit/bits";
import { ago } from "../kit/figures";
import { Retake } from "./Retake";

type Case = Schemas["CaseOut"];
export type Picture = Case["pictures"][number];

export const shown = (p: Picture, alt: string) => ({
  src: `/api/pictures/${p.id}`,
  alt: p.words || alt,
  width: p.width,
  height: p.height,
});

export function Pairs({ c, changed }: { c: Case; changed: (c: Case) => void }) {
  const [over, setOver] = useState<Picture | null>(null);
  const firsts = c.pictures.filter((p) => p.before === null);
  if (!firsts.length) return null;
  if (over)
    return (
      <section className="sheet grid gap-3">
        <Retake c={c} over={over} changed={changed} leave={() => setOver(null)} />
      </section>
    );
  const pairs = firsts.flatMap((first) => {
    const later = c.pictures.filter((p) => p.before === first.id);
    return later.length ? [{ first, last: later[later.length - 1]! }] : [];
  });
  // Before anything was done there is no after.
  const open = c.state === "in_work" || c.state === "not_verified";
  if (!pairs.length && !open) return null;
  return (
    <section className="sheet grid gap-3" aria-label="Before and after, in pictures">
      <h2>Before and after, in pictures</h2>
      {pairs.map(({ first, last }) => (
        <figure key={last.id} className="grid gap-1">
          <BeforeAfter
            before={shown(first, "Before")}
            after={shown(last, "After")}
            fit={last.fit}
            label={`Wipe between before and after${first.words ? `: ${first.words}` : ""}`}
          />
          <figcaption className="text-[15px] text-ink2">
            {first.words ? `${first.words} ` : ""}Before {ago(first.at)}, after {ago(last.at)}.
          </figcaption>
        </figure>
      ))}
      {open ? (
        <div className="flex flex-wrap items-center gap-3">
          {firsts.map((p) => (
            <Button key={p.id} onClick={() => setOver(p)}>
              {firsts.length > 1
                ? `Take “${p.words || `picture of ${ago(p.at)}`}” again`
                : "Take the picture again, from the same place"}
            </Button>
          ))}
        </div>
      ) : null}
    </section>
  );
}
