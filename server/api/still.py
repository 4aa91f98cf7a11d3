"""Answers that hold while the database stands still: many look at the same page, and all ask again when something was told.

The database's snapshot tells exactly what is committed in it: as long as it is the same, so is the answer to the same question.
So nobody has to say what changes which page, and it does not matter which process answered before. Hours pass all the same: an
answer holds for a minute at most. Whoever asks while it is worked out waits, instead of working it out beside; then one who
waited works it out for all who did.
"""

from __future__ import annotations

import inspect
import math
import time
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from functools import lru_cache, partial, wraps
from threading import Lock
from typing import Any

from django.db import connection
from django.http import HttpResponse
from people.clock import now
from pydantic_core import to_json

from .permissions import may_work
from .signed import SignedIn

#: So many answers are kept in a process; the largest, the floor of 200 machines, has 100 kB.
_ANSWERS = 200


@dataclass
class _Kept:
    """The newest answer to a question: what it rests on, and when that was read."""

    lock: Lock = field(default_factory=Lock)
    as_of: Hashable = None
    read: float = -math.inf
    body: bytes = b""


@lru_cache(maxsize=_ANSWERS)
def _kept(question: str, who: Hashable) -> _Kept:
    return _Kept()


def still(view: Callable[..., Any], own: bool = False) -> Callable[..., Any]:
    """Answer from what was answered before, where nothing has changed since. For a view that gives shapes, and rests on nothing of
    who asks but the role; ``own``: below a technician, on who it is.
    """

    @wraps(view)
    def guarded(request: SignedIn, *args: Any, **kwargs: Any) -> Any:
        if connection.in_atomic_block:
            # What is not committed yet is in no snapshot.
            return view(request, *args, **kwargs)
        user = request.user
        kept = _kept(request.get_full_path(), user.pk if own and not may_work(user) else user.role)
        came = time.monotonic()
        with kept.lock:
            # What was read after this one came has all that it could have seen.
            if kept.read <= came:
                read, as_of = time.monotonic(), _as_of()
                if kept.as_of != as_of:
                    kept.body = to_json(view(request, *args, **kwargs))
                    kept.as_of = as_of
                kept.read = read
            return HttpResponse(kept.body, content_type="application/json")

    # The framework reads the types from the signature: resolve them where the view was written, not here.
    guarded.__signature__ = inspect.signature(view, eval_str=True)  # type: ignore[attr-defined]
    return guarded


still_own = partial(still, own=True)


def _as_of() -> Hashable:
    """What is committed, and the minute. Read before anything else: what comes in between makes an answer newer, never older."""
    with connection.cursor() as db:
        db.execute("select pg_current_snapshot()::text")
        return db.fetchone(), now().replace(second=0, microsecond=0)
