/** Making one's own account by a link that the lead gave. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, got } from "../api/client";
import { Button, ErrorNote, fieldError, Loading, TextField, useTitle } from "../kit/bits";
import { Door } from "../session/SignIn";

export function Join() {
  const secret = String(useParams().secret);
  const client = useQueryClient();
  const go = useNavigate();
  useTitle("Join the workshop");
  const [form, setForm] = useState({ name: "", username: "", password: "" });
  const link = useQuery({
    queryKey: ["join", secret],
    queryFn: () => got(api.GET("/api/join/{secret}", { params: { path: { secret } } })),
    retry: false,
  });
  const join = useMutation({
    mutationFn: () => got(api.POST("/api/join/{secret}", { params: { path: { secret } }, body: form })),
    onSuccess: (state) => {
      client.clear();
      client.setQueryData(["session"], state);
      go("/", { replace: true });
    },
  });
  if (!link.data)
    return (
      <Door title="Join the workshop">
        {link.error ? (
          <>
            <ErrorNote error={link.error} />
            <Link to="/">Sign in</Link>
          </>
        ) : (
          <Loading what="the link" />
        )}
      </Door>
    );
  const named = link.data.username !== "";
  const text = (key: keyof typeof form, label: string, hint?: string) => (
    <TextField
      label={label}
      hint={hint}
      required
      type={key === "password" ? "password" : "text"}
      maxLength={key === "name" ? 80 : 150}
      autoComplete={{ name: "name", username: "username", password: "new-password" }[key]}
      autoCapitalize={key === "username" ? "none" : undefined}
      error={fieldError(join.error, key)}
      value={form[key]}
      onText={(typed) => setForm({ ...form, [key]: typed })}
    />
  );
  return (
    <Door title={named ? `Welcome, ${link.data.name}` : "Join the workshop"}>
      <form
        className="grid gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          join.mutate();
        }}
      >
        {named ? (
          <p>
            You sign in as <b>{link.data.username}</b>.
          </p>
        ) : (
          <>
            {text("name", "Your name")}
            {text("username", "Name to sign in with")}
          </>
        )}
        {text("password", "A password", "Ten characters or more; three or four words are easy to keep.")}
        {["name", "username", "password"].some((f) => fieldError(join.error, f)) ? null : (
          <ErrorNote error={join.error} />
        )}
        <Button next type="submit" disabled={join.isPending}>
          Make my account
        </Button>
      </form>
    </Door>
  );
}
