/** A report without an account, from a machine's label: what is wrong, and one's name. Under a minute, on a phone. */
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Atlas } from "../case/Atlas";
import { Button, Caution, ErrorNote, fieldError, Loading, LongField, TextField, useTitle } from "../kit/bits";

export function OpenReport() {
  const id = Number(useParams().id);
  const form = useQuery({
    queryKey: ["open", id],
    queryFn: () => got(api.GET("/api/open/printers/{printer_id}", { params: { path: { printer_id: id } } })),
    retry: false,
  });
  useTitle(form.data ? `What is wrong with ${form.data.printer}?` : "Report a fault");
  const [finding, setFinding] = useState("");
  const [told, setTold] = useState({ name: "", since: "", words: "" });
  const tell = useMutation({
    mutationFn: () =>
      got(
        api.POST("/api/open/printers/{printer_id}", {
          params: { path: { printer_id: id } },
          body: { finding, ...told },
        }),
      ),
  });
  if (!form.data)
    return (
      <main className="mx-auto grid max-w-xl gap-4 p-5">
        {form.error ? (
          <>
            <ErrorNote error={form.error} />
            <Link to="/">Sign in</Link>
          </>
        ) : (
          <Loading what="the form" />
        )}
      </main>
    );
  const { printer, area, findings } = form.data;
  const danger = findings.find((f) => f.id === finding)?.kind === "danger";
  if (tell.data) return <Thanks printer={tell.data.printer} danger={danger} />;
  const text = (key: "name" | "since", label: string, hint?: string) => (
    <TextField
      label={label}
      hint={hint}
      required={key === "name"}
      maxLength={key === "name" ? 80 : 60}
      autoComplete={key === "name" ? "name" : "off"}
      value={told[key]}
      error={fieldError(tell.error, key)}
      onText={(typed) => setTold({ ...told, [key]: typed })}
    />
  );
  return (
    <main className="mx-auto grid max-w-2xl gap-4 p-4">
      <form
        className="sheet grid gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          tell.mutate();
        }}
      >
        <div>
          <h1>What is wrong with {printer}?</h1>
          <p className="text-ink2">{area}. Choose what comes nearest.</p>
        </div>
        <Atlas
          findings={findings as Schemas["FindingOut"][]}
          chosen={finding ? [finding] : []}
          toggle={(f) => setFinding(f.id === finding ? "" : f.id)}
        />
        {fieldError(tell.error, "finding") ? (
          <p role="alert" className="font-semibold text-failed">
            {fieldError(tell.error, "finding")}
          </p>
        ) : null}
        {danger ? <Danger /> : null}
        <LongField
          label="In your own words"
          hint="If you like: what you printed, and what happened."
          rows={3}
          value={told.words}
          onText={(words) => setTold({ ...told, words })}
        />
        {text("since", "Since when?")}
        {text("name", "Your name", "So that somebody can ask you. A technician looks before it counts.")}
        <ErrorNote error={tell.error} />
        <Button next type="submit" disabled={tell.isPending || !finding}>
          Tell it
        </Button>
      </form>
      <p className="text-[15px]">
        <Link to="/">I have an account</Link>
      </p>
    </main>
  );
}

function Danger() {
  return <Caution>Pull the plug if you can do so safely, do not use it, and tell somebody in the room now.</Caution>;
}

function Thanks({ printer, danger }: { printer: string; danger: boolean }) {
  return (
    <main className="mx-auto grid max-w-xl gap-4 p-5">
      <div className="sheet grid gap-3" role="status">
        <h1>Thank you</h1>
        <p>It is written down. A technician looks at {printer}, and then it counts.</p>
        {danger ? <Danger /> : null}
      </div>
    </main>
  );
}
