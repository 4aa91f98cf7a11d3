/** One's own account: the password, and where one is signed in. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got } from "../api/client";
import { Button, ErrorNote, fieldError, Loading, TextField, useTitle } from "../kit/bits";
import { ago } from "../kit/figures";
import { useMe } from "./me";

export function MyAccount() {
  useTitle("Your account");
  return (
    <div className="mx-auto grid max-w-3xl gap-5">
      <h1>Your account</h1>
      <Hearing />
      <Password />
      <Devices />
    </div>
  );
}

/** Where one hears what became of what one has reported. */
function Hearing() {
  const client = useQueryClient();
  const me = useMe();
  const [address, setAddress] = useState(me.hears_at);
  const change = useMutation({
    mutationFn: () => got(api.PATCH("/api/me", { body: { hears_at: address } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["session"] }),
  });
  return (
    <form
      className="sheet grid gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        change.mutate();
      }}
    >
      <h2>What became of what you report</h2>
      <TextField
        label="Write to me at"
        hint="When a case that you reported is closed, if the workshop sends letters. Empty: you see it on its page."
        type="email"
        autoComplete="email"
        error={fieldError(change.error, "hears_at")}
        value={address}
        onText={setAddress}
      />
      {fieldError(change.error, "hears_at") ? null : <ErrorNote error={change.error} />}
      <div className="flex flex-wrap items-center gap-4">
        <Button type="submit" disabled={change.isPending}>
          Keep it so
        </Button>
        {change.isSuccess ? <p role="status">Kept.</p> : null}
      </div>
    </form>
  );
}

function Password() {
  const client = useQueryClient();
  const [form, setForm] = useState({ present: "", new: "" });
  const change = useMutation({
    mutationFn: () => got(api.POST("/api/me/password", { body: form })),
    onSuccess: () => {
      setForm({ present: "", new: "" });
      client.invalidateQueries({ queryKey: ["my-sessions"] });
    },
  });
  const field = (key: "present" | "new", label: string, hint?: string) => (
    <TextField
      label={label}
      hint={hint}
      error={fieldError(change.error, key)}
      type="password"
      autoComplete={key === "new" ? "new-password" : "current-password"}
      required
      value={form[key]}
      onText={(typed) => setForm({ ...form, [key]: typed })}
    />
  );
  return (
    <form
      className="sheet grid gap-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault();
        change.mutate();
      }}
    >
      <h2 className="sm:col-span-2">Password</h2>
      {field("present", "The present one")}
      {field("new", "A new one", "Ten characters or more; three or four words are easy to keep.")}
      {["present", "new"].some((f) => fieldError(change.error, f)) ? null : <ErrorNote error={change.error} />}
      <div className="flex flex-wrap items-center gap-4 sm:col-span-2">
        <Button type="submit" disabled={change.isPending}>
          Change it
        </Button>
        {change.isSuccess ? <p role="status">Changed. Everywhere else you are signed out.</p> : null}
      </div>
    </form>
  );
}

function Devices() {
  const client = useQueryClient();
  const devices = useQuery({ queryKey: ["my-sessions"], queryFn: () => got(api.GET("/api/me/sessions")) });
  const end = useMutation({
    mutationFn: (id: number) =>
      got(api.DELETE("/api/me/sessions/{session_id}", { params: { path: { session_id: id } } })),
    onSuccess: (rows) => client.setQueryData(["my-sessions"], rows),
  });
  return (
    <section className="sheet grid gap-2">
      <h2>Where you are signed in</h2>
      {devices.data ? null : devices.error ? <ErrorNote error={devices.error} /> : <Loading what="your devices" />}
      <ErrorNote error={end.error} />
      <ul className="rows">
        {devices.data?.map((d) => (
          <li key={d.id} className="flex min-h-14 flex-wrap items-center gap-3 py-1.5">
            <span className="min-w-56 flex-1">
              <b>{d.device}</b>{" "}
              <span className="text-ink2">
                {d.address}, signed in <time title={new Date(d.at).toLocaleString()}>{ago(d.at)}</time>
              </span>
            </span>
            {d.here ? (
              <span className="font-semibold">here</span>
            ) : (
              <Button
                aria-label={`Sign out on ${d.device}, ${d.address}`}
                disabled={end.isPending}
                onClick={() => end.mutate(d.id)}
              >
                Sign out there
              </Button>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
