"""What the door lets in, and that nobody who is slow, large or silent holds it up."""

import asyncio
import io
import json
import logging
import sys
import unittest
from dataclasses import replace

from people import asked

from kestov import logs
from kestov.bridge import Bridge
from kestov.door import Allowed, Door, Limits

QUICK = Limits(
    tight=Allowed(100, 5.0), written=Allowed(1000, 5.0), file=Allowed(5000, 5.0), silent_s=5.0, turn_s=5.0,
    at_work=2, slow={"/pictures": 1}, waiting=3, from_one=20,
)  # fmt: skip
SIGNED = [(b"cookie", b"sessionid=good")]


async def known(cookies):
    return cookies == "sessionid=good"


class Asked:
    """One request as a server hands it over: pieces of its body, then silence or the end."""

    def __init__(
        self, method="POST", path="/api/x", pieces=(b"{}",), headers=(), ends=True, gone=False, address="10.0.0.1"
    ):
        self.scope = {
            "type": "http", "method": method, "path": path, "headers": list(headers), "client": (address, 1),
            "query_string": b"a=1", "http_version": "1.1", "raw_path": path.encode(), "server": ("127.0.0.1", 8700),
        }  # fmt: skip
        self.pieces, self.ends, self.gone = list(pieces), ends, gone
        self.sent = []
        self.silence = asyncio.Event()

    async def receive(self):
        if self.pieces:
            piece = self.pieces.pop(0)
            return {"type": "http.request", "body": piece, "more_body": bool(self.pieces) or not self.ends or self.gone}
        if self.gone:
            return {"type": "http.disconnect"}
        await self.silence.wait()
        return {"type": "http.request", "body": b"", "more_body": False}

    async def send(self, message):
        self.sent.append(message)

    @property
    def status(self):
        return self.sent[0]["status"] if self.sent else None

    @property
    def answer(self):
        return json.loads(b"".join(m.get("body", b"") for m in self.sent[1:]))

    @property
    def headers(self):
        return dict(self.sent[0]["headers"])


class DoorCase(unittest.IsolatedAsyncioTestCase):
    def door(self, inner=None, aside=None, **limits):
        self.inside = []

        async def plain(scope, body, send):
            self.inside.append(body.read())
            await send({"type": "http.response.start", "status": 200, "headers": []})
            await send({"type": "http.response.body", "body": b"[]"})

        return Door(inner or plain, known, "sessionid", replace(QUICK, **limits), aside)

    async def ask(self, door, **request):
        asked = Asked(**request)
        await door(asked.scope, asked.receive, asked.send)
        return asked


class Size(DoorCase):
    async def test_a_body_goes_in_whole(self):
        asked = await self.ask(self.door(), pieces=(b"ab", b"", b"cd"))
        self.assertEqual((asked.status, self.inside), (200, [b"abcd"]))

    async def test_who_is_not_signed_in_may_send_little(self):
        for headers in ((), [(b"content-length", b"101")]):
            asked = await self.ask(self.door(), pieces=(b"x" * 60, b"x" * 41), headers=headers)
            self.assertEqual((asked.status, asked.answer["code"], self.inside), (413, "too_large", []))
        self.assertEqual((await self.ask(self.door(), pieces=(b"x" * 100,))).status, 200)

    async def test_signing_in_takes_little_from_anybody(self):
        for path in ("/api/session", "/api/first-account"):
            asked = await self.ask(self.door(), path=path, pieces=(b"x" * 101,), headers=SIGNED)
            self.assertEqual(asked.status, 413)

    async def test_words_and_files_have_their_own_size(self):
        form, raw = (
            [*SIGNED, (b"content-type", t)] for t in (b"multipart/form-data; boundary=x", b"application/octet-stream")
        )
        for headers, most in ((SIGNED, 1000), (form, 5000), (raw, 5000)):
            self.assertEqual((await self.ask(self.door(), pieces=(b"x" * most,), headers=headers)).status, 200)
            self.assertEqual((await self.ask(self.door(), pieces=(b"x" * (most + 1),), headers=headers)).status, 413)

    async def test_a_file_is_not_read_on_a_made_up_cookie(self):
        headers = [(b"cookie", b"sessionid=forged"), (b"content-type", b"multipart/form-data; boundary=x")]
        asked = await self.ask(self.door(), pieces=(b"x" * 2000,), headers=headers)
        self.assertEqual((asked.status, self.inside), (413, []))

    async def test_a_length_that_is_none_is_refused_before_anything_is_read(self):
        for told in (b"-1", b"1e9", b"99999999999999999999"):
            asked = await self.ask(self.door(), pieces=(), headers=[*SIGNED, (b"content-length", told)])
            self.assertEqual(asked.status, 413, told)


