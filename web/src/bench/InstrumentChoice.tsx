/** Which instrument a capture is taken with; the last one chosen on this device is offered first. */
import type { Schemas } from "../api/client";
import { Field, INPUT } from "../kit/bits";

type Instrument = Schemas["InstrumentOut"];
const KEPT = "kestov-instrument";
const kinds = (instruments: Instrument[]) => [...new Set(instruments.map((i) => i.kind))].sort().join("|");

export function rememberedInstrument(fitting: Instrument[]): number | null {
  const kept = Number(localStorage.getItem(`${KEPT}-${kinds(fitting)}`));
  return fitting.find((i) => i.id === kept)?.id ?? null;
}

type Props = { fitting: Instrument[]; value: number | null; onChange: (id: number | null) => void };

export function InstrumentChoice({ fitting, value, onChange }: Props) {
  if (!fitting.length) return null;
  const chosen = fitting.find((i) => i.id === value);
  return (
    <Field
      label="Taken with"
      hint={
        chosen?.doubt
          ? `${chosen.doubt} Hold it against something known before you trust small differences.`
          : undefined
      }
    >
      {(id, note) => (
        <select
          id={id}
          aria-describedby={note}
          className={INPUT}
          value={value ?? ""}
          onChange={(e) => {
            localStorage.setItem(`${KEPT}-${kinds(fitting)}`, e.target.value);
            onChange(e.target.value ? Number(e.target.value) : null);
          }}
        >
          <option value="">Another, not listed</option>
          {fitting.map((i) => (
            <option key={i.id} value={i.id}>
              {i.name}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
}
