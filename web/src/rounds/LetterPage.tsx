/** The week's letter: what was done, what is due, what to order, which machine is fit for what; to read, print or take along. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, got } from "../api/client";
import { Button, ErrorNote, Loading, useTitle } from "../kit/bits";
import { mondayOf } from "./words";

export function LetterPage() {
  const [back, setBack] = useState(0);
  const monday = mondayOf(new Date(), -back);
  const letter = useQuery({
    queryKey: ["service", "letter", monday],
    queryFn: () => got(api.GET("/api/service/letter", { params: { query: { day: monday } } })),
    placeholderData: (before) => before,
  });
  useTitle("The week's letter");
  if (!letter.data) return letter.error ? <ErrorNote error={letter.error} /> : <Loading what="the letter" />;
  const from = new Date(`${letter.data.monday}T12:00:00`);
  return (
    <article className="sheet mx-auto grid max-w-3xl gap-4" aria-labelledby="letter">
      <div className="flex flex-wrap items-end justify-between gap-3">
        <div>
          <p className="text-ink2">
            <Link to="/rounds">All rounds</Link>
          </p>
          <h1 id="letter">
            The week of {from.toLocaleDateString(undefined, { day: "numeric", month: "long", year: "numeric" })}
          </h1>
        </div>
        <span className="flex flex-wrap items-center gap-2">
          <Button disabled={back === 52} onClick={() => setBack(back + 1)}>
            Week before
          </Button>
          <Button disabled={back === 0} onClick={() => setBack(back - 1)}>
            Week after
          </Button>
        </span>
      </div>
      {letter.data.parts.map((p) => (
        <section key={p.title} aria-label={p.title}>
          <h2>{p.title}</h2>
          {p.lines.length ? (
            <ul className="rows">
              {p.lines.map((line) => (
                <li key={line} className="py-1.5">
                  {line}
                </li>
              ))}
            </ul>
          ) : (
            <p>{p.empty}</p>
          )}
        </section>
      ))}
      <a
        href={`/api/service/letter.pdf?day=${monday}`}
        download
        className="inline-flex min-h-11 items-center justify-self-start font-semibold"
      >
        As PDF
      </a>
    </article>
  );
}