class Time(DoorCase):
    async def test_a_body_that_stops_in_the_middle_is_given_up(self):
        asked = await self.ask(self.door(silent_s=0.02), pieces=(b"{",), ends=False)
        self.assertEqual((asked.status, asked.answer["code"], self.inside), (408, "too_slow", []))

    async def test_a_body_that_trickles_is_given_up_in_the_end(self):
        trickling = Asked(pieces=(), ends=False)

        async def receive():
            await asyncio.sleep(0.005)
            return {"type": "http.request", "body": b"", "more_body": True}

        await self.door(tight=Allowed(100, 0.1))(trickling.scope, receive, trickling.send)
        self.assertEqual(trickling.status, 408)

    async def test_many_halves_hold_nobody_up(self):
        door = self.door()
        halves = [Asked(pieces=(b"{",), ends=False, address=f"10.0.0.{i}") for i in range(50)]
        held = [asyncio.create_task(door(h.scope, h.receive, h.send)) for h in halves]
        await asyncio.sleep(0)
        self.assertEqual((await self.ask(door, address="10.1.1.1")).status, 200)
        for half in halves:
            half.silence.set()
        await asyncio.gather(*held)
        self.assertEqual({h.status for h in halves}, {200})

    async def test_who_hangs_up_leaves_nothing_behind(self):
        door = self.door()
        asked = await self.ask(door, gone=True)
        self.assertEqual((asked.sent, self.inside, dict(door._of)), ([], [], {}))


class Turns(DoorCase):
    async def busy(self, **limits):
        """A door whose places are all taken; `let` frees them."""
        let, working = asyncio.Event(), []

        async def slow(scope, body, send):
            working.append(scope["path"])
            await let.wait()
            await send({"type": "http.response.start", "status": 200, "headers": []})

        door = self.door(slow, **limits)
        held = [asyncio.create_task(self.ask(door)) for _ in range(QUICK.at_work)]
        while len(working) < QUICK.at_work:
            await asyncio.sleep(0)
        return door, let, working, held

    async def test_no_more_than_so_many_are_worked_on_at_once(self):
        door, let, working, held = await self.busy()
        third = asyncio.create_task(self.ask(door))
        await asyncio.sleep(0.01)
        self.assertEqual(len(working), QUICK.at_work)
        let.set()
        self.assertEqual([a.status for a in await asyncio.gather(*held, third)], [200] * 3)

    async def test_who_waits_too_long_is_told_when_to_come_again(self):
        door, let, _, held = await self.busy(turn_s=0.02)
        asked = await self.ask(door)
        self.assertEqual((asked.status, asked.answer["code"], asked.headers[b"retry-after"]), (503, "busy", b"5"))
        let.set()
        await asyncio.gather(*held)
        self.assertEqual((await self.ask(door)).status, 200)

    async def test_the_row_of_those_who_wait_has_an_end(self):
        door, let, _, held = await self.busy()
        waiting = [asyncio.create_task(self.ask(door)) for _ in range(QUICK.waiting)]
        await asyncio.sleep(0.01)
        self.assertEqual((await self.ask(door)).status, 503)
        let.set()
        await asyncio.gather(*held, *waiting)

    async def test_what_wants_much_takes_no_other_place(self):
        let, working = asyncio.Event(), []

        async def slow(scope, body, send):
            working.append(scope["path"])
            if scope["path"].endswith("/pictures"):
                await let.wait()
            await send({"type": "http.response.start", "status": 200, "headers": []})

        door = self.door(slow)
        held = [asyncio.create_task(self.ask(door, path="/api/cases/1/pictures")) for _ in range(4)]
        await asyncio.sleep(0.01)
        self.assertEqual(len(working), 1)
        self.assertEqual((await self.ask(door, method="GET", pieces=(b"",))).status, 200)
        let.set()
        await asyncio.gather(*held)

    async def test_one_device_cannot_take_all(self):
        door = self.door()
        halves = [Asked(pieces=(b"{",), ends=False) for _ in range(QUICK.from_one)]
        held = [asyncio.create_task(door(h.scope, h.receive, h.send)) for h in halves]
        await asyncio.sleep(0)
        self.assertEqual((await self.ask(door)).status, 429)
        self.assertEqual((await self.ask(door, address="10.9.9.9")).status, 200)
        for half in halves:
            half.silence.set()
        await asyncio.gather(*held)


