/** The API for those who script, read from its own description. */
import { useQuery } from "@tanstack/react-query";
import { ErrorNote, Loading } from "../kit/bits";

type Operation = {
  summary?: string;
  description?: string;
  operationId?: string;
  parameters?: { name: string; in: string; required?: boolean }[];
  "x-role"?: string;
};
type Described = { paths: Record<string, Record<string, Operation>> };

export function Scripting() {
  const doc = useQuery({
    queryKey: ["openapi"],
    queryFn: async () => (await (await fetch("/api/openapi.json")).json()) as Described,
    staleTime: Number.POSITIVE_INFINITY,
  });
  if (!doc.data) return doc.error ? <ErrorNote error={doc.error} /> : <Loading what="the description" />;
  return (
    <section className="sheet mx-auto grid max-w-5xl gap-4">
      <h1>For those who script</h1>
      <p>
        The whole interface in machine form: <a href="/api/openapi.json">openapi.json</a> (OpenAPI 3.1). Sign in with
        POST /api/session and keep the cookies; send the csrftoken cookie back as the header X-CSRFToken with every
        write, and an Idempotency-Key of your own, so that a repeat does nothing twice. Errors are problem details (RFC
        9457) with a code and the field.
      </p>
      <p>
        All figures of the last year as one table, for any tool that reads tables:{" "}
        <a href="/api/figures.csv" download>
          CSV
        </a>{" "}
        or{" "}
        <a href="/api/figures.parquet" download>
          Parquet
        </a>
        ; since, until and printer_id choose a part.
      </p>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a table that scrolls must be reached from the keyboard */}
      <div className="overflow-x-auto" role="region" aria-label="Routes" tabIndex={0}>
        <table className="w-full border-collapse text-[16px]">
          <thead>
            <tr className="border-b border-line text-left">
              {["Method", "Address", "What it does", "Needs"].map((h) => (
                <th key={h} scope="col" className="py-1.5 pr-4">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {Object.entries(doc.data.paths).flatMap(([path, methods]) =>
              Object.entries(methods).map(([method, op]) => (
                <tr key={`${method}${path}`} className="border-b border-hair align-top">
                  <td className="py-1.5 pr-4 font-mono">{method.toUpperCase()}</td>
                  <td className="py-1.5 pr-4 font-mono break-all">{path}</td>
                  <td className="py-1.5 pr-4">{op.description ?? op.summary}</td>
                  <td className="py-1.5">{op["x-role"] ?? "nothing"}</td>
                </tr>
              )),
            )}
          </tbody>
        </table>
      </div>
    </section>
  );
}
