/** Where practitioners differ: what this workshop holds with. Each measurement may still be told otherwise. */
import { api, got, type Schemas } from "../api/client";
import { Choices, ErrorNote } from "../kit/bits";
import { useShopWrite } from "./shop";

type School = Schemas["SchoolHeld"];

export function Schools({ schools, lead }: { schools: School[]; lead: boolean }) {
  const hold = useShopWrite(
    (body: Schemas["SchoolIn"]) => got(api.POST("/api/workshop/schools", { body })),
    () => undefined,
  );
  if (!schools.length) return null;
  return (
    <section className="sheet grid gap-4">
      <h2>Where practitioners differ</h2>
      <p className="text-ink2">
        Both ways are good. What the workshop holds with stands first at the bench; the other is shown beside it.
      </p>
      <ErrorNote error={hold.error} />
      {schools.map((s) => {
        const chosen = s.choices.find((c) => c.value === s.choice);
        return (
          <div key={s.what}>
            {lead ? (
              <Choices
                label={s.words}
                options={s.choices.map((c) => ({ value: c.value, label: c.label }))}
                value={s.choice}
                onChange={(choice) => hold.mutate({ what: s.what, choice })}
              />
            ) : (
              <p>
                {s.words}: <b>{chosen?.label}</b>
              </p>
            )}
            {chosen?.hint ? <p className="text-[15px] text-ink2">{chosen.hint}</p> : null}
          </div>
        );
      })}
    </section>
  );
}
