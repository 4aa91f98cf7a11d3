/** Where somebody may not do a thing alone yet: who is with them? Nothing where they may, or where the workshop does not ask. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got } from "../api/client";
import { Button, ErrorNote, Field, INPUT } from "../kit/bits";

export function Company({ kind, name }: { kind: "procedure" | "repair"; name: string }) {
  const client = useQueryClient();
  const key = ["company", kind, name];
  const path = { params: { path: { kind, name } } };
  const [who, setWho] = useState("");
  const company = useQuery({
    queryKey: key,
    queryFn: () => got(api.GET("/api/company/{kind}/{name}", path)),
    enabled: name !== "",
  });
  const come = useMutation({
    mutationFn: () => got(api.POST("/api/company/{kind}/{name}", { ...path, body: { second_id: Number(who) } })),
    onSuccess: (next) => {
      client.setQueryData(key, next);
      void client.invalidateQueries({ queryKey: ["company"] });
    },
  });
  const c = company.data;
  if (!c?.needed) return null;
  if (c.fits)
    return (
      <p role="status" className="border-l-[5px] border-line pl-3">
        With {c.now}.
      </p>
    );
  return (
    <section aria-label="Second person" className="grid gap-2 border-l-[5px] border-watch bg-well p-3">
      <p>
        <b>Not alone yet.</b> You do this with a second person: {c.label}.
      </p>
      <div className="flex flex-wrap items-end gap-3">
        <Field label="Who is with you?">
          {(id) => (
            <select id={id} className={INPUT} value={who} onChange={(e) => setWho(e.target.value)}>
              <option value="">Choose</option>
              {c.may.map((p) => (
                <option key={p.id} value={p.id}>
                  {p.name}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Button disabled={!who || come.isPending} onClick={() => come.mutate()}>
          They are here
        </Button>
      </div>
      <ErrorNote error={come.error} />
    </section>
  );
}
