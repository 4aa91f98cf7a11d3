/** The frame round every view: who is signed in, where one can go, light, and what has not reached the workshop yet. */
import { type QueryClient, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ComponentType, lazy, type ReactNode, Suspense, useEffect, useState } from "react";
import { Link, Navigate, NavLink, Route, Routes, useLocation, useParams } from "react-router";
import { api, got, type Schemas } from "./api/client";
import { useEvents } from "./api/events";
import { FLOOR, Floor } from "./floor/Floor";
import { ErrorNote, Loading } from "./kit/bits";
import { Part, patient } from "./kit/Part";
import { WayBar } from "./machine/WayBar";
import { KeptEntries } from "./offline/KeptEntries";
import { KeptLine } from "./offline/KeptLine";
import { practising } from "./practice/beside";
import { atLeast, type Me, MeContext } from "./session/me";

/** Views are fetched when they are wanted; the likely next ones ahead, once the first stands. */
const FETCH = {
  machine: () => import("./machine/Machine"),
  components: () => import("./machine/PartsPage"),
  stored: () => import("./machine/StoredPage"),
  use: () => import("./machine/UsePage"),
  baseline: () => import("./machine/BaselinePage"),
  bench: () => import("./bench/BenchStart"),
  belts: () => import("./bench/BeltsBench"),
  page: () => import("./bench/BenchPage"),
  parts: () => import("./bench/Parts"),
  case: () => import("./case/CasePage"),
  cases: () => import("./case/CaseList"),
  report: () => import("./case/Report"),
  knowledge: () => import("./knowledge/KnowledgePage"),
  workshop: () => import("./workshop/WorkshopPage"),
  nearMisses: () => import("./workshop/NearMisses"),
  fleet: () => import("./workshop/FleetPage"),
  rounds: () => import("./rounds/RoundsPage"),
  round: () => import("./rounds/RoundPage"),
  tasks: () => import("./rounds/TasksPage"),
  week: () => import("./rounds/WeekPage"),
  letter: () => import("./rounds/LetterPage"),
  stores: () => import("./stores/StoresPage"),
  worth: () => import("./worth/WorthPage"),
  wall: () => import("./openly/Wall"),
  openReport: () => import("./openly/OpenReport"),
  join: () => import("./openly/Join"),
  caseReport: () => import("./paper/CaseReport"),
  book: () => import("./paper/MachineBook"),
  certificate: () => import("./paper/Certificate"),
  quarter: () => import("./workshop/QuarterPage"),
  instrument: () => import("./instrument/InstrumentPage"),
  study: () => import("./instrument/StudyPage"),
  scripting: () => import("./workshop/Scripting"),
  signIn: () => import("./session/SignIn"),
  me: () => import("./session/MyAccount"),
  practice: () => import("./practice/PracticeHome"),
  account: () => import("./practice/AccountPage"),
  doorway: () => import("./practice/Doorway"),
  bar: () => import("./practice/PracticeBar"),
  alone: () => import("./practice/AlonePage"),
};
const view = <M, K extends keyof M>(fetch: () => Promise<M>, name: K) =>
  lazy(async () => ({ default: (await patient(fetch))[name] as ComponentType<object> }));
