"""The application in threads of its own, behind the door: a request goes in whole, and its answer comes out whole.

So a thread is held by work alone, never by who sends or reads slowly; and what was begun is done to its end, whoever went away.
"""

from __future__ import annotations

import asyncio
import sys
import tempfile
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import IO, Any
from urllib.parse import unquote_to_bytes

from people import asked

from .door import Scope, Send

Environ = dict[str, Any]
StartResponse = Callable[..., Any]

#: Until an answer is larger than this (bytes) it is kept in memory; and how much of it is sent at a time.
_IN_MEMORY, _PIECE = 1 << 20, 1 << 16


@dataclass
class _Answer:
    status: int = 500
    headers: list[tuple[bytes, bytes]] = field(default_factory=list)


class Bridge:
    """Runs a WSGI application for requests whose body has come already. ``threads``: as many as the door lets in at once."""

    def __init__(self, app: Callable[[Environ, StartResponse], Iterable[bytes]], threads: int) -> None:
        self.app = app
        self.pool = ThreadPoolExecutor(threads, thread_name_prefix="work")

    async def __call__(self, scope: Scope, body: IO[bytes], send: Send) -> None:
        loop = asyncio.get_running_loop()
        with tempfile.SpooledTemporaryFile(max_size=_IN_MEMORY) as out:
            answer = await loop.run_in_executor(self.pool, self._work, _environ(scope, body), out)
            await send({"type": "http.response.start", "status": answer.status, "headers": answer.headers})
            out.seek(0)
            more = True
            while more:
                piece = out.read(_PIECE)
                more = len(piece) == _PIECE
                await send({"type": "http.response.body", "body": piece, "more_body": more})

    def _work(self, environ: Environ, out: IO[bytes]) -> _Answer:
        asked.begin(environ["kestov.id"])
        answer = _Answer()

        def start(status: str, headers: list[tuple[str, str]], exc_info: object = None) -> Callable[[bytes], object]:
            answer.status = int(status.split(" ", 1)[0])
            answer.headers = [(k.lower().encode("latin-1"), v.strip().encode("latin-1")) for k, v in headers]
            return out.write

        pieces = self.app(environ, start)
        try:
            for piece in pieces:
                out.write(piece)
        finally:
            if hasattr(pieces, "close"):
                pieces.close()
        return answer


def _environ(scope: Scope, body: IO[bytes]) -> Environ:
    """The request as WSGI has it (PEP 3333): bytes as latin-1 text."""
    path = unquote_to_bytes(scope["raw_path"]) if scope.get("raw_path") else scope["path"].encode()
    server, client = scope.get("server") or ("localhost", 80), scope.get("client") or ("", 0)
    environ: Environ = {
        "REQUEST_METHOD": scope["method"],
        "SCRIPT_NAME": "",
        "PATH_INFO": path.decode("latin-1"),
        "QUERY_STRING": scope["query_string"].decode("latin-1"),
        "SERVER_PROTOCOL": f"HTTP/{scope['http_version']}",
        "SERVER_NAME": server[0],
        "SERVER_PORT": str(server[1] or 0),
        "REMOTE_ADDR": client[0],
        "wsgi.version": (1, 0),
        "wsgi.url_scheme": scope.get("scheme", "http"),
        "wsgi.input": body,
        "wsgi.errors": sys.stderr,
        "wsgi.multithread": True,
        "wsgi.multiprocess": True,
        "wsgi.run_once": False,
        "kestov.id": scope.get("kestov.id", ""),
    }
    for name, value in scope["headers"]:
        key = name.decode("latin-1").upper().replace("-", "_")
        if key not in ("CONTENT_TYPE", "CONTENT_LENGTH"):
            key = f"HTTP_{key}"
        text = value.decode("latin-1")
        # A header that comes twice is one with both (RFC 9110); cookies are joined by semicolons.
        environ[key] = f"{environ[key]}{'; ' if key == 'HTTP_COOKIE' else ','}{text}" if key in environ else text
    # The body has come whole, however it was sent.
    size = body.seek(0, 2)
    body.seek(0)
    environ["CONTENT_LENGTH"] = str(size)
    return environ
