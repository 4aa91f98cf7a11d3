"""What has changed is told to open pages at once, to those who are signed in, and by the database: in whichever process."""

import asyncio
import json

import psycopg
from api.tests.world import ApiCase
from asgiref.sync import async_to_sync
from django.db import connection, transaction
from django.test import TransactionTestCase
from django.test.utils import CaptureQueriesContext
from people.telling import CHANNEL, tell

from kestov import events
from kestov.events import Events, Wire
from kestov.known import is_signed_in


def address():
    """The test database, as libpq has it."""
    params = connection.get_connection_params()
    return psycopg.conninfo.make_conninfo(
        **{k: params[k] for k in ("dbname", "user", "password", "host", "port") if params.get(k)}
    )


async def yes(cookies):
    return True


class Page:
    """An open page: what it was sent, and when it goes."""

    def __init__(self, wire, known=yes, method="GET", cookie=b"sessionid=x"):
        self.scope = {"method": method, "path": "/api/events", "headers": [(b"cookie", cookie)]}
        self.sent, self.leaves, self.told = [], asyncio.Event(), asyncio.Event()
        self.app = Events(wire, known)

    async def receive(self):
        await self.leaves.wait()
        return {"type": "http.disconnect"}

    async def send(self, message):
        self.sent.append(message)
        self.told.set()

    async def run(self):
        await self.app(self.scope, self.receive, self.send)

    async def hears(self, words):
        """Waits, as long as it takes, until it was told so."""
        while f"data: {words}\n\n".encode() not in [m.get("body") for m in self.sent]:
            self.told.clear()
            await asyncio.wait_for(self.told.wait(), 60)


class Telling(TransactionTestCase):
    async def opened(self, wire, pages):
        """Pages that listen, once the database knows of it."""
        running = [asyncio.create_task(p.run()) for p in pages]
        async with await psycopg.AsyncConnection.connect(address(), autocommit=True) as line:
            while not any("ready" in m.get("body", b"").decode() for p in pages[:1] for m in p.sent):
                await line.execute("SELECT pg_notify(%s, 'ready 1')", [CHANNEL])
                await asyncio.sleep(0.02)
        return running

    @async_to_sync
    async def test_two_pages_of_two_processes_hear_the_same(self):
        wires = [Wire(address(), CHANNEL) for _ in range(2)]
        pages = [Page(w) for w in wires]
        running = [*await self.opened(wires[0], pages[:1]), *await self.opened(wires[1], pages[1:])]
        async with await psycopg.AsyncConnection.connect(address(), autocommit=True) as line:
            await line.execute("SELECT pg_notify(%s, 'case 12')", [CHANNEL])
        for page in pages:
            await page.hears("case 12")
            page.leaves.set()
        await asyncio.gather(*running)
        self.assertEqual([w.pages for w in wires], [set(), set()])
        self.assertEqual([w._listening for w in wires], [None, None])

    @async_to_sync
    async def test_a_line_that_is_said_to_be_open_hears_already(self):
        for _ in range(5):
            page = Page(Wire(address(), CHANNEL))
            running = asyncio.create_task(page.run())
            while not page.sent:
                await asyncio.sleep(0)
            async with await psycopg.AsyncConnection.connect(address(), autocommit=True) as line:
                await line.execute("SELECT pg_notify(%s, 'case 12')", [CHANNEL])
            await page.hears("case 12")
            page.leaves.set()
            await running

    @async_to_sync
    async def test_a_broken_line_is_tried_again_and_what_was_missed_is_said(self):
        wire = Wire(address(), CHANNEL)
        page = Page(wire)
        running = await self.opened(wire, [page])
        self.addCleanup(setattr, events, "AGAIN_S", events.AGAIN_S)
        events.AGAIN_S = 0.01
        async with await psycopg.AsyncConnection.connect(address(), autocommit=True) as line:
            await line.execute(
                "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE query LIKE 'LISTEN%' AND datname = current_database()"
            )
        await page.hears("all 0")
        page.leaves.set()
        await asyncio.gather(*running)

    def test_it_is_told_when_it_is_done_and_not_when_it_was_not(self):
        with psycopg.connect(address(), autocommit=True) as line:
            line.execute(f"LISTEN {CHANNEL}")
            with self.assertRaises(ValueError), transaction.atomic():
                tell("case", 1)
                raise ValueError
            with transaction.atomic():
                tell("case", 2)
                tell("case", 2)
                self.assertEqual(list(line.notifies(timeout=0)), [])
            self.assertEqual([n.payload for n in line.notifies(timeout=60, stop_after=1)], ["case 2"])
            self.assertEqual(list(line.notifies(timeout=0)), [])


class Doorkeeping(TransactionTestCase):
    @async_to_sync
    async def test_who_is_not_signed_in_is_told_nothing(self):
        wire = Wire(address(), CHANNEL)
        for page, status in (
            (Page(wire, is_signed_in, cookie=b"sessionid=made-up"), 401),
            (Page(wire, is_signed_in, cookie=b""), 401),
            (Page(wire, method="POST"), 405),
        ):
            await page.run()
            self.assertEqual((page.sent[0]["status"], json.loads(page.sent[1]["body"])["status"]), (status, status))
        self.assertEqual(wire.pages, set())

    @async_to_sync
    async def test_no_more_pages_than_it_can_tell(self):
        wire = Wire(address(), CHANNEL)
        wire.pages = {object() for _ in range(events.MOST_PAGES)}
        page = Page(wire)
        await page.run()
        self.assertEqual(page.sent[0]["status"], 503)

    @async_to_sync
    async def test_who_does_not_take_what_is_told_asks_for_everything_later(self):
        wire = Wire(address(), CHANNEL)
        queue = asyncio.Queue(3)
        wire.pages.add(queue)
        for i in range(4):
            wire._pass(f"case {i}")
        self.assertEqual([queue.get_nowait() for _ in range(queue.qsize())], ["all 0"])


class Acts(ApiCase):
    def told(self, act):
        with CaptureQueriesContext(
            connection,
        ) as asked:
            act()
        return {q["sql"].split("'")[3] for q in asked if "pg_notify" in q["sql"]}

    def test_what_is_done_to_a_case_or_a_machine_is_told(self):
        case = self.report()
        machine = f"printer {self.crossed.pk}"
        self.assertEqual(
            self.told(lambda: self.good("technician", "POST", f"/cases/{case}/take")), {f"case {case}", machine}
        )
        self.assertEqual(self.told(lambda: self.stand_in("a")), {machine})
        path = f"/printers/{self.crossed.pk}/tag-out"
        self.assertEqual(
            self.told(lambda: self.good("technician", "POST", path, {"reason": "Fan cable bare"})), {machine}
        )

    def test_looking_tells_nothing(self):
        case = self.report()
        self.assertEqual(self.told(lambda: self.good("technician", "GET", f"/cases/{case}")), set())

    def test_the_door_knows_who_is_signed_in(self):
        cookie = self.clients["member"].cookies["sessionid"].value
        from kestov.known import _of_cookies

        with self.settings(), unclosed():
            self.assertTrue(_of_cookies(f"a=b; sessionid={cookie}"))
            self.assertFalse(_of_cookies("sessionid=made-up"))
            self.assertFalse(_of_cookies(""))
            self.people["member"].is_active = False
            self.people["member"].save()
            self.assertFalse(_of_cookies(f"sessionid={cookie}"))


def unclosed():
    """The test's own connection stays open."""
    from unittest import mock

    return mock.patch("kestov.known.connection")
