/** How a lesson stands: what it took so far, how the machine stands, and what can be done at any time. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, got } from "../api/client";
import { Button, ErrorNote } from "../kit/bits";
import { PrintSeen } from "./PrintSeen";
import { type Run, stands, took, useDoing, useRun } from "./practice";

export function PracticeBar() {
  const run = useRun();
  return run ? <Bar run={run} /> : null;
}

function Bar({ run }: { run: Run }) {
  const client = useQueryClient();
  const go = useNavigate();
  const path = { params: { path: { run_id: run.id } } };
  const ended = (id: number) => go(`/lessons/${id}`);
  const turn = useDoing(
    (what: "unplug" | "plug_in" | "cool") =>
      got(api.POST("/api/practice/runs/{run_id}/stand", { ...path, body: { turn: what } })),
    (done) => done.run.how && ended(done.run.id),
  );
  const end = useMutation({
    mutationFn: () => got(api.POST("/api/practice/runs/{run_id}/end", path)),
    onSuccess: (r) => {
      stands(client, r);
      ended(r.id);
    },
  });
  const [sure, setSure] = useState(false);
  const small = "min-h-11 !px-3 text-[16px]";
  return (
    <section aria-label="Lesson" className="border-b border-line bg-sheet px-5 py-2">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <Link to={`/cases/${run.case_id}`} className="font-bold">
          {run.title}
        </Link>
        <span className="font-mono">
          {took(run.minutes)}
          {run.cost ? `, parts ${run.cost.toFixed(0)}` : ""}
        </span>
        <span className="flex items-center gap-2">
          {run.plugged ? "Plugged in" : "Unplugged"}
          <Button
            className={small}
            disabled={turn.isPending}
            onClick={() => turn.mutate(run.plugged ? "unplug" : "plug_in")}
          >
            {run.plugged ? "Unplug it" : "Plug it in"}
          </Button>
        </span>
        <span className="flex items-center gap-2">
          {run.hot ? "Hot" : "Cold"}
          {run.hot ? (
            <Button className={small} disabled={turn.isPending} onClick={() => turn.mutate("cool")}>
              Wait till it is cold, 15 min
            </Button>
          ) : null}
        </span>
        <ThePrint run={run} ended={ended} />
        <span className="flex-1" />
        {run.closed ? (
          <Button next className={small} disabled={end.isPending} onClick={() => end.mutate()}>
            See what was true
          </Button>
        ) : sure ? (
          <span className="flex items-center gap-2">
            Its case is open: give it up?
            <Button className={small} disabled={end.isPending} onClick={() => end.mutate()}>
              Give it up
            </Button>
            <Button className={small} onClick={() => setSure(false)}>
              Go on
            </Button>
          </span>
        ) : (
          <Button className={small} onClick={() => setSure(true)}>
            End the lesson
          </Button>
        )}
      </div>
      <ErrorNote error={turn.error ?? end.error} />
    </section>
  );
}

/** The part of the complaint, as it came out last; and printing it again. */
function ThePrint({ run, ended }: { run: Run; ended: (id: number) => void }) {
  const path = { params: { path: { run_id: run.id } } };
  const again = useDoing(
    (_: null) => got(api.POST("/api/practice/runs/{run_id}/print", path)),
    (done) => done.run.how && ended(done.run.id),
  );
  return (
    <Dialog.Root>
      <Dialog.Trigger asChild>
        <Button className="min-h-11 !px-3 text-[16px]">Look at the print</Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-black/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed inset-x-3 top-6 z-30 mx-auto max-h-[92vh] max-w-[820px] overflow-auto rounded-[3px] border border-line bg-sheet p-4"
        >
          <div className="mb-2 flex flex-wrap items-center gap-3">
            <Dialog.Title className="!text-[23px] !text-ink">
              {run.printed
                ? `The part, printed again${run.printed > 1 ? ` (${run.printed} times)` : ""}`
                : "The part, as it was brought"}
            </Dialog.Title>
            <span className="flex-1" />
            <Button disabled={again.isPending} onClick={() => again.mutate(null)}>
              {again.isPending ? "Printing …" : "Print it again, 25 min"}
            </Button>
            <Dialog.Close asChild>
              <Button>Close</Button>
            </Dialog.Close>
          </div>
          <ErrorNote error={again.error} />
          <PrintSeen p={run.looks} className="mx-auto max-w-[600px]" />
          <p className="mt-2 text-[15px] text-ink2">
            Drawn larger than life where it is fractions of a millimetre; the dotted edge is as high as the part should
            be.
          </p>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