class Told(DoorCase):
    async def test_every_answer_has_an_id_that_is_in_the_log_with_its_status_and_time(self):
        with self.assertLogs("kestov.request", "INFO") as log:
            good = await self.ask(self.door(), path="/api/x")
            bad = await self.ask(self.door(), pieces=(b"x" * 101,), path="/api/y")
        ids = [a.headers[b"x-request-id"].decode() for a in (good, bad)]
        self.assertEqual(len(set(ids)), 2)
        told = [(r.id, r.method, r.path, r.status, r.address) for r in log.records]
        self.assertEqual(
            told, [(ids[0], "POST", "/api/x", 200, "10.0.0.1"), (ids[1], "POST", "/api/y", 413, "10.0.0.1")]
        )

    async def test_who_stands_behind_a_proxy_of_ours_is_who_it_is_and_nobody_elses_word_counts(self):
        seen = []

        async def look(scope, body, send):
            seen.append((scope["client"][0], [k for k, _ in scope["headers"]]))
            await send({"type": "http.response.start", "status": 200, "headers": []})

        told = [
            (b"x-forwarded-for", b"6.6.6.6, 192.168.1.7"),
            (b"x-forwarded-proto", b"https"),
            (b"forwarded", b"for=1.1.1.1"),
        ]
        door = Door(look, known, "sessionid", QUICK, proxies=["10.0.0.1"])
        await self.ask(door, headers=told)
        await self.ask(door, headers=told, address="10.9.9.9")
        self.assertEqual(seen, [("192.168.1.7", [b"x-forwarded-proto"]), ("10.9.9.9", [])])


class Lines(unittest.TestCase):
    def test_a_line_is_one_and_says_which_request_it_is_about(self):
        record = logging.LogRecord("kestov.failed", logging.ERROR, "", 0, "it %s\nbroke", ("really",), None)
        asked.begin("abc123")
        self.addCleanup(asked.begin, "")
        try:
            raise ValueError("why")
        except ValueError:
            record.exc_info = sys.exc_info()
        line = logs.Lines().format(record)
        self.assertNotIn("\n", line)
        told = json.loads(line)
        self.assertEqual((told["level"], told["words"], told["id"]), ("error", "it really\nbroke", "abc123"))
        self.assertIn("ValueError: why", told["trace"])


class Aside(DoorCase):
    async def test_a_path_of_its_own_needs_no_turn(self):
        async def events(scope, receive, send):
            await send({"type": "http.response.start", "status": 204, "headers": []})

        asked = await self.ask(self.door(aside={"/api/events": events}, at_work=1), path="/api/events", method="GET")
        self.assertEqual(asked.status, 204)

    async def test_a_socket_is_closed_and_the_server_may_come_and_go(self):
        sent, steps = [], [{"type": "lifespan.startup"}, {"type": "lifespan.shutdown"}]

        async def receive():
            return steps.pop(0)

        async def send(message):
            sent.append(message["type"])

        await self.door()({"type": "lifespan"}, receive, send)
        await self.door()({"type": "websocket"}, receive, send)
        self.assertEqual(sent, ["lifespan.startup.complete", "lifespan.shutdown.complete", "websocket.close"])


class Bridged(unittest.IsolatedAsyncioTestCase):
    async def ask(self, app, body=b"", **request):
        asked = Asked(**request)
        await Bridge(app, 1)(asked.scope, io.BytesIO(body), asked.send)
        return asked

    async def test_the_application_sees_the_request_as_it_came(self):
        seen = {}

        def app(environ, start):
            seen.update(environ, body=environ["wsgi.input"].read(int(environ["CONTENT_LENGTH"])))
            start("201 Created", [("X-A", " é")])
            return [b"a", b"b"]

        headers = [(b"cookie", b"a=1"), (b"cookie", b"b=2"), (b"x-forwarded-for", b"1"), (b"x-forwarded-for", b"2"),
                   (b"content-type", b"text/plain"), (b"content-length", b"999")]  # fmt: skip
        asked = await self.ask(app, b"hello", path="/api/b%C3%A9", headers=headers)
        self.assertEqual((seen["body"], seen["PATH_INFO"].encode("latin-1").decode()), (b"hello", "/api/bé"))
        self.assertEqual((seen["HTTP_COOKIE"], seen["HTTP_X_FORWARDED_FOR"]), ("a=1; b=2", "1,2"))
        self.assertEqual(
            (seen["CONTENT_TYPE"], seen["CONTENT_LENGTH"], seen["QUERY_STRING"]), ("text/plain", "5", "a=1")
        )
        self.assertEqual((asked.status, asked.headers), (201, {b"x-a": "é".encode("latin-1")}))
        self.assertEqual(b"".join(m["body"] for m in asked.sent[1:]), b"ab")

    async def test_a_long_answer_comes_whole_and_in_pieces(self):
        long = bytes(range(256)) * 20_000

        def app(environ, start):
            start("200 OK", [])
            return iter([long[:7], long[7:]])

        asked = await self.ask(app)
        self.assertEqual(b"".join(m["body"] for m in asked.sent[1:]), long)
        self.assertEqual([m["more_body"] for m in asked.sent[1:]][-2:], [True, False])

    async def test_the_answer_is_closed_though_it_breaks(self):
        closed = []

        class Pieces:
            def __iter__(self):
                raise RuntimeError("broken")

            def close(self):
                closed.append(True)

        def app(environ, start):
            start("200 OK", [])
            return Pieces()

        with self.assertRaises(RuntimeError):
            await self.ask(app)
        self.assertEqual(closed, [True])
