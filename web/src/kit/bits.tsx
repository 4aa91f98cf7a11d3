/** Small pieces used everywhere: buttons, cautions, errors at their place, key hints. */
import {
  type ButtonHTMLAttributes,
  type ComponentProps,
  type ReactNode,
  useEffect,
  useId,
  useLayoutEffect,
  useRef,
} from "react";
import { Refusal } from "../api/client";

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & { next?: boolean; keyHint?: string };

/** `next`: the one thing to do now. */
export function Button({ next, keyHint, className = "", children, type = "button", ...rest }: ButtonProps) {
  const look = next ? "bg-go text-goink border-go" : "bg-sheet text-ink border-line hover:bg-well";
  return (
    <button
      type={type}
      className={`inline-flex min-h-12 items-center justify-center gap-2.5 rounded-[3px] border px-5 text-[17px] font-semibold disabled:opacity-60 ${look} ${className}`}
      {...rest}
    >
      {children}
      {keyHint ? (
        <span aria-hidden="true" className="rounded-[2px] border border-current px-1.5 text-[13px]">
          {keyHint}
        </span>
      ) : null}
    </button>
  );
}

export function Caution({ children }: { children: ReactNode }) {
  return (
    <p className="border-l-[5px] border-watch bg-well px-3 py-2 text-[16px]" role="note">
      <strong>Take care. </strong>
      {children}
    </p>
  );
}

export function ErrorNote({ error }: { error: unknown }) {
  if (!error) return null;
  const words = error instanceof Refusal || error instanceof Error ? error.message : String(error);
  return (
    <p className="border-l-[5px] border-failed bg-well px-3 py-2" role="alert">
      {words}
    </p>
  );
}

/** The server's words for one field, where they belong to it. */
export function fieldError(error: unknown, field: string): string | undefined {
  if (!(error instanceof Refusal) || !error.field) return undefined;
  // A field that is called by its whole path is meant as a whole; the server may say where the path begins.
  const meant = field.includes(".")
    ? error.field === field || error.field.endsWith(`.${field}`)
    : error.field.split(".").includes(field);
  return meant ? error.message : undefined;
}

type FieldProps = {
  label: string;
  hint?: string;
  error?: string;
  children: (id: string, describedBy?: string) => ReactNode;
};

/** A labelled control with its hint and its error underneath. */
export function Field({ label, hint, error, children }: FieldProps) {
  const id = useId();
  const note = error ?? hint;
  return (
    <div className="grid content-start gap-1">
      <label htmlFor={id} className="text-[15px] font-semibold">
        {label}
      </label>
      {children(id, note ? `${id}-note` : undefined)}
      {note ? (
        <p
          id={`${id}-note`}
          role={error ? "alert" : undefined}
          className={`text-[15px] ${error ? "font-semibold text-failed" : "text-ink2"}`}
        >
          {note}
        </p>
      ) : null}
    </div>
  );
}

type TextFieldProps = Omit<FieldProps, "children"> &
  Omit<ComponentProps<"input">, "id" | "className" | "onChange" | "value"> & {
    value: string;
    onText: (text: string) => void;
    /** For figures: in the figures' type, from the number block. */
    figure?: boolean;
  };

/** A labelled line of text or a figure, with its hint and its error underneath; 200 characters where nothing else is said. */
export function TextField({ label, hint, error, onText, figure, ...input }: TextFieldProps) {
  return (
    <Field label={label} hint={hint} error={error}>
      {(id, note) => (
        <input
          maxLength={200}
          inputMode={figure ? "decimal" : undefined}
          {...input}
          id={id}
          aria-describedby={note}
          aria-invalid={error !== undefined}
          className={figure ? `${INPUT} font-mono` : INPUT}
          onChange={(e) => onText(e.target.value)}
        />
      )}
    </Field>
  );
}

type LongFieldProps = Omit<FieldProps, "children"> &
  Omit<ComponentProps<"textarea">, "value" | "onChange"> & { value: string; onText: (typed: string) => void };

