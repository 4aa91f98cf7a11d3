/** The frame round every view: who is signed in, where one can go, light, and what has not reached the workshop yet. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useEffect } from "react";
import { Link, Navigate, NavLink, Route, Routes, useLocation } from "react-router";
import { api, got, Refusal, type Schemas } from "./api/client";
import { BeltsBench } from "./bench/BeltsBench";
import { BenchPage } from "./bench/BenchPage";
import { BenchMachine, BenchStart } from "./bench/BenchStart";
import { Pending } from "./bench/Pending";
import { CaseList } from "./case/CaseList";
import { CasePage } from "./case/CasePage";
import { Report } from "./case/Report";
import { Floor } from "./floor/Floor";
import { ErrorNote, Loading } from "./kit/bits";
import { Machine } from "./machine/Machine";
import { atLeast, type Me, MeContext } from "./session/me";
import { FirstAccount, SignIn } from "./session/SignIn";
import { Scripting } from "./workshop/Scripting";
import { WorkshopPage } from "./workshop/WorkshopPage";

export function App() {
  const session = useQuery({
    queryKey: ["session"],
    queryFn: () => got(api.GET("/api/session")),
    refetchOnWindowFocus: true,
  });
  const me = session.data?.me ?? null;
  useLight(me?.light ?? "day");
  if (session.isPending) return <Loading what="the workshop" />;
  if (!session.data)
    return (
      <main className="p-6">
        <ErrorNote error={session.error} />
      </main>
    );
  if (!me) return session.data.first_account ? <FirstAccount /> : <SignIn state={session.data} />;
  return (
    <MeContext value={me}>
      <Frame me={me} />
    </MeContext>
  );
}

function useLight(light: Me["light"]) {
  useEffect(() => {
    const dark = window.matchMedia("(prefers-color-scheme: dark)");
    const set = () =>
      document.documentElement.classList.toggle("dim", light === "dim" || (light === "system" && dark.matches));
    set();
    dark.addEventListener("change", set);
    return () => dark.removeEventListener("change", set);
  }, [light]);
}

const tab = ({ isActive }: { isActive: boolean }) =>
  `flex min-h-14 items-center border-b-[3px] px-3.5 font-semibold no-underline ${isActive ? "border-ink text-ink" : "border-transparent text-ink2"}`;

function Frame({ me }: { me: Me }) {
  const technician = atLeast(me, "technician");
  return (
    <div className="flex min-h-screen flex-col">
      <a href="#content" className="sr-only focus:not-sr-only focus:absolute focus:z-10 focus:bg-sheet focus:p-3">
        To the content
      </a>
      <header className="flex flex-wrap items-center gap-1 border-b border-line bg-sheet px-5">
        <Link to="/" className="mr-4 flex items-center text-[20px] font-extrabold no-underline">
          <img src="/mark.svg" alt="" className="mr-2 h-6 w-6" />
          Kestov
        </Link>
        <nav className="flex flex-wrap" aria-label="Main">
          <NavLink to="/" end className={tab}>
            Floor
          </NavLink>
          <NavLink to="/cases" className={tab}>
            Cases
          </NavLink>
          {technician ? (
            <NavLink to="/bench" className={tab}>
              Bench
            </NavLink>
          ) : null}
          {technician ? (
            <NavLink to="/workshop" className={tab}>
              Workshop
            </NavLink>
          ) : null}
        </nav>
        <span className="flex-1" />
        <MyMenu me={me} />
      </header>
      <Pending />
      <main id="content" className="flex-1 p-5">
        <Routes>
          <Route path="/" element={<Floor />} />
          <Route path="/machines/:id" element={<Machine />} />
          <Route path="/report/:id" element={<Report />} />
          <Route path="/cases" element={<CaseList />} />
          <Route path="/cases/:id" element={<CasePage />} />
          <Route path="/bench" element={<BenchStart />} />
          <Route path="/bench/:id" element={<BenchMachine />} />
          <Route path="/bench/:id/belts/:place" element={<BeltsBench />} />
          <Route path="/bench/:id/:procedure/:place" element={<BenchPage />} />
          <Route path="/workshop" element={<WorkshopPage />} />
          <Route path="/scripting" element={<Scripting />} />
          <Route path="*" element={<Nowhere />} />
        </Routes>
      </main>
    </div>
  );
}

function Nowhere() {
  const { pathname } = useLocation();
  if (pathname === "/first") return <Navigate to="/" replace />;
  return (
    <div className="sheet max-w-xl">
      <h1>There is nothing here</h1>
      <p className="mt-2">
        The address may have changed. <Link to="/">Back to the floor</Link>
      </p>
    </div>
  );
}

function MyMenu({ me }: { me: Me }) {
  const client = useQueryClient();
  const change = useMutation({
    mutationFn: (body: Schemas["Preferences"]) => got(api.PATCH("/api/me", { body })),
    onSuccess: (m) => client.setQueryData(["session"], (s: Schemas["SessionState"]) => ({ ...s, me: m })),
  });
  const leave = useMutation({
    mutationFn: () => got(api.DELETE("/api/session")),
    onSettled: (s, error) => {
      if (!error || (error instanceof Refusal && error.status === 401)) {
        // Nothing that one person saw is left for the next; the session itself stays, so that the page follows it.
        client.removeQueries({ predicate: (q) => q.queryKey[0] !== "session" });
        if (s) client.setQueryData(["session"], s);
        else client.invalidateQueries({ queryKey: ["session"] });
      }
    },
  });
  const item = "flex min-h-11 cursor-pointer items-center gap-2 px-4 outline-none data-[highlighted]:bg-well";
  const choice = <K extends keyof Schemas["Preferences"]>(
    label: string,
    key: K,
    options: [NonNullable<Schemas["Preferences"][K]>, string][],
  ) => (
    <DropdownMenu.RadioGroup value={String(me[key as keyof Me])} onValueChange={(v) => change.mutate({ [key]: v })}>
      <DropdownMenu.Label className="px-4 pt-2 text-[14px] text-ink2">{label}</DropdownMenu.Label>
      {options.map(([value, words]) => (
        <DropdownMenu.RadioItem
          key={String(value)}
          value={String(value)}
          className={item}
          onSelect={(e) => e.preventDefault()}
        >
          <span className="w-5 font-bold" aria-hidden="true">
            {me[key as keyof Me] === value ? "•" : ""}
          </span>
          {words}
        </DropdownMenu.RadioItem>
      ))}
    </DropdownMenu.RadioGroup>
  );
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="min-h-11 px-2 text-ink2">
        {me.name}, {me.role} <span aria-hidden="true">▾</span>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-20 min-w-60 rounded-[3px] border border-line bg-sheet py-1 text-ink"
        >
          {choice("Light", "light", [
            ["day", "Daylight"],
            ["dim", "Dim room"],
            ["system", "As the device"],
          ])}
          {choice("Lengths", "length_unit", [
            ["mm", "mm"],
            ["in", "inches"],
          ])}
          {choice("Forces", "force_unit", [
            ["N", "newtons"],
            ["lbf", "pounds force"],
          ])}
          <DropdownMenu.Separator className="my-1 border-t border-hair" />
          {atLeast(me, "technician") ? (
            <DropdownMenu.Item asChild>
              <Link to="/scripting" className={`${item} no-underline`}>
                For those who script
              </Link>
            </DropdownMenu.Item>
          ) : null}
          <DropdownMenu.Item className={item} onSelect={() => leave.mutate()}>
            Sign out
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
