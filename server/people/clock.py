"""The server's clock. One place, so that a past record (the demo's months) is made by the same rules as today's."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import datetime

from django.db.models import Field, Func
from django.utils import timezone

_moment: ContextVar[datetime | None] = ContextVar("moment", default=None)
_late: ContextVar[bool] = ContextVar("late", default=False)


def now() -> datetime:
    """The present moment, or the one that `at` has set."""
    return _moment.get() or timezone.now()


def arrived() -> datetime:
    """When what is written down reached the workshop: `now`, but for what was entered earlier and came late."""
    return timezone.now() if _late.get() else now()


@contextmanager
def at(moment: datetime, late: bool = False) -> Iterator[None]:
    """Let everything inside happen at ``moment``. ``late``: it was entered then, and reaches the workshop only now."""
    tokens = _moment.set(moment), _late.set(late)
    try:
        yield
    finally:
        _moment.reset(tokens[0])
        _late.reset(tokens[1])


class Seconds(Func):
    """A column's moment as seconds since 1970: a thousand of these are read in the time of a hundred with their zone."""

    template = "EXTRACT(EPOCH FROM %(expressions)s)::float8"
    # A field of floats would make a float of each float once more.
    output_field = Field()