/** A labelled field of several lines, with its hint and its error underneath; 2000 characters where nothing else is said. */
export function LongField({ label, hint, error, onText, className = "", ...input }: LongFieldProps) {
  return (
    <Field label={label} hint={hint} error={error}>
      {(id, note) => (
        <textarea
          maxLength={2000}
          rows={3}
          {...input}
          id={id}
          aria-describedby={note}
          aria-invalid={error !== undefined}
          className={`${INPUT} py-2 ${className}`}
          onChange={(e) => onText(e.target.value)}
        />
      )}
    </Field>
  );
}

export const INPUT = "min-h-12 w-full rounded-[3px] border border-line bg-sheet px-3 text-[17px] text-ink";

/** Run something on a bare key, as long as nobody is typing. */
export function useKey(key: string, run: (() => void) | null): void {
  const latest = useRef(run);
  latest.current = run;
  // Before it is painted: who presses as soon as the words stand there is heard.
  useLayoutEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const at = e.target as HTMLElement;
      if (e.key !== key || e.repeat || e.ctrlKey || e.metaKey || e.altKey || !latest.current) return;
      if (["INPUT", "TEXTAREA", "SELECT"].includes(at.tagName)) return;
      if (key === "Enter" && ["BUTTON", "A", "SUMMARY"].includes(at.tagName)) return;
      if (document.querySelector("[role=dialog]")) return;
      e.preventDefault();
      latest.current();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [key]);
}

/** What the tab is called: so that several can be told apart, and the browser's history read. */
export function useTitle(words: string | null | undefined): void {
  useEffect(() => {
    if (words) document.title = `${words} · Kestov`;
  }, [words]);
}

export function Loading({ what }: { what: string }) {
  return (
    <p className="p-6 text-ink2" role="status">
      Fetching {what} …
    </p>
  );
}

/** A row of buttons of which one is pressed. */
export function Choices<T extends string>({
  options,
  value,
  onChange,
  label,
}: {
  options: { value: T; label: string }[];
  value: T;
  onChange: (v: T) => void;
  label: string;
}) {
  return (
    <fieldset>
      <legend className="mb-1 text-[15px] font-semibold">{label}</legend>
      <div className="flex flex-wrap gap-2">
        {options.map((o) => (
          <button
            key={o.value}
            type="button"
            aria-pressed={value === o.value}
            className={`min-h-11 rounded-[3px] border px-3 ${value === o.value ? "border-ink bg-ink font-semibold text-sheet" : "border-line bg-sheet hover:bg-well"}`}
            onClick={() => onChange(o.value)}
          >
            {o.label}
          </button>
        ))}
      </div>
    </fieldset>
  );
}

/** A button that asks for a file; the same file may be chosen again after a correction. */
export function FilePick({
  label,
  accept,
  onFile,
  next,
  disabled,
  camera,
}: {
  label: string;
  accept: string;
  onFile: (f: File) => void;
  next?: boolean;
  disabled?: boolean;
  camera?: boolean;
}) {
  return (
    <label
      className={`inline-flex min-h-12 cursor-pointer items-center rounded-[3px] border px-5 text-[17px] font-semibold focus-within:outline-3 focus-within:outline-go ${next ? "border-go bg-go text-goink" : "border-line hover:bg-well"}`}
    >
      {label}
      <input
        type="file"
        accept={accept}
        capture={camera ? "environment" : undefined}
        className="sr-only"
        disabled={disabled}
        onChange={(e) => {
          const f = e.target.files?.[0];
          if (f) onFile(f);
          e.target.value = "";
        }}
      />
    </label>
  );
}

/** Numbered steps of a how-to. */
export function Steps({ lines }: { lines: ReactNode[] }) {
  return (
    <ol className="grid content-start gap-2">
      {lines.map((line, i) => (
        <li key={i}>
          <b className="mr-2 font-mono">{i + 1}</b>
          {line}
        </li>
      ))}
    </ol>
  );
}

/** Pictures that are taken. */
export const PICTURES = "image/jpeg,image/png,image/webp";
/** Tables that are read. */
export const TABLES = ".csv,.txt,.tsv,text/csv";
