/** Everything in open formats, to take along; and a machine taken in with its history, as another workshop wrote it. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { newKey, type Schemas, upload } from "../api/client";
import { Button, ErrorNote, Field, FilePick, INPUT, TextField } from "../kit/bits";

const DOWN =
  "inline-flex min-h-12 items-center rounded-[3px] border border-line px-5 font-semibold no-underline hover:bg-well";

export function Data({ shop }: { shop: Schemas["Workshop"] }) {
  return (
    <div className="grid items-start gap-4 lg:grid-cols-2">
      <section className="sheet grid gap-3">
        <h2>Take it along</h2>
        <p>
          What a workshop has is its own: everything in open formats, for others' tools or for another workshop.
          Passwords, keys and links that let somebody in are not in it.
        </p>
        <div className="flex flex-wrap gap-3">
          <a href="/api/archive" download className={DOWN}>
            All of the workshop
          </a>
          <a href="/api/figures.csv" download className={DOWN}>
            A year's figures, CSV
          </a>
        </div>
        <p className="text-[15px] text-ink2">
          One machine with its history: on its page, “Take it along”. A large workshop is written by the command{" "}
          <code>./kestov archive</code>.
        </p>
      </section>
      <TakeIn shop={shop} />
    </div>
  );
}

/** A machine from another workshop. */
function TakeIn({ shop }: { shop: Schemas["Workshop"] }) {
  const client = useQueryClient();
  const [file, setFile] = useState<File | null>(null);
  const [name, setName] = useState("");
  const [area, setArea] = useState("");
  const [sent, setSent] = useState(0);
  const take = useMutation({
    mutationFn: () => {
      const form = new FormData();
      form.append("file", file!);
      form.append("name", name);
      if (area) form.append("area_id", area);
      return upload<Schemas["TakenIn"]>("/api/archive", form, newKey(), setSent);
    },
    onSuccess: () => {
      setFile(null);
      setName("");
      void client.invalidateQueries();
    },
  });
  return (
    <form
      className="sheet grid gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        if (file) take.mutate();
      }}
    >
      <h2>Take a machine in</h2>
      <p>
        With all that was measured, found, done and fitted there. Its people come as closed accounts, under their names.
      </p>
      <FilePick label={file ? file.name : "Choose its archive"} accept=".zip,application/zip" onFile={setFile} />
      <TextField label="Name here" hint="Empty: as it was called." maxLength={40} value={name} onText={setName} />
      <Field label="Where it stands">
        {(id) => (
          <select id={id} className={INPUT} value={area} onChange={(e) => setArea(e.target.value)}>
            <option value="">As it was, or a new part of the room</option>
            {shop.areas.map((a) => (
              <option key={a.id} value={a.id}>
                {a.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <ErrorNote error={take.error} />
      <Button next={file !== null} type="submit" className="justify-self-start" disabled={!file || take.isPending}>
        {take.isPending ? (sent < 1 ? `Sending, ${Math.round(100 * sent)} %` : "Taking it in …") : "Take it in"}
      </Button>
      {take.data ? (
        <p role="status">
          <Link to={`/machines/${take.data.printer_id}`} className="font-bold">
            {take.data.name}
          </Link>{" "}
          is on the floor.
        </p>
      ) : null}
    </form>
  );
}
