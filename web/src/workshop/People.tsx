/** Accounts and roles, and the trail of who did what. The lead's. */
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, Field, fieldError, INPUT, Loading, TextField } from "../kit/bits";
import { ago } from "../kit/figures";
import { Inviting, Openness } from "./Inviting";

type Role = Schemas["PersonOut"]["role"];
const ROLES: Role[] = ["member", "technician", "lead"];

export function People() {
  const client = useQueryClient();
  const people = useQuery({ queryKey: ["people"], queryFn: () => got(api.GET("/api/people")) });
  const [form, setForm] = useState<Schemas["PersonIn"]>({ username: "", name: "", password: "", role: "member" });
  const done = (rows: Schemas["PersonOut"][]) => {
    client.setQueryData(["people"], rows);
    client.invalidateQueries({ queryKey: ["audit"] });
  };
  const add = useMutation({
    mutationFn: () => got(api.POST("/api/people", { body: form })),
    onSuccess: (rows) => {
      done(rows);
      setForm({ username: "", name: "", password: "", role: "member" });
    },
  });
  const change = useMutation({
    mutationFn: ({ id, ...body }: { id: number } & Schemas["PersonChange"]) =>
      got(api.PATCH("/api/people/{user_id}", { params: { path: { user_id: id } }, body })),
    onSuccess: done,
  });
  const code = useMutation({
    mutationFn: (id: number) => got(api.POST("/api/people/{user_id}/code", { params: { path: { user_id: id } } })),
  });
  const text = (key: "username" | "name" | "password", label: string) => (
    <TextField
      label={label}
      error={fieldError(add.error, key)}
      type={key === "password" ? "password" : "text"}
      autoComplete={key === "password" ? "new-password" : "off"}
      required
      value={form[key]}
      onText={(typed) => setForm({ ...form, [key]: typed })}
    />
  );
  if (!people.data) return people.error ? <ErrorNote error={people.error} /> : <Loading what="the accounts" />;
  return (
    <section className="sheet grid gap-5">
      <ErrorNote error={change.error ?? code.error} />
      <ul className="rows">
        {people.data.map((p) => (
          <li key={p.id} className="flex flex-wrap items-center gap-3 py-2">
            <span className="min-w-56 flex-1">
              <b>{p.name}</b> <span className="text-ink2">{p.username}</span>
            </span>
            <select
              aria-label={`Role of ${p.name}`}
              className={`${INPUT} !w-40`}
              value={p.role}
              onChange={(e) => change.mutate({ id: p.id, role: e.target.value as Role })}
            >
              {ROLES.map((r) => (
                <option key={r} value={r}>
                  {r}
                </option>
              ))}
            </select>
            {p.is_active ? (
              <Button aria-label={`Forgotten password of ${p.name}`} onClick={() => code.mutate(p.id)}>
                Forgotten password
              </Button>
            ) : null}
            <Button onClick={() => change.mutate({ id: p.id, is_active: !p.is_active })}>
              {p.is_active ? "Close the account" : "Open it again"}
            </Button>
            {code.data && code.variables === p.id ? (
              <p className="basis-full" role="status">
                Tell {p.name} this code, once: <b className="font-mono text-[21px]">{code.data.code}</b>. At the
                sign-in, under “Password forgotten?”, it sets a new password until{" "}
                {new Date(code.data.until).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })}.
              </p>
            ) : null}
          </li>
        ))}
      </ul>
      <form
        className="grid gap-3 sm:grid-cols-4"
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate();
        }}
      >
        {text("name", "Name")}
        {text("username", "Name to sign in with")}
        {text("password", "First password")}
        <Field label="Role">
          {(id) => (
            <select
              id={id}
              className={INPUT}
              value={form.role}
              onChange={(e) => setForm({ ...form, role: e.target.value as Role })}
            >
              {ROLES.map((r) => (
                <option key={r} value={r}>
                  {r}
                </option>
              ))}
            </select>
          )}
        </Field>
        {["name", "username", "password"].some((f) => fieldError(add.error, f)) ? null : (
          <ErrorNote error={add.error} />
        )}
        <Button type="submit" className="justify-self-start" disabled={add.isPending}>
          Make the account
        </Button>
      </form>
      <p>
        <Link to="/alone">Who may do what alone</Link>
      </p>
      <Inviting />
      <Openness />
      <Trail />
    </section>
  );
}

/** Who did what, newest first, asked for when it is opened. */
function Trail() {
  const [open, setOpen] = useState(false);
  const trail = useInfiniteQuery({
    queryKey: ["audit"],
    enabled: open,
    initialPageParam: 1,
    queryFn: ({ pageParam }) => got(api.GET("/api/audit", { params: { query: { page: pageParam } } })),
    getNextPageParam: (last, pages) => (last.more ? pages.length + 1 : undefined),
  });
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-11 cursor-pointer font-semibold">Who did what</summary>
      <ErrorNote error={trail.error} />
      {trail.isLoading ? <Loading what="the deeds" /> : null}
      <ul className="rows">
        {trail.data?.pages
          .flatMap((p) => p.lines)
          .map((a) => (
            <li key={`${a.at}${a.words}`} className="flex flex-wrap justify-between gap-3 py-1.5">
              <span>{a.words}</span>
              <span className="text-[15px] text-ink2">
                {a.who}, <time title={new Date(a.at).toLocaleString()}>{ago(a.at)}</time>
                {a.entered_at ? (
                  <>
                    , entered <time title={new Date(a.entered_at).toLocaleString()}>{ago(a.entered_at)}</time> without
                    network
                  </>
                ) : null}
              </span>
            </li>
          ))}
      </ul>
      {trail.hasNextPage ? (
        <Button className="mt-2" disabled={trail.isFetchingNextPage} onClick={() => trail.fetchNextPage()}>
          Show older
        </Button>
      ) : null}
    </details>
  );
}
