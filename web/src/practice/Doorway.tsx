/** The way between the workshop and practice: a page in the workshop that leads there, and the door on the other side. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { useNavigate } from "react-router";
import { api, got } from "../api/client";
import { Button, ErrorNote, Loading, useTitle } from "../kit/bits";
import { Door } from "../session/SignIn";
import { besideAt } from "./beside";

/** In the workshop: what practice is, and the way there. */
export function ToPractice() {
  useTitle("Practice");
  const session = useQuery({ queryKey: ["session"], queryFn: () => got(api.GET("/api/session")) });
  const go = useMutation({
    mutationFn: () => got(api.POST("/api/practice/ticket")),
    onSuccess: ({ ticket, beside }) => {
      const there = besideAt(beside);
      if (there) location.assign(`${there}/enter#${ticket}`);
    },
  });
  return (
    <section className="sheet mx-auto grid max-w-2xl gap-4">
      <h1>Practice</h1>
      <p className="text-[19px]">
        Simulated machines that ail, to learn the measuring and the judgement on before you touch a real one. It is a
        place of its own, on another paper: nothing that is done there comes into this workshop's record.
      </p>
      {session.data && !session.data.beside ? (
        <p className="border-l-[5px] border-line pl-3">
          Practice is not served here. Whoever runs Kestov switches it on (see “Running it” in its documentation).
        </p>
      ) : (
        <Button next className="justify-self-start" disabled={go.isPending} onClick={() => go.mutate()}>
          Go to practice
        </Button>
      )}
      <ErrorNote error={go.error} />
    </section>
  );
}

/** In practice: somebody comes in with a ticket, which stands behind the address's #, where no log sees it. */
export function Enter() {
  const client = useQueryClient();
  const go = useNavigate();
  const enter = useMutation({
    mutationFn: (ticket: string) => got(api.POST("/api/practice/enter", { body: { ticket } })),
    onSuccess: (state) => {
      client.clear();
      client.setQueryData(["session"], state);
      go("/", { replace: true });
    },
  });
  const once = useRef(false);
  const { mutate } = enter;
  useEffect(() => {
    if (once.current) return;
    once.current = true;
    mutate(location.hash.slice(1));
  }, [mutate]);
  return (
    <Door title="Practice">
      {enter.error ? (
        <>
          <ErrorNote error={enter.error} />
          <BackToTheWorkshop />
        </>
      ) : (
        <Loading what="the lessons" />
      )}
    </Door>
  );
}

/** In practice nobody signs in: one comes from the workshop. */
export function Outside() {
  useTitle("Practice");
  return (
    <Door title="Practice">
      <p>Come in from the workshop: it knows who you are. Its menu has “Practice”.</p>
      <BackToTheWorkshop />
    </Door>
  );
}

export function BackToTheWorkshop({ className = "" }: { className?: string }) {
  const session = useQuery({ queryKey: ["session"], queryFn: () => got(api.GET("/api/session")) });
  const there = session.data ? besideAt(session.data.beside) : null;
  return there ? (
    <a href={there} className={`inline-flex min-h-11 items-center ${className}`}>
      Back to the workshop
    </a>
  ) : null;
}
