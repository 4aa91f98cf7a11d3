/** The week's letter: what was done, what is due, what to order, which machine is fit for what; to read, print or take along. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, fieldError, Loading, TextField, useTitle } from "../kit/bits";
import { ago } from "../kit/figures";
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
      <ByMail />
    </article>
  );
}

/** Oneself gets the letter by e-mail, or not; and how the last one went. */
function ByMail() {
  const client = useQueryClient();
  const mail = useQuery(MAIL);
  const [typed, setTyped] = useState<string | null>(null);
  const keep = { onSuccess: (now: Schemas["ByMail"]) => client.setQueryData(MAIL.queryKey, now) };
  const want = useMutation({
    mutationFn: (address: string) => got(api.POST("/api/service/letter/mail", { body: { address } })),
    onSuccess: (now) => {
      keep.onSuccess(now);
      setTyped(null);
    },
  });
  const send = useMutation({ mutationFn: () => got(api.POST("/api/service/letter/send")), ...keep });
  if (!mail.data) return <ErrorNote error={mail.error} />;
  const { address, is_set, last } = mail.data;
  return (
    <section className="grid gap-3 border-t border-hair pt-4" aria-labelledby="by-mail">
      <h2 id="by-mail">By e-mail</h2>
      {is_set ? null : (
        <p>No mail server is set here. Whoever runs Kestov tells it one; until then the letter waits on this page.</p>
      )}
      {address ? (
        <p>Every Monday the letter of the week before goes to {address}.</p>
      ) : is_set ? (
        <p>You do not get it. It would come every Monday, about the week before.</p>
      ) : null}
      {last ? <p className="text-ink2">{went(last)}</p> : null}
      {typed === null ? (
        <div className="flex flex-wrap gap-3">
          {is_set || address ? (
            <Button onClick={() => setTyped(address)}>{address ? "Change the address" : "Send it to me"}</Button>
          ) : null}
          {address && is_set ? (
            <Button disabled={send.isPending} onClick={() => send.mutate()}>
              Send this week's now
            </Button>
          ) : null}
          {address ? (
            <Button disabled={want.isPending} onClick={() => want.mutate("")}>
              No longer
            </Button>
          ) : null}
        </div>
      ) : (
        <form
          className="flex max-w-[32em] flex-wrap items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            want.mutate(typed);
          }}
        >
          <div className="grow">
            <TextField
              label="Where it goes"
              type="email"
              required
              maxLength={200}
              value={typed}
              error={fieldError(want.error, "address")}
              onText={setTyped}
            />
          </div>
          <Button next type="submit" disabled={want.isPending}>
            Every Monday
          </Button>
          <Button onClick={() => setTyped(null)}>Leave it</Button>
        </form>
      )}
      <ErrorNote error={send.error ?? want.error} />
    </section>
  );
}

const MAIL = {
  queryKey: ["service", "letter-mail"],
  queryFn: () => got(api.GET("/api/service/letter/mail")),
  // One that is on its way is looked after.
  refetchInterval: (q: { state: { data?: Schemas["ByMail"] } }) => (q.state.data?.last?.next_at ? 5000 : false),
} as const;

/** How the last letter went, in words. */
function went(m: NonNullable<Schemas["ByMail"]["last"]>): string {
  if (m.sent_at) return `The last one went to ${m.to} ${ago(m.sent_at)}.`;
  if (m.given_up) return `The last one, to ${m.to}, was given up. ${m.said}`;
  if (!m.said) return `One is on its way to ${m.to}.`;
  return `One to ${m.to} has not gone yet; it is tried again. ${m.said}`;
}
