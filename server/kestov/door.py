"""The door: what comes in over the network, with limits of size, time and number, before anybody works on it.

A request's body is read whole before a thread is taken: who sends slowly, or stops in the middle, holds nobody up. Answers go
out the same way. So many requests are worked on at once in a process; the others wait their turn, and are told to come again
where that takes long. Not here: what a request may do (`api.permissions`), and what the pages are.
"""

from __future__ import annotations

import asyncio
import json
import logging
import tempfile
import time
from collections import Counter
from collections.abc import Awaitable, Callable, Collection, MutableMapping
from dataclasses import dataclass, field
from typing import IO, Any

from people import asked

logger = logging.getLogger("kestov.request")

Scope = MutableMapping[str, Any]
Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
App = Callable[[Scope, Receive, Send], Awaitable[None]]
#: What is behind the door: scope, the body as a file to be read from its start, and where the answer goes.
Inner = Callable[[Scope, IO[bytes], Send], Awaitable[None]]


@dataclass(frozen=True)
class Allowed:
    """How much a body may hold (bytes), and how long it may take to come (s)."""

    most: int
    seconds: float


@dataclass(frozen=True)
class Limits:
    """What the door lets in. ``tight``: from whoever is not signed in; ``written``: figures and words; ``file``: recordings,
    tables, pictures. ``silent_s``: nothing came for so long. ``at_work``: requests worked on at once; ``slow``: by the end of
    their path, those that want much memory, and how many of these beside the others; ``waiting``
    for their turn, at most, for ``turn_s``; ``from_one``: unfinished ones of one address.
    """

    tight: Allowed = Allowed(10_000, 20.0)
    written: Allowed = Allowed(1_000_000, 60.0)
    file: Allowed = Allowed(66_000_000, 900.0)
    silent_s: float = 20.0
    at_work: int = 8
    slow: dict[str, int] = field(default_factory=lambda: {"/pictures": 1, "/walls": 1})
    waiting: int = 200
    turn_s: float = 20.0
    from_one: int = 64


#: Until it is larger than this (bytes) a body is kept in memory.
_IN_MEMORY = 1 << 20


#: What proxies say of who is behind them.
_FORWARDED = (b"x-forwarded-for", b"x-forwarded-proto", b"x-forwarded-host", b"x-real-ip", b"forwarded")


class Closed(Exception):
    """Who asked is gone."""


class Turned(Exception):
    """A request that the door does not let in: status, code, words."""

    def __init__(self, status: int, code: str, words: str, again_s: int | None = None) -> None:
        super().__init__(words)
        self.status, self.code, self.words, self.again_s = status, code, words, again_s


_TITLES = {401: "Signed out", 405: "Not so", 408: "Too slow", 413: "Too large", 429: "Too many tries", 503: "Away"}


