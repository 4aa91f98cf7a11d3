/** Signing in, and the very first account of an empty workshop. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, fieldError, TextField } from "../kit/bits";

export function Door({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <main className="mx-auto grid max-w-md gap-5 px-5 pt-[12vh]">
      <p className="text-[22px] font-extrabold">
        <img src="/mark.svg" alt="" className="mr-2 inline h-7 w-7 align-[-6px]" />
        Kestov
      </p>
      <div className="sheet grid gap-4">
        <h1>{title}</h1>
        {children}
      </div>
    </main>
  );
}

export function SignIn({ state }: { state: Schemas["SessionState"] }) {
  const client = useQueryClient();
  const [username, setUsername] = useState("");
  const [password, setPassword] = useState("");
  const [forgotten, setForgotten] = useState(false);
  const open = useMutation({
    mutationFn: () => got(api.POST("/api/session", { body: { username, password } })),
    onSuccess: (s) => client.setQueryData(["session"], s),
  });
  const wrong = fieldError(open.error, "password");
  return (
    <Door title="Sign in">
      <form
        className="grid gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          open.mutate();
        }}
      >
        <TextField
          label="Name to sign in with"
          autoComplete="username"
          autoCapitalize="none"
          value={username}
          onText={setUsername}
          required
        />
        <TextField
          label="Password"
          error={wrong}
          type="password"
          autoComplete="current-password"
          value={password}
          onText={setPassword}
          required
        />
        {wrong ? null : <ErrorNote error={open.error} />}
        <Button next type="submit" disabled={open.isPending}>
          Sign in
        </Button>
      </form>
      <details onToggle={(e) => setForgotten(e.currentTarget.open)}>
        <summary className="min-h-11 cursor-pointer">Password forgotten?</summary>
        {forgotten ? <ByCode username={username} /> : null}
      </details>
      {state.demo ? (
        <p className="text-[15px] text-ink2">
          This is the demo workshop. Technician: <code>tech</code> with <code>tide-table-tech</code>. Lead:{" "}
          <code>lead</code> with <code>tide-table-lead</code>. Member: <code>member</code> with{" "}
          <code>tide-table-member</code>.
        </p>
      ) : null}
    </Door>
  );
}

/** A new password, by the code that the lead gives to who has forgotten the old one. */
function ByCode({ username }: { username: string }) {
  const client = useQueryClient();
  const [form, setForm] = useState({ code: "", new: "" });
  const make = useMutation({
    mutationFn: () => got(api.POST("/api/session/by-code", { body: { username, ...form } })),
    onSuccess: (s) => client.setQueryData(["session"], s),
  });
  return (
    <form
      className="grid gap-3 pt-2"
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate();
      }}
    >
      <p>
        Ask the lead of the workshop for a code: it works once, for an hour.{" "}
        {username.trim() ? (
          <>
            It is for <b>{username.trim()}</b>.
          </>
        ) : (
          <b>Type your name above first.</b>
        )}
      </p>
      <TextField
        label="Code"
        autoComplete="one-time-code"
        required
        error={fieldError(make.error, "code")}
        value={form.code}
        onText={(typed) => setForm({ ...form, code: typed })}
      />
      <TextField
        label="A new password"
        hint="Ten characters or more; three or four words are easy to keep."
        type="password"
        autoComplete="new-password"
        required
        error={fieldError(make.error, "new")}
        value={form.new}
        onText={(typed) => setForm({ ...form, new: typed })}
      />
      {["code", "new"].some((f) => fieldError(make.error, f)) ? null : <ErrorNote error={make.error} />}
      <Button type="submit" disabled={make.isPending || !username.trim()}>
        Set it and sign in
      </Button>
    </form>
  );
}

export function FirstAccount() {
  const client = useQueryClient();
  const [params] = useSearchParams();
  const [form, setForm] = useState({ code: params.get("code") ?? "", username: "", name: "", password: "" });
  const make = useMutation({
    mutationFn: () => got(api.POST("/api/first-account", { body: form })),
    onSuccess: (s) => client.setQueryData(["session"], s),
  });
  const text = (key: keyof typeof form, label: string, hint: string, type = "text") => (
    <TextField
      label={label}
      hint={hint}
      error={fieldError(make.error, key)}
      type={type}
      value={form[key]}
      onText={(typed) => setForm({ ...form, [key]: typed })}
      required
      autoComplete={type === "password" ? "new-password" : "off"}
    />
  );
  return (
    <Door title="The first account">
      <p>This workshop is empty. Make the lead's account; all others can be made from it.</p>
      <form
        className="grid gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate();
        }}
      >
        {text("code", "Code", "The start command printed it.")}
        {text("name", "Your name", "As others know you.")}
        {text("username", "Name to sign in with", "Short, without spaces.")}
        {text("password", "Password", "Eight characters or more.", "password")}
        <ErrorNote
          error={
            make.error && !["code", "name", "username", "password"].some((f) => fieldError(make.error, f))
              ? make.error
              : null
          }
        />
        <Button next type="submit" disabled={make.isPending}>
          Make the account
        </Button>
      </form>
    </Door>
  );
}