const Machine = view(FETCH.machine, "Machine");
const ComponentsPage = view(FETCH.components, "PartsPage");
const StoredPage = view(FETCH.stored, "StoredPage");
const UsePage = view(FETCH.use, "UsePage");
const BaselinePage = view(FETCH.baseline, "BaselinePage");
const BenchStart = view(FETCH.bench, "BenchStart");
const BenchMachine = view(FETCH.bench, "BenchMachine");
const PartsPage = view(FETCH.parts, "PartsPage");
const BeltsBench = view(FETCH.belts, "BeltsBench");
const BenchPage = view(FETCH.page, "BenchPage");
const CasePage = view(FETCH.case, "CasePage");
const CaseList = view(FETCH.cases, "CaseList");
const Report = view(FETCH.report, "Report");
const KnowledgePage = view(FETCH.knowledge, "KnowledgePage");
const WorkshopPage = view(FETCH.workshop, "WorkshopPage");
const NearMisses = view(FETCH.nearMisses, "NearMisses");
const FleetPage = view(FETCH.fleet, "FleetPage");
const RoundsPage = view(FETCH.rounds, "RoundsPage");
const RoundPage = view(FETCH.round, "RoundPage");
const WeekPage = view(FETCH.week, "WeekPage");
const LetterPage = view(FETCH.letter, "LetterPage");
const TasksPage = view(FETCH.tasks, "TasksPage");
const StoresPage = view(FETCH.stores, "StoresPage");
const WorthPage = view(FETCH.worth, "WorthPage");
const Wall = view(FETCH.wall, "Wall");
const OpenReport = view(FETCH.openReport, "OpenReport");
const Join = view(FETCH.join, "Join");
const CaseReport = view(FETCH.caseReport, "CaseReport");
const MachineBook = view(FETCH.book, "MachineBook");
const Certificate = view(FETCH.certificate, "Certificate");
const QuarterPage = view(FETCH.quarter, "QuarterPage");
const InstrumentPage = view(FETCH.instrument, "InstrumentPage");
const StudyPage = view(FETCH.study, "StudyPage");
const Scripting = view(FETCH.scripting, "Scripting");
const PracticeHome = view(FETCH.practice, "PracticeHome");
const AccountPage = view(FETCH.account, "AccountPage");
const ToPractice = view(FETCH.doorway, "ToPractice");
const Enter = view(FETCH.doorway, "Enter");
const Outside = view(FETCH.doorway, "Outside");
const BackToTheWorkshop = view(FETCH.doorway, "BackToTheWorkshop");
const AlonePage = view(FETCH.alone, "AlonePage");
const PracticeBar = view(FETCH.bar, "PracticeBar");
const MyAccount = view(FETCH.me, "MyAccount");
const FirstAccount = view(FETCH.signIn, "FirstAccount");
const MyMenu = lazy(async () => ({ default: (await patient(() => import("./session/MyMenu"))).MyMenu }));
const SignIn = lazy(async () => ({ default: (await patient(FETCH.signIn)).SignIn }));

function useAhead(technician: boolean) {
  useEffect(() => {
    const next = technician ? [FETCH.machine, FETCH.case, FETCH.bench, FETCH.page, FETCH.belts] : [FETCH.report];
    const wait = setTimeout(() => next.forEach((fetch) => void fetch().catch(() => undefined)), 2500);
    return () => clearTimeout(wait);
  }, [technician]);
}

const SESSION = { queryKey: ["session"], queryFn: () => got(api.GET("/api/session")) };
const WAS_IN = "kestov-was-in";

/** Ask for what the first page will want before anything is drawn: who it is, and for one who was here before, the floor. */
export function askAhead(client: QueryClient): void {
  void client.prefetchQuery(SESSION);
  if (!practising() && location.pathname === "/" && localStorage.getItem(WAS_IN)) void client.prefetchQuery(FLOOR);
}

export function App() {
  return (
    <Routes>
      <Route path="/wall" element={<Openly of={<Wall />} />} />
      {practising() ? <Route path="/enter" element={<Openly of={<Enter />} />} /> : null}
      <Route path="/join/:secret" element={<Openly of={<Join />} />} />
      <Route path="*" element={<Signed />} />
    </Routes>
  );
}

/** A page that asks for no account. */
function Openly({ of }: { of: ReactNode }) {
  return <Suspense fallback={<Loading what="the page" />}>{of}</Suspense>;
}

