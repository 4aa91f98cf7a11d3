"""How quick the pages are at any age: a large, old workshop in a throw-away database, seen by four people at once.

Run: ./kestov bench scale [--machines 200] [--results 2000000] [--cases 5000] [--requests 1000] [--keep]. It makes the workshop
by SQL (some minutes), serves it as ``start`` does, and prints for each page p50, p95 and the worst while a fifth person writes
something down every second; how long it takes anew, alone, after something was written down; queries of a request, the size of the answer, and the
ratio to the bare SQL of the same answer, timed in the same run.
"""

from __future__ import annotations

import argparse
import http.client
import os
import socket
import statistics
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
sys.path.append(str(ROOT / "ops"))

import serving  # noqa: E402

#: What was promised of every page: p95 in ms, times its bare SQL, queries a request. The ratio is of pages whose SQL takes long
#: enough (ms) that it is the page's cost: under it the check of who asks, and the answer's shape, are.
MOST_MS, MOST_RATIO, MOST_QUERIES, RATIO_FROM_MS = 150.0, 4.0, 12, 5.0
#: The floor's answer in bytes, at most.
MOST_FLOOR = 100_000


@dataclass
class Page:
    """A page: the request that fills it, and the bare SQL of the same answer."""

    name: str
    path: str
    sql: list[str]


