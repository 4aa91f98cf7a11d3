"""The server's clock. One place, so that a past record (the demo's months) is made by the same rules as today's."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import datetime

from django.utils import timezone

_moment: ContextVar[datetime | None] = ContextVar("moment", default=None)


def now() -> datetime:
    """The present moment, or the one that `at` has set."""
    return _moment.get() or timezone.now()


@contextmanager
def at(moment: datetime) -> Iterator[None]:
    """Let everything inside happen at ``moment``."""
    token = _moment.set(moment)
    try:
        yield
    finally:
        _moment.reset(token)