function Signed() {
  const session = useQuery({ ...SESSION, refetchOnWindowFocus: true });
  const me = session.data?.me ?? null;
  useLight(me?.light ?? "day");
  if (session.isPending) return <Loading what="the workshop" />;
  if (!session.data)
    return (
      <main className="p-6">
        <ErrorNote error={session.error} />
      </main>
    );
  if (!me)
    return (
      <Suspense fallback={<Loading what="the door" />}>
        {session.data.practice ? (
          <Outside />
        ) : session.data.first_account ? (
          <FirstAccount />
        ) : (
          <Routes>
            <Route path="/m/:id" element={<AtTheLabel state={session.data} />} />
            <Route path="/report/:id" element={<AtTheLabel state={session.data} />} />
            <Route path="*" element={<SignIn state={session.data} />} />
          </Routes>
        )}
      </Suspense>
    );
  return (
    <MeContext value={me}>
      <Routes>
        <Route path="/print/*" element={<OnPaper />} />
        <Route path="*" element={<Frame me={me} />} />
      </Routes>
    </MeContext>
  );
}

/** Somebody without an account has read a machine's label: the form, where such reports are taken. */
function AtTheLabel({ state }: { state: Schemas["SessionState"] }) {
  return state.open_reports ? <OpenReport /> : <SignIn state={state} />;
}