def main() -> int:
    """Make the workshop, time it, print the table; 1 where a promise is not kept."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--machines", type=int, default=200)
    parser.add_argument("--results", type=int, default=2_000_000)
    parser.add_argument("--cases", type=int, default=5_000)
    parser.add_argument("--requests", type=int, default=1000)
    parser.add_argument("--keep", action="store_true", help="use the workshop of the run before")
    args = parser.parse_args()
    _database(args)
    import django

    django.setup()
    begun = time.perf_counter()
    if not args.keep:
        _make(args.machines, args.results, args.cases)
    print(
        f"A workshop of {args.machines} machines and {args.results} results, made in {time.perf_counter() - begun:.0f} s."
    )
    cookie = _signed_in()
    pages = _pages(args.machines)
    server, port = _serve()
    try:
        kept = all([_report(page, port, cookie, args.requests) for page in pages])
    finally:
        server.terminate()
        server.wait()
    return 0 if kept else 1


def _database(args: argparse.Namespace) -> None:
    """A database of its own beside the others of the cluster."""
    import psycopg

    base = os.environ["DATABASE_URL"].rpartition("/")[0]
    with psycopg.connect(f"{base}/postgres", autocommit=True) as db:
        if not args.keep:
            db.execute("drop database if exists kestov_scale with (force)")
            db.execute("create database kestov_scale")
    os.environ["DATABASE_URL"] = f"{base}/kestov_scale"
    os.environ["KESTOV_POOL"] = "0"
    os.environ["DJANGO_SETTINGS_MODULE"] = "kestov.settings"
    sys.path[:0] = [str(ROOT / "server"), str(ROOT / "core")]


def _make(machines: int, results: int, cases: int) -> None:
    """Rooms and models as people make them; the years of measuring by SQL."""
    from datetime import timedelta

    from demo.models_of_printers import MODELS
    from django.core.management import call_command
    from django.db import connection
    from people.clock import now
    from people.models import Role, User
    from workshop.models import Area, Limit, Printer, PrinterModel, fit_out

    call_command("migrate", verbosity=0)
    user = User.objects.create_user(
        username="tech", name="Technician", password=os.urandom(12).hex(), role=Role.TECHNICIAN
    )
    areas = [Area.objects.create(name=f"Hall {i + 1}", position=i) for i in range(8)]
    models = []
    for k in range(4):
        for row in MODELS:
            model = PrinterModel.objects.create(name=f"{row['name']} {k}", description=row["description"])
            for limit in row["limits"]:
                Limit.objects.create(model=model, **limit)
            models.append(model)
    since = (now() - timedelta(days=1500)).date()
    Printer.objects.bulk_create(
        Printer(name=f"Machine {i:03d}", model=models[i % len(models)], area=areas[i % 8], in_use_since=since)
        for i in range(machines)
    )
    for printer in Printer.objects.select_related("model"):
        fit_out(printer)
    each = results // machines
    with connection.cursor() as db:
        db.execute("set session_replication_role = replica")
        for step in _steps(user.pk, each, cases):
            db.execute(step)
        db.execute("set session_replication_role = default")
        db.execute("analyze")
    from cases import forecast
    from work import doing
    from work.models import Work
    from workshop.meters import keep_missing

    keep_missing()

    # As a worker does at night.
    forecast.ask_anew()
    for work in Work.objects.all():
        doing.run(work.pk)


def _steps(user: int, each: int, cases: int) -> list[str]:
    """The SQL of a workshop's years. Places by the model's own belts; one result a capture, newest today."""
    found = """jsonb_build_object('procedure', procedure, 'verdict', verdict, 'advice', jsonb_build_array(), 'warnings', jsonb_build_array(),
        'findings', jsonb_build_array(), 'tension', jsonb_build_object('value', value, 'u95', 0.6, 'unit', 'N', 'own', 0.1, 'shared', 0.5),
        'frequency', jsonb_build_object('value', 80, 'u95', 0.1, 'unit', 'Hz'), 'inharmonicity', 0.0002,
        'plucks', jsonb_build_array(jsonb_build_object('at_s', 0.5, 'frequency_hz', 80, 'used', true)), 'partials', jsonb_build_array(),
        'judged', jsonb_build_array(jsonb_build_object('words', 'Tension', 'quantity',
            jsonb_build_object('value', value, 'u95', 0.6, 'unit', 'N'), 'limits', jsonb_build_object('low', 20, 'high', 50),
            'source_of_limits', 'limit', 'verdict', verdict)))"""
    from kestov_core.knowledge.tasks import tasks as came_with

    tasks = ", ".join(f"('{task}')" for task in list(came_with())[:12])
    return [
        # Belts of each machine, by its model.
        """create temp table belt_of as select p.id as printer, t.key as place, row_number() over (partition by p.id order by t.key) - 1 as k,
             count(*) over (partition by p.id) as belts
           from workshop_printer p join workshop_printermodel m on m.id = p.model_id, jsonb_each(m.description->'transmissions') t
           where t.value->>'kind' = 'belt'""",
        f"""insert into measuring_capture (id, printer_id, place, procedure, context, data_name, data_bytes, sha256, source,
             circumstances, taken_at, taken_by_id, round)
           select gen_random_uuid(), b.printer, b.place, case when n % 5 = 0 then 'belt-deflection' else 'belt-pluck' end,
             '{{"span_mm": 285}}', '', 0, '', 'microphone', '{{}}', now() - make_interval(hours => (3 * n)::int), {user}, 1
           from generate_series(1, {each}) n join belt_of b on n % b.belts = b.k""",
        f"""insert into measuring_result (capture_id, core_version, found, verdict, value, u95, unit, computed_at)
           select id, '0.2.0', {found}, verdict, value, 0.6, 'N', taken_at from (
             select id, procedure, taken_at, 20 + random() * 28 as value,
               case when random() < 0.05 then 'out_of_tolerance' else 'in_tolerance' end as verdict from measuring_capture) c""",
        """insert into measuring_standing (printer_id, place, procedure, capture_id, taken_at, verdict, words, value, u95, unit, low,
             high, source, lost, doubt)
           select distinct on (c.printer_id, c.place, c.procedure) c.printer_id, c.place, c.procedure, c.id, c.taken_at, r.verdict,
             'Tension', r.value, 0.6, 'N', 20, 50, 'limit', 0, ''
           from measuring_capture c join measuring_result r on r.capture_id = c.id
           order by c.printer_id, c.place, c.procedure, c.taken_at desc""",
        # What wore out and was replaced over the years, on top of what sits there (made by the machines' descriptions).
        """insert into workshop_component (printer_id, place, kind, label, fitted_on, fitted_hours, removed_on, removed_hours,
             removed_because, brought_hours, trouble)
           select p.id, 'e', k.kind, k.label, current_date - 50 * n - 50, greatest(0, 9000 - 300 * n - 300 * (1 + random())),
             current_date - 50 * n, greatest(0, 9000 - 300 * n), case when random() < 0.8 then 'worn' else 'sound' end, 0, ''
           from workshop_printer p, generate_series(1, 28) n, (values ('nozzle', 'Nozzle'), ('liner', 'Liner')) k(kind, label)""",
        f"""insert into workshop_deed (component_id, did, at, hours, found, words, used, by_id)
           select c.id, case when n % 3 = 0 then 'lubricated' else 'inspected' end, now() - make_interval(days => (40 * n)::int), 9000 - 240 * n,
             'sound', 'As it should be.', '', {user} from workshop_component c, generate_series(1, 5) n""",
        f"""insert into workshop_meterreading (printer_id, hours, travel_km, reset, at, by_id)
           select p.id, 9000 - 200 * n, '{{}}', false, now() - make_interval(days => (30 * n)::int), {user}
           from workshop_printer p, generate_series(1, 40) n""",
        f"""insert into workshop_joblog (printer_id, name, data, columns, wrong, jobs, new, began, ended, at, taken_at, by_id)
           select id, 'jobs.csv', '', '{{"began": "t", "took": "d"}}', '[]', 4000, 4000, now() - interval '3 years', now() - interval '1 day', now(), now(), {user}
           from workshop_printer""",
        """insert into workshop_loggedweek (printer_id, monday, hours, filament_kg, travel_km)
           select p.id, date_trunc('week', current_date)::date - 7 * n, 40 + 10 * random(), 0.8, '{}'
           from workshop_printer p, generate_series(0, 155) n""",
        f"""insert into measuring_storedvalue (printer_id, name, value, text, was, unit, reason, at, by_id)
           select p.id, s.name, 80, '', null, s.unit, '', now() - make_interval(days => (30 * n)::int), {user}
           from workshop_printer p, generate_series(1, 20) n, (values ('steps_x', 'steps/mm'), ('steps_y', 'steps/mm'), ('nozzle_height', 'mm')) s(name, unit)""",
        f"""insert into workshop_event (printer_id, event, place, at, by_id, note)
           select p.id, case n % 3 when 0 then 'belt_tensioned' when 1 then 'head_changed' else 'firmware_updated' end, '',
             now() - make_interval(days => (9 * n)::int), {user}, '' from workshop_printer p, generate_series(1, 60) n""",
        # Rounds of years: a dozen tasks, each every month, of most machines.
        f"""insert into service_done (printer_id, task, label, found, words, hours, at, by_id, newest)
           select p.id, t.task, '', case when n % 9 = 0 then 'needed' else 'fine' end, '', 9000 - 220 * n,
             now() - make_interval(days => (31 * n + p.id % 40 + 1)::int), {user}, n = 0
           from workshop_printer p, generate_series(0, 47) n, (values {tasks}) t(task) where p.id % 8 > 0""",
        f"""insert into cases_case (printer_id, title, words, since, state, reported_by_id, reported_at, closing, cause, fault, fault_axis,
             closed_at, closed_by_id, unaided)
           select (select id from workshop_printer order by id offset n % (select count(*) from workshop_printer) limit 1),
             'Echoes or ripples after a corner, wall along X', 'On all lids, number ' || n, '',
             case when n % 60 = 0 then 'reported' else 'closed' end, {user}, now() - make_interval(hours => n * 7),
             case when n % 60 = 0 then '' else 'verified' end, 'Belt slack', '', '', now() - make_interval(hours => n * 7 - 5), {user}, false
           from generate_series(1, {cases}) n""",
        f"""insert into cases_observation (case_id, finding, axis, state, note, check_name, withdrawn, by_id, at)
           select c.id, 'echoes_after_corners', 'x', case when n = 1 then 'present' else 'absent' end, '', '', false, {user},
             c.reported_at + make_interval(hours => n) from cases_case c, generate_series(1, 4) n""",
        f"""insert into cases_comment (case_id, words, by_id, at)
           select c.id, 'Looked at it again, entry ' || n, {user}, c.reported_at + make_interval(hours => n)
           from cases_case c, generate_series(1, 3) n""",
        f"""insert into measuring_action (printer_id, case_id, place, kind, turns, unit, direction, round, fault, note, procedure, target, by_id, at)
           select c.printer_id, c.id, 'x', 'turn_tensioner', 0.5, 'turns', 'clockwise', 1, '', '', '', '', {user},
             c.reported_at + interval '2 hours' from cases_case c""",
    ]


def _pages(machines: int) -> list[Page]:
    from workshop.models import Component, Printer

    machine = Printer.objects.order_by("pk")[machines // 2]
    printer, model, place = machine.pk, machine.model_id, next(iter(machine.motion().belts()))
    nozzle = Component.objects.get(printer=machine, kind="nozzle", removed_on=None).pk
    use = ["select * from workshop_meterreading", "select * from workshop_loggedweek"]
    standings = "select * from measuring_standing"
    measured = f"""select c.id, c.taken_at, c.place, c.procedure, r.value, r.u95, r.unit, u.name from measuring_capture c
        join measuring_result r on r.capture_id = c.id left join people_user u on u.id = c.taken_by_id
        where c.printer_id = {printer} order by c.taken_at desc limit """
    brief = "select c.*, p.name from cases_case c join workshop_printer p on p.id = c.printer_id"
    search = f"{brief} where c.title ilike '%lids%' or c.words ilike '%lids%' or c.cause ilike '%lids%' order by reported_at desc limit 50"
    return [
        Page("Floor", "/api/floor", ["select p.*, m.description from workshop_printer p join workshop_printermodel m on m.id = p.model_id where not retired", standings, f"{brief} where state <> 'closed'"]),
        Page("Machine", f"/api/printers/{printer}", [f"select p.*, m.description from workshop_printer p join workshop_printermodel m on m.id = p.model_id where p.id = {printer}", f"{standings} where printer_id = {printer}", f"{brief} where printer_id = {printer} and state <> 'closed'", f"select * from workshop_component where printer_id = {printer}"]),
        Page("Bench start", f"/api/printers/{printer}/bench", [f"select p.*, m.description from workshop_printer p join workshop_printermodel m on m.id = p.model_id where p.id = {printer}", f"{standings} where printer_id = {printer}", "select * from workshop_instrument", f"select c.*, r.found from measuring_capture c join measuring_result r on r.capture_id = c.id where c.printer_id = {printer} order by taken_at desc limit 2"]),
        Page("Record, first page", f"/api/printers/{printer}/record", [measured + "50"]),
        Page("Record, tenth page", f"/api/printers/{printer}/record?page=10", [measured + "500"]),
        Page("Parts", f"/api/printers/{printer}/components", [f"select * from workshop_component where printer_id = {printer} and removed_on is null", f"select d.* from workshop_deed d join workshop_component c on c.id = d.component_id where c.printer_id = {printer} and c.removed_on is null", f"{standings} where printer_id = {printer}", f"select * from workshop_loggedweek where printer_id = {printer}"]),
        Page("One part's life", f"/api/components/{nozzle}/life", ["select * from workshop_component where kind = 'nozzle'", *use]),
        Page("Use", f"/api/printers/{printer}/use", [f"select * from workshop_loggedweek where printer_id = {printer}", f"select * from workshop_meterreading where printer_id = {printer}"]),
        Page("What it has stored", f"/api/printers/{printer}/stored", [f"select * from measuring_storedvalue where printer_id = {printer}", f"select * from workshop_event where printer_id = {printer}"]),
        Page("The way back", f"/api/printers/{printer}/baseline", [f"select * from measuring_storedvalue where printer_id = {printer}", f"select * from workshop_event where printer_id = {printer}", f"{standings} where printer_id = {printer}"]),
        Page("A course", f"/api/printers/{printer}/trend?place={place}&procedure=belt-pluck", [measured + "500"]),
        Page("Next quarter", "/api/forecast", ["select * from workshop_component", *use, standings]),
        Page("Across: which", "/api/fleet", [standings, "select p.*, m.description from workshop_printer p join workshop_printermodel m on m.id = p.model_id"]),
        Page("Across: one", f"/api/fleet/{model}?procedure=belt-pluck&place={place}", [f"select c.taken_at, r.found from measuring_capture c join measuring_result r on r.capture_id = c.id join workshop_printer p on p.id = c.printer_id where p.model_id = {model} and c.place = '{place}' and c.procedure = 'belt-pluck' and c.taken_at > now() - interval '600 days'"]),
        Page("Rounds", "/api/service", ["select * from service_done where newest", "select printer_id, kind from workshop_component where removed_on is null", *use]),
        Page("Tasks", "/api/service/tasks", ["select * from service_done where at > now() - interval '2 years' order by at desc limit 20000", "select * from service_taskmend"]),
        Page("Stores", "/api/stores", ["select * from service_stock", "select * from workshop_component where removed_on is null", *use]),
        Page("The week", "/api/service/week", ["select * from service_plannedround", "select * from service_booking"]),
        Page("Cases", "/api/cases?state=all", [f"{brief} order by reported_at desc limit 50"]),
        Page("Cases, search", "/api/cases?state=all&search=lids", [search]),
    ]  # fmt: skip


def _signed_in() -> str:
    from django.conf import settings
    from django.test import Client
    from people.models import User

    client = Client()
    client.force_login(User.objects.get(username="tech"), backend="django.contrib.auth.backends.ModelBackend")
    return f"{settings.SESSION_COOKIE_NAME}={client.cookies[settings.SESSION_COOKIE_NAME].value}"


def _serve() -> tuple[subprocess.Popen[bytes], int]:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    env = {**os.environ, "KESTOV_POOL": "1", "PYTHONPATH": f"{ROOT / 'core'}{os.pathsep}{ROOT / 'server'}"}
    server = subprocess.Popen(
        serving.command("127.0.0.1", port), cwd=ROOT / "server", env=env, stdout=subprocess.DEVNULL
    )
    while server.poll() is None:
        try:
            socket.create_connection(("127.0.0.1", port), timeout=1).close()
            return server, port
        except OSError:
            time.sleep(0.1)
    raise SystemExit("The server ended before it answered.")


def _report(page: Page, port: int, cookie: str, requests: int) -> bool:
    """Time one page over all clients, print its line; whether it keeps what was promised."""
    with _somebody_writing():
        taken, size = _asked(page.path, port, cookie, requests)
    p50, p95 = (1000 * q for q in (statistics.median(taken), statistics.quantiles(taken, n=20)[18]))
    sql = 1000 * _bare(page.sql)
    queries = _queries(page.path, cookie)
    anew = 1000 * statistics.median(_asked(page.path, port, cookie, 20, clients=1, before_each=_write)[0])
    kept = p95 <= MOST_MS and queries <= MOST_QUERIES and (page.name != "Floor" or size <= MOST_FLOOR)
    kept &= sql < RATIO_FROM_MS or anew <= MOST_RATIO * sql
    print(
        f"{page.name:20} p50 {p50:6.0f} ms   p95 {p95:6.0f} ms   worst {1000 * max(taken):6.0f} ms   anew {anew:6.1f} ms   "
        f"bare SQL {sql:6.1f} ms   ratio {anew / sql:5.1f}   {queries:3d} queries   {size / 1000:7.1f} kB{'' if kept else '   OVER'}",
        flush=True,
    )
    return kept


def _write() -> None:
    """Write down a word on a case, as somebody at work does: what was answered before it holds no more."""
    import psycopg

    with psycopg.connect(os.environ["DATABASE_URL"]) as db:
        db.execute(
            "insert into cases_comment (case_id, words, by_id, at) select max(id), 'Looked at it.', null, now() from cases_case"
        )


@contextmanager
def _somebody_writing() -> Iterator[None]:
    """Somebody writes something down every second meanwhile."""
    done = threading.Event()

    def write() -> None:
        while not done.wait(1):
            _write()

    thread = threading.Thread(target=write)
    thread.start()
    try:
        yield
    finally:
        done.set()
        thread.join()


def _asked(
    path: str,
    port: int,
    cookie: str,
    requests: int,
    clients: int = 4,
    before_each: Callable[[], None] = lambda: None,
) -> tuple[list[float], int]:
    """Seconds of each request by so many clients at once, each on its own line; and the size of an answer."""
    taken: list[float] = []
    sizes: list[int] = []
    lock = threading.Lock()

    def client() -> None:
        line = http.client.HTTPConnection("127.0.0.1", port, timeout=120)
        for i in range(requests // clients + 2):
            before_each()
            begun = time.perf_counter()
            line.request("GET", path, headers={"Cookie": cookie})
            answer = line.getresponse()
            body = answer.read()
            if answer.status != 200:
                raise SystemExit(f"{path}: {answer.status} {body[:300]!r}")
            if i >= 2:  # the first two warm it
                with lock:
                    taken.append(time.perf_counter() - begun)
                    sizes.append(len(body))

    threads = [threading.Thread(target=client) for _ in range(clients)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    return taken, sizes[0]


def _bare(statements: list[str]) -> float:
    """Seconds of the bare SQL: the median of nine, fetched whole."""
    import psycopg

    times = []
    with psycopg.connect(os.environ["DATABASE_URL"]) as db:
        for _ in range(9):
            begun = time.perf_counter()
            for statement in statements:
                db.execute(statement).fetchall()
            times.append(time.perf_counter() - begun)
    return statistics.median(times)


def _queries(path: str, cookie: str) -> int:
    """How many queries one request makes, signing in included."""
    from django.db import connection
    from django.test import Client
    from django.test.utils import CaptureQueriesContext

    client: Any = Client(headers={"Cookie": cookie})
    with CaptureQueriesContext(connection) as queries:
        client.get(path, headers={"Host": "127.0.0.1"})
    return len(queries)


if __name__ == "__main__":
    raise SystemExit(main())
