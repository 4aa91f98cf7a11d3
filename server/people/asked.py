"""Which request is being worked on: an id that stands in the answer and in the log, so that one can be found by the other."""

from __future__ import annotations

import secrets
from contextvars import ContextVar

_id: ContextVar[str] = ContextVar("asked", default="")


def new_id() -> str:
    """An id for a request; short enough to be read out."""
    return secrets.token_hex(5)


def begin(id_: str) -> None:
    """From here on, in this thread, it is about that request."""
    _id.set(id_)


def current() -> str:
    """The id of what is worked on; a new one where nobody has begun (a command, a test)."""
    return _id.get() or new_id()
