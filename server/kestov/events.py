"""What has changed, told to open pages at once (server-sent events): "case 12", "printer 3", nothing more.

One line to the database listens for all pages of a process. Nothing is kept: who was not there asks again when it comes back.
Not here: who tells (`people.telling`), and what a page may see of it.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Awaitable, Callable

import psycopg
import psycopg.sql

from .door import Receive, Scope, Send, Turned, tell_why

logger = logging.getLogger("kestov.events")

#: Pages that one process tells; how long one line lives, so that who was put out is not told for ever (s); and how often a line
#: on which nothing is told is kept awake (s).
MOST_PAGES, LIVES_S, AWAKE_S = 300, 600.0, 20.0
#: After a broken line to the database it is tried again (s); a new page waits so long for it to hear (s).
AGAIN_S, READY_S = 2.0, 5.0
#: What a page has not taken yet, at most: then it asks for everything anyway.
_BEHIND = 100


class Wire:
    """The one line that listens, and the pages that hear it."""

    def __init__(self, address: str, channel: str) -> None:
        self.address, self.channel = address, channel
        self.pages: set[asyncio.Queue[str]] = set()
        self._listening: asyncio.Task[None] | None = None
        self._hears = asyncio.Event()

    async def ready(self) -> None:
        """Wait until the line hears, or for as long as a page should not wait longer: it then asks by itself."""
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(self._hears.wait(), READY_S)

    def join(self) -> asyncio.Queue[str]:
        """A page's own row of what is told from now on."""
        queue: asyncio.Queue[str] = asyncio.Queue(_BEHIND)
        self.pages.add(queue)
        if self._listening is None:
            self._listening = asyncio.create_task(self._listen())
        return queue

    def leave(self, queue: asyncio.Queue[str]) -> None:
        """The page is gone; with the last one the line is let go."""
        self.pages.discard(queue)
        if not self.pages and self._listening is not None:
            self._listening.cancel()
            self._listening = None
            self._hears.clear()

    async def _listen(self) -> None:
        broke = False
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(self.address, autocommit=True) as line:
                    await line.execute(psycopg.sql.SQL("LISTEN {}").format(psycopg.sql.Identifier(self.channel)))
                    self._hears.set()
                    if broke:
                        # What was told meanwhile is not known.
                        self._pass("all 0")
                    async for told in line.notifies():
                        self._pass(told.payload)
            except psycopg.OperationalError as e:
                logger.info("The line that listens broke: %s", e)
            broke = True
            self._hears.clear()
            await asyncio.sleep(AGAIN_S)

    def _pass(self, what: str) -> None:
        for queue in self.pages:
            if queue.full():
                while not queue.empty():
                    queue.get_nowait()
                what_now = "all 0"
            else:
                what_now = what
            queue.put_nowait(what_now)


class Events:
    """The application at `/api/events`. ``known``: as the door has it."""

    def __init__(self, wire: Wire, known: Callable[[str], Awaitable[bool]]) -> None:
        self.wire, self.known = wire, known

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        cookies = next((v.decode("latin-1") for k, v in scope["headers"] if k.lower() == b"cookie"), "")
        if scope["method"] != "GET":
            await tell_why(send, Turned(405, "method", "Events are only read."))
        elif not await self.known(cookies):
            await tell_why(
                send, Turned(401, "signed_out", "You are signed out. Sign in again; what you entered is kept.")
            )
        elif len(self.wire.pages) >= MOST_PAGES:
            await tell_why(send, Turned(503, "busy", "Too many pages listen already.", 60))
        else:
            await self._stream(receive, send)

    async def _stream(self, receive: Receive, send: Send) -> None:
        headers = [
            (b"content-type", b"text/event-stream"),
            (b"cache-control", b"no-store"),
            (b"x-accel-buffering", b"no"),
        ]
        queue = self.wire.join()
        tasks: list[asyncio.Task[None]] = []
        try:
            # A page that is told that its line is open trusts it: what is told from then on must be heard.
            await self.wire.ready()
            await send({"type": "http.response.start", "status": 200, "headers": headers})
            tasks = [asyncio.create_task(_until_gone(receive)), asyncio.create_task(_tell(queue, send))]
            async with asyncio.timeout(LIVES_S):
                await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)
        except TimeoutError:
            await send({"type": "http.response.body", "body": b"", "more_body": False})
        finally:
            self.wire.leave(queue)
            for task in tasks:
                task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await asyncio.gather(*tasks, return_exceptions=True)


async def _until_gone(receive: Receive) -> None:
    while (await receive())["type"] != "http.disconnect":
        pass


async def _tell(queue: asyncio.Queue[str], send: Send) -> None:
    while True:
        try:
            async with asyncio.timeout(AWAKE_S):
                line = f"data: {await queue.get()}\n\n"
        except TimeoutError:
            line = ":\n\n"
        await send({"type": "http.response.body", "body": line.encode(), "more_body": True})
