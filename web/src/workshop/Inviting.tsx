/** Links by which people make their own accounts, and what is shown and taken without one. The lead's. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, newKey, type Schemas, send } from "../api/client";
import { Button, ErrorNote, Field, FilePick, fieldError, INPUT, TABLES, TextField } from "../kit/bits";
import { dayOf, parseFigure } from "../kit/figures";
import { counted } from "../kit/words";

type Invitation = Schemas["InvitationOut"];
const GOOD = { queryKey: ["invitations"], queryFn: () => got(api.GET("/api/invitations")) };
const ROLES: Invitation["role"][] = ["member", "technician", "lead"];

export function Inviting() {
  const client = useQueryClient();
  const good = useQuery(GOOD);
  const [role, setRole] = useState<Invitation["role"]>("member");
  const [uses, setUses] = useState("1");
  // Told only now: what is made is shown until one goes.
  const [made, setMade] = useState<Invitation[]>([]);
  const done = (rows: Invitation[]) => {
    setMade(rows);
    client.invalidateQueries({ queryKey: GOOD.queryKey });
  };
  const invite = useMutation({
    mutationFn: () => got(api.POST("/api/invitations", { body: { role, uses: parseFigure(uses) ?? 0 } })),
    onSuccess: (one) => done([one]),
  });
  const list = useMutation({
    mutationFn: (file: File) => {
      const form = new FormData();
      form.append("file", file, file.name);
      return send<Invitation[]>("/api/invitations/list", form, newKey());
    },
    onSuccess: done,
  });
  const back = useMutation({
    mutationFn: (id: number | null) => got(api.POST("/api/invitations/back", { body: { id } })),
    onSuccess: (rows) => client.setQueryData(GOOD.queryKey, rows),
  });
  return (
    <section className="grid gap-3" aria-labelledby="inviting">
      <h2 id="inviting">By a link</h2>
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          invite.mutate();
        }}
      >
        <div className="w-44">
          <Field label="As">
            {(id) => (
              <select id={id} className={INPUT} value={role} onChange={(e) => setRole(e.target.value as typeof role)}>
                {ROLES.map((r) => (
                  <option key={r} value={r}>
                    {r}
                  </option>
                ))}
              </select>
            )}
          </Field>
        </div>
        <div className="w-44">
          <TextField
            label="For how many"
            figure
            required
            maxLength={2}
            value={uses}
            error={fieldError(invite.error, "uses")}
            onText={setUses}
          />
        </div>
        <Button type="submit" disabled={invite.isPending}>
          Make a link
        </Button>
      </form>
      <details>
        <summary className="min-h-11 cursor-pointer py-2">Many at once, from a list</summary>
        <p className="mb-2 text-[15px] text-ink2">
          A table (CSV) whose first line says name, username and, where it is another than member, role. Each line gets
          a link of its own.
        </p>
        <FilePick label="Choose the list" accept={TABLES} disabled={list.isPending} onFile={(f) => list.mutate(f)} />
      </details>
      <ErrorNote error={invite.error ?? list.error ?? back.error} />
      {made.length ? <Made rows={made} /> : null}
      {good.data?.length ? (
        <details>
          <summary className="min-h-11 cursor-pointer py-2">
            {counted(good.data.length, "link that is", "links that are")} still good
          </summary>
          <ul className="rows">
            {good.data.map((i) => (
              <li key={i.id} className="flex flex-wrap items-center gap-3 py-1.5">
                <span className="flex-1">
                  {i.name || "Whoever has it"}, {i.role}
                  {i.left > 1 ? `, ${i.left} times` : ""}, until {dayOf(i.until)}{" "}
                  <span className="text-ink2">made by {i.by}</span>
                </span>
                <Button
                  disabled={back.isPending}
                  onClick={() => back.mutate(i.id)}
                  aria-label={`Take it back: the link for ${i.name || "whoever has it"}`}
                >
                  Take it back
                </Button>
              </li>
            ))}
          </ul>
        </details>
      ) : null}
    </section>
  );
}

function Made({ rows }: { rows: Invitation[] }) {
  const table = [
    "name,username,role,link",
    ...rows.map((i) => [i.name, i.username, i.role, i.address].map(cell).join(",")),
  ];
  return (
    <div className="grid gap-2 border-l-[5px] border-go pl-4" role="status">
      <p className="font-semibold">
        {rows.length === 1 ? "Hand this link on. It is" : "Hand these links on. They are"} shown only now.
      </p>
      <ul>
        {rows.map((i) => (
          <li key={i.id}>
            {i.name ? `${i.name}: ` : ""}
            <span className="break-all font-mono text-[15px]">{i.address}</span>
          </li>
        ))}
      </ul>
      {rows.length > 1 ? (
        <a
          className="inline-flex min-h-11 items-center font-semibold"
          download="links.csv"
          href={`data:text/csv;charset=utf-8,${encodeURIComponent(`${table.join("\n")}\n`)}`}
        >
          As a table
        </a>
      ) : null}
    </div>
  );
}

const cell = (v: string | null | undefined) => `"${(v ?? "").replaceAll('"', '""')}"`;

export function Openness() {
  const client = useQueryClient();
  const open = useQuery({ queryKey: ["openness"], queryFn: () => got(api.GET("/api/openness")) });
  // Shown as it was ticked; where that is refused, as it is.
  const [ticked, setTicked] = useState<Schemas["OpennessOut"] | null>(null);
  const change = useMutation({
    mutationFn: (body: Schemas["OpennessOut"]) => got(api.POST("/api/openness", { body })),
    onSuccess: (now) => client.setQueryData(["openness"], now),
    onError: () => setTicked(null),
  });
  if (!open.data) return <ErrorNote error={open.error} />;
  const now = ticked ?? open.data;
  const box = (key: "wall" | "reports", words: string, more: React.ReactNode) => (
    <label className="flex min-h-11 items-start gap-3 py-1.5">
      <input
        type="checkbox"
        className="mt-0.5 h-6 w-6 accent-[var(--ink)]"
        checked={now[key]}
        onChange={(e) => {
          const next = { ...now, [key]: e.target.checked };
          setTicked(next);
          change.mutate(next);
        }}
      />
      <span>
        {words}
        <span className="block text-[15px] text-ink2">{more}</span>
      </span>
    </label>
  );
  return (
    <section className="grid gap-1" aria-labelledby="openly">
      <h2 id="openly">Without an account</h2>
      {box(
        "wall",
        "A page for a screen on the wall",
        <>
          Which machine is fit for what, nothing else: <a href="/wall">/wall</a>
        </>,
      )}
      {box(
        "reports",
        "Reports from a machine's label",
        "With a name as it is typed; a technician looks before it counts; five an hour from one address.",
      )}
      <ErrorNote error={change.error} />
    </section>
  );
}
