/** A machine described part by part: what is told, what is typical, and what makes no sense, at its figure. */
import type { Schemas } from "../api/client";
import { type Asked, Fields, type Texts } from "../bench/Fields";
import { Button } from "../kit/bits";
import { nameOf, type Path } from "./draft";

type Section = Schemas["Section"];
type SheetField = Schemas["SheetField"];
export type Remarks = Record<string, { words: string; grave: boolean }>;

type Props = {
  sections: Section[];
  texts: Texts;
  error: unknown;
  remarks: Remarks;
  onText: (f: SheetField, text: string) => void;
  onAdd: (at: Path, blank: object) => void;
  onRemove: (path: Path) => void;
  onEnter: (s: Section) => void;
};

/** A figure of the sheet as any other is asked: called by where it stands. */
const asAsked = (f: SheetField): Asked => {
  const beside = f.when ? nameOf([...f.path.slice(0, -1), f.when]) : null;
  return { ...f, name: nameOf(f.path), when: beside };
};

export function Sheet(props: Props) {
  return props.sections.map((s) =>
    s.folded ? (
      <details key={s.key} className="border-t border-hair pt-2" onFocus={() => props.onEnter(s)}>
        <summary className="flex min-h-11 cursor-pointer flex-wrap items-center gap-x-3">
          <b className="text-[19px]">{s.title}</b> <span className="text-[15px] text-ink2">{s.note}</span>
        </summary>
        <div className="grid gap-3 pb-2">
          <Part {...props} s={s} />
        </div>
      </details>
    ) : (
      <fieldset key={s.key} className="grid gap-3 border-t border-hair pt-3" onFocus={() => props.onEnter(s)}>
        <legend className="text-[19px] font-bold">{s.title}</legend>
        <p className="text-[15px] text-ink2">{s.note}</p>
        <Part {...props} s={s} />
      </fieldset>
    ),
  );
}

function Part({ s, texts, error, remarks, onText, onAdd, onRemove }: Props & { s: Section }) {
  const all = s.fields.map(asAsked);
  const by = new Map(s.fields.map((f) => [nameOf(f.path), f]));
  const shared = { texts, error, remarks, all, here: true, onText: (n: string, t: string) => onText(by.get(n)!, t) };
  if (s.rows) {
    const count = new Set(s.fields.map((f) => f.path[s.at!.length])).size;
    return (
      <>
        {Array.from({ length: count }, (_, i) => (
          <div key={i} className="grid items-end gap-3 sm:grid-cols-6">
            <Fields fields={all.filter((_, k) => s.fields[k]!.path[s.at!.length] === i)} {...shared} />
            <button
              type="button"
              className="min-h-11 text-left underline"
              aria-label={`Take out ${s.title.toLowerCase()}, row ${i + 1}`}
              onClick={() => onRemove([...s.at!, i])}
            >
              take out
            </button>
          </div>
        ))}
        {count < s.rows ? (
          <Button className="justify-self-start" onClick={() => onAdd([...s.at!, count], s.blank ?? {})}>
            Add one
          </Button>
        ) : null}
      </>
    );
  }
  const more = all.filter((f) => f.more);
  return (
    <>
      <div className="grid gap-3 sm:grid-cols-4">
        <Fields fields={all.filter((f) => !f.more)} {...shared} />
      </div>
      {more.length ? (
        <details>
          <summary className="min-h-11 cursor-pointer py-2 font-semibold">
            Its motor, driver and what is seldom told
          </summary>
          <div className="grid gap-3 sm:grid-cols-4">
            <Fields fields={more} {...shared} />
          </div>
        </details>
      ) : null}
    </>
  );
}
