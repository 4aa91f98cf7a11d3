/** What happened to a machine, or at one place of it, newest first. */
import { useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, got } from "../api/client";
import { Button, ErrorNote, Loading } from "../kit/bits";
import { ago } from "../kit/figures";
import type { Chosen } from "./Places";

const named = (c: Chosen) =>
  c.kind === "axis" ? `axis ${c.place.toUpperCase()}` : `${c.kind} ${c.place.toUpperCase()}`;

/** The first lines stand at once; then whole pages. */
const AT_FIRST = 12;

export function Record({ id, chosen }: { id: number; chosen: Chosen | null }) {
  const [all, setAll] = useState(false);
  const kind = chosen?.kind ?? "";
  const place = chosen?.place ?? "";
  const record = useInfiniteQuery({
    queryKey: ["record", id, kind, place],
    initialPageParam: 1,
    queryFn: ({ pageParam }) =>
      got(
        api.GET("/api/printers/{printer_id}/record", {
          params: { path: { printer_id: id }, query: { kind, place, page: pageParam } },
        }),
      ),
    getNextPageParam: (last, pages) => (last.more ? pages.length + 1 : undefined),
  });
  if (!record.data) return record.error ? <ErrorNote error={record.error} /> : <Loading what="the record" />;
  const every = record.data.pages.flatMap((p) => p.lines);
  const lines = all ? every : every.slice(0, AT_FIRST);
  const older = all ? record.hasNextPage : every.length > lines.length || record.hasNextPage;
  return (
    <section className="sheet">
      <h2>Record{chosen ? ` of ${named(chosen)}` : ""}</h2>
      {lines.length === 0 ? <p>Nothing has happened here yet. The first measurement begins the record.</p> : null}
      <ul className="rows">
        {lines.map((l) => (
          <li key={`${l.at}${l.words}`} className="flex flex-wrap justify-between gap-x-4 py-2">
            <span>
              {l.words}{" "}
              {l.capture_id ? (
                <>
                  <a className="text-[15px]" href={`/api/captures/${l.capture_id}/raw`}>
                    original
                  </a>
                  <Link className="ml-2 text-[15px]" to={`/print/captures/${l.capture_id}`}>
                    certificate
                  </Link>
                </>
              ) : null}
              {l.case_id ? (
                <Link className="ml-2 text-[15px]" to={`/cases/${l.case_id}`}>
                  case
                </Link>
              ) : null}
            </span>
            <span className="text-[15px] text-ink2">
              {l.who}, <time title={new Date(l.at).toLocaleString()}>{ago(l.at)}</time>
            </span>
          </li>
        ))}
      </ul>
      {older ? (
        <Button
          className="mt-2"
          disabled={record.isFetchingNextPage}
          onClick={() => {
            if (all) record.fetchNextPage();
            setAll(true);
          }}
        >
          Show older
        </Button>
      ) : null}
    </section>
  );
}