class Door:
    """An ASGI application before one that takes a request with its whole body. ``known``: whether a cookie header belongs to
    somebody who is signed in (runs in a thread); ``aside``: applications of single paths that need no turn, such as one that waits for events;
    ``proxies``: whose word on the real address and on TLS is believed.
    """

    def __init__(
        self,
        inner: Inner,
        known: Callable[[str], Awaitable[bool]],
        session_cookie: str,
        limits: Limits | None = None,
        aside: dict[str, App] | None = None,
        proxies: Collection[str] = (),
    ) -> None:
        self.inner, self.known, self.session_cookie = inner, known, session_cookie
        self.limits, self.aside, self.proxies = limits or Limits(), aside or {}, proxies
        self._usual = _Places(self.limits.at_work, self.limits)
        self._slow = {end: _Places(places, self.limits) for end, places in self.limits.slow.items()}
        self._of: Counter[str] = Counter()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "lifespan":
            await _live(receive, send)
        elif scope["type"] == "http":
            await self._request(scope, receive, send)
        else:
            await send({"type": "websocket.close", "code": 1000})

    async def _request(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["path"] in self.aside:
            await self.aside[scope["path"]](scope, receive, send)
            return
        scope = {**self._as_it_is(scope), "kestov.id": asked.new_id()}
        send, begun = _noted(scope, send), time.monotonic()
        address = (scope.get("client") or ("",))[0]
        self._of[address] += 1
        try:
            if self._of[address] > self.limits.from_one:
                raise Turned(429, "too_many", "Too many requests of this device are still under way.", 2)
            body = await self._body(scope, receive)
            with body:
                async with self._places(scope):
                    await self.inner(scope, body, send)
        except Turned as e:
            await tell_why(send, e)
        except Closed:
            pass
        finally:
            self._of[address] -= 1
            if not self._of[address]:
                del self._of[address]
            told = {
                "method": scope["method"], "path": scope["path"], "status": scope.get("kestov.status", 0),
                "ms": round(1000 * (time.monotonic() - begun)), "address": address, "id": scope["kestov.id"],
            }  # fmt: skip
            logger.info("%(method)s %(path)s %(status)s in %(ms)s ms", told, extra=told)

    def _as_it_is(self, scope: Scope) -> Scope:
        """The request with the address that it comes from: told by a proxy of ours, else its own; others' word is left out."""
        address = (scope.get("client") or ("",))[0]
        told = [(k, v) for k, v in scope["headers"] if k.lower() in _FORWARDED]
        if not told:
            return scope
        kept = [(k, v) for k, v in scope["headers"] if k.lower() not in _FORWARDED]
        if address not in self.proxies:
            return {**scope, "headers": kept}
        by = dict((k.lower(), v.decode("latin-1")) for k, v in told)
        # The last one was added by our own proxy; what stands before it may be anybody's invention.
        real = by.get(b"x-forwarded-for", address).rpartition(",")[2].strip() or address
        proto = [(k, v) for k, v in told if k.lower() == b"x-forwarded-proto"]
        return {**scope, "headers": [*kept, *proto], "client": (real, 0)}

    async def _body(self, scope: Scope, receive: Receive) -> IO[bytes]:
        """The body whole, as a file to be read from its start."""
        headers = {k.lower(): v for k, v in scope["headers"]}
        allowed = await self._allowed(scope, headers)
        told = headers.get(b"content-length")
        if told is not None and (not told.isdigit() or int(told) > allowed.most):
            raise _too_large(allowed)
        body = tempfile.SpooledTemporaryFile(max_size=_IN_MEMORY)  # noqa: SIM115
        try:
            async with asyncio.timeout(allowed.seconds):
                await self._read(receive, body, allowed)
        except TimeoutError as e:
            body.close()
            raise Turned(408, "too_slow", "The rest did not come. Check the network and send it again.") from e
        except BaseException:
            body.close()
            raise
        body.seek(0)
        return body

    async def _read(self, receive: Receive, body: IO[bytes], allowed: Allowed) -> None:
        size, more = 0, True
        while more:
            async with asyncio.timeout(self.limits.silent_s):
                message = await receive()
            if message["type"] == "http.disconnect":
                raise Closed
            piece = message.get("body", b"")
            size += len(piece)
            if size > allowed.most:
                raise _too_large(allowed)
            body.write(piece)
            more = message.get("more_body", False)

    async def _allowed(self, scope: Scope, headers: dict[bytes, bytes]) -> Allowed:
        cookies = headers.get(b"cookie", b"").decode("latin-1")
        tight = scope["path"] in ("/api/session", "/api/first-account")
        if scope["method"] in ("GET", "HEAD", "OPTIONS") or tight or f"{self.session_cookie}=" not in cookies:
            return self.limits.tight
        kind = headers.get(b"content-type", b"").split(b";")[0].strip().lower()
        if kind not in (b"multipart/form-data", b"application/octet-stream"):
            return self.limits.written
        # A file is read only from somebody who is signed in; the cookie alone could be anyone's.
        return self.limits.file if await self.known(cookies) else self.limits.tight

    def _places(self, scope: Scope) -> _Places:
        end = "/" + scope["path"].rpartition("/")[2]
        return self._slow.get(end, self._usual) if scope["method"] == "POST" else self._usual


class _Places:
    """So many places at which requests are worked on; who finds none waits for a turn, not for ever and not in any number."""

    def __init__(self, places: int, limits: Limits) -> None:
        self.free, self.limits = asyncio.Semaphore(places), limits
        self.waiting = 0

    async def __aenter__(self) -> None:
        if self.waiting >= self.limits.waiting:
            raise _busy()
        self.waiting += 1
        try:
            async with asyncio.timeout(self.limits.turn_s):
                await self.free.acquire()
        except TimeoutError as e:
            raise _busy() from e
        finally:
            self.waiting -= 1

    async def __aexit__(self, *_: object) -> None:
        self.free.release()


def _busy() -> Turned:
    return Turned(503, "busy", "The server has more to do than it can. Try again in a moment.", 5)


def _too_large(allowed: Allowed) -> Turned:
    most = f"{allowed.most / 1e6:.0f} MB" if allowed.most >= 1e6 else f"{allowed.most / 1e3:.0f} kB"
    return Turned(413, "too_large", f"This is larger than the {most} that are taken here.")


def _noted(scope: MutableMapping[str, Any], send: Send) -> Send:
    """As ``send``; the answer carries the request's id, and its status is kept."""

    async def noting(message: Message) -> None:
        if message["type"] == "http.response.start":
            scope["kestov.status"] = message["status"]
            message = {**message, "headers": [*message["headers"], (b"x-request-id", scope["kestov.id"].encode())]}
        await send(message)

    return noting


async def tell_why(send: Send, turned: Turned) -> None:
    """Say why, as problem details. The connection is not used again: the rest of what was sent may still come."""
    body = json.dumps(
        {
            "type": "about:blank",
            "title": _TITLES[turned.status],
            "status": turned.status,
            "code": turned.code,
            "detail": turned.words,
            "field": None,
        }
    ).encode()
    headers = [(b"content-type", b"application/problem+json"), (b"content-length", str(len(body)).encode())]
    if turned.again_s is not None:
        headers.append((b"retry-after", str(turned.again_s).encode()))
    await send({"type": "http.response.start", "status": turned.status, "headers": headers})
    await send({"type": "http.response.body", "body": body})


async def _live(receive: Receive, send: Send) -> None:
    while True:
        message = await receive()
        if message["type"] == "lifespan.startup":
            await send({"type": "lifespan.startup.complete"})
        else:
            await send({"type": "lifespan.shutdown.complete"})
            return
