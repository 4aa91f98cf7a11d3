/** A page for paper: printed, or saved as PDF, by the browser; size, margins, running head and page numbers by CSS. */
import "./paper.css";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";
import { Button, Choices, useTitle } from "../kit/bits";

type Size = "A4" | "letter";
const SIZES: { value: Size; label: string }[] = [
  { value: "A4", label: "A4" },
  { value: "letter", label: "Letter" },
];

/** Words within quotes of a style sheet: what a person typed ends no quote. */
export const quoted = (words: string) =>
  `"${words.replace(/[\\"]/g, "\\$&").replace(/[\n\r\f<]/g, (c) => `\\${c.charCodeAt(0).toString(16)} `)}"`;

export const pageRule = (size: Size, head: string) => `@page {
  size: ${size};
  margin: 20mm 16mm 18mm;
  @top-left { content: ${quoted(head)}; font: 9pt "Atkinson Hyperlegible Next Variable", sans-serif; }
  @bottom-right { content: "Page " counter(page) " of " counter(pages); font: 9pt "Atkinson Hyperlegible Next Variable", sans-serif; }
}`;

type Props = { head: string; back: string; above?: ReactNode; children: ReactNode };

/** ``head``: stands on every page; ``back``: where one came from; ``above``: what can be chosen before it is printed. */
export function Paper({ head, back, above, children }: Props) {
  const [size, setSize] = useState<Size>("A4");
  useTitle(head);
  return (
    <>
      <style>{pageRule(size, head)}</style>
      <header className="unprinted flex flex-wrap items-end gap-5 border-b border-line bg-sheet p-4">
        <Link to={back} className="inline-flex min-h-12 items-center">
          Back
        </Link>
        <Choices label="Size of the paper" options={SIZES} value={size} onChange={setSize} />
        {above}
        <Button next onClick={() => window.print()}>
          Print, or save as PDF
        </Button>
      </header>
      <main id="content" className="paper">
        {children}
      </main>
    </>
  );
}

export const atTime = (iso: string) =>
  new Date(iso).toLocaleString(undefined, {
    day: "numeric",
    month: "short",
    year: "numeric",
    hour: "2-digit",
    minute: "2-digit",
  });

/** Facts in two columns: what, and what it is; without a value the line is left out. */
export function Facts({ rows }: { rows: [string, ReactNode][] }) {
  return (
    <table>
      <tbody>
        {rows.map(([what, value]) =>
          value == null || value === "" ? null : (
            <tr key={what}>
              <td style={{ width: "42mm" }}>{what}</td>
              <td>{value}</td>
            </tr>
          ),
        )}
      </tbody>
    </table>
  );
}