/** What is printed stands alone: no heads, no menus. */
function OnPaper() {
  const { pathname } = useLocation();
  return (
    <Part at={pathname}>
      <Suspense fallback={<Loading what="the page" />}>
        <Routes>
          <Route path="cases/:id" element={<CaseReport />} />
          <Route path="machines/:id" element={<MachineBook />} />
          <Route path="captures/:id" element={<Certificate />} />
          <Route path="*" element={<Nowhere />} />
        </Routes>
      </Suspense>
    </Part>
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

/** A machine's label was read with a phone. */
function FromLabel({ technician }: { technician: boolean }) {
  const { id } = useParams();
  return <Navigate to={technician ? `/machines/${id}` : `/report/${id}`} replace />;
}

const tab = ({ isActive }: { isActive: boolean }) =>
  `flex min-h-14 items-center border-b-[3px] px-3.5 font-semibold no-underline ${isActive ? "border-ink text-ink" : "border-transparent text-ink2"}`;

function Frame({ me }: { me: Me }) {
  const technician = atLeast(me, "technician");
  const { pathname } = useLocation();
  useAhead(technician);
  useEvents(useQueryClient());
  useEffect(() => localStorage.setItem(WAS_IN, "1"), []);
  return (
    <div className="flex min-h-screen flex-col">
      <a href="#content" className="sr-only focus:not-sr-only focus:absolute focus:z-10 focus:bg-sheet focus:p-3">
        To the content
      </a>
      <header className="flex flex-wrap items-center gap-1 border-b border-line bg-sheet px-5">
        <Link to="/" className="mr-4 flex items-center text-[20px] font-extrabold no-underline">
          <img src="/mark.svg" alt="" className="mr-2 h-6 w-6" />
          {practising() ? "Kestov practice" : "Kestov"}
        </Link>
        <nav className="flex flex-wrap" aria-label="Main">
          <NavLink to="/" end className={tab}>
            {practising() ? "Lessons" : "Floor"}
          </NavLink>
          <NavLink to="/cases" className={tab}>
            Cases
          </NavLink>
          {technician ? (
            <NavLink to="/bench" className={tab}>
              Bench
            </NavLink>
          ) : null}
          {technician && !practising() ? (
            <NavLink to="/rounds" className={tab}>
              Rounds
            </NavLink>
          ) : null}
          {technician ? (
            <NavLink to="/knowledge" className={tab}>
              Knowledge
            </NavLink>
          ) : null}
          {technician && !practising() ? (
            <NavLink to="/workshop" className={tab}>
              Workshop
            </NavLink>
          ) : null}
          {practising() ? null : (
            <NavLink to="/practice" className={tab}>
              Practice
            </NavLink>
          )}
        </nav>
        <span className="flex-1" />
        {practising() ? (
          <Suspense>
            <BackToTheWorkshop />
          </Suspense>
        ) : null}
        <OwnMenu me={me} />
      </header>
      {practising() ? (
        <Suspense>
          <PracticeBar />
        </Suspense>
      ) : null}
      <KeptLine />
      <KeptEntries />
      <main id="content" className="flex-1 p-5">
        {technician ? <WayBar /> : null}
        <Part at={pathname}>
          <Suspense fallback={<Loading what="the page" />}>
            <Routes>
              <Route path="/" element={practising() ? <PracticeHome /> : <Floor />} />
              <Route path="/practice" element={practising() ? <Navigate to="/" replace /> : <ToPractice />} />
              <Route path="/alone" element={<AlonePage />} />
              <Route path="/lessons/:id" element={<AccountPage />} />
              <Route path="/machines/:id" element={<Machine />} />
              <Route path="/machines/:id/parts" element={<ComponentsPage />} />
              <Route path="/machines/:id/use" element={<UsePage />} />
              <Route path="/machines/:id/stored" element={<StoredPage />} />
              <Route path="/machines/:id/baseline" element={<BaselinePage />} />
              <Route path="/report/:id" element={<Report />} />
              <Route path="/cases" element={<CaseList />} />
              <Route path="/cases/:id" element={<CasePage />} />
              <Route path="/bench" element={<BenchStart />} />
              <Route path="/bench/:id" element={<BenchMachine />} />
              <Route path="/bench/:id/belts/:place" element={<BeltsBench />} />
              <Route path="/bench/:id/parts" element={<PartsPage />} />
              <Route path="/bench/:id/:procedure/:place" element={<BenchPage />} />
              <Route path="/knowledge" element={<KnowledgePage />} />
              <Route path="/knowledge/doubts" element={<KnowledgePage />} />
              <Route path="/knowledge/changed" element={<KnowledgePage />} />
              <Route path="/knowledge/check/:check" element={<KnowledgePage />} />
              <Route path="/knowledge/:fault" element={<KnowledgePage />} />
              <Route path="/workshop" element={<WorkshopPage />} />
              <Route path="/near-misses" element={<NearMisses />} />
              <Route path="/fleet" element={<FleetPage />} />
              <Route path="/rounds" element={<RoundsPage />} />
              <Route path="/rounds/week" element={<WeekPage />} />
              <Route path="/rounds/letter" element={<LetterPage />} />
              <Route path="/rounds/tasks" element={<TasksPage />} />
              <Route path="/rounds/:id" element={<RoundPage />} />
              <Route path="/m/:id" element={<FromLabel technician={technician} />} />
              <Route path="/stores" element={<StoresPage />} />
              <Route path="/worth" element={<WorthPage />} />
              <Route path="/quarter" element={<QuarterPage />} />
              <Route path="/instruments/:id" element={<InstrumentPage />} />
              <Route path="/comparisons/:id" element={<StudyPage />} />
              <Route path="/me" element={<MyAccount />} />
              <Route path="/scripting" element={<Scripting />} />
              <Route path="*" element={<Nowhere />} />
            </Routes>
          </Suspense>
        </Part>
      </main>
    </div>
  );
}

/** The menu is fetched once somebody reaches for it; until then its button stands there. */
function OwnMenu({ me }: { me: Me }) {
  const [wanted, setWanted] = useState<"no" | "near" | "now">("no");
  useEffect(() => {
    const wait = setTimeout(() => setWanted((w) => (w === "no" ? "near" : w)), 4000);
    return () => clearTimeout(wait);
  }, []);
  const button = (
    <button
      type="button"
      aria-haspopup="menu"
      className="min-h-11 px-2 text-ink2"
      onPointerEnter={() => setWanted((w) => (w === "no" ? "near" : w))}
      // At the press: between it and the click the menu may come and take the button's place.
      onPointerDown={() => setWanted("now")}
      onClick={() => setWanted("now")}
    >
      {me.name}, {me.role} <span aria-hidden="true">▾</span>
    </button>
  );
  if (wanted === "no") return button;
  return (
    <Part else={button}>
      <Suspense fallback={button}>
        <MyMenu me={me} open={wanted === "now"} />
      </Suspense>
    </Part>
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
