"""Asking for long work, doing it in a worker, stopping it, and doing it again.

A worker may end at any moment: what it was at is taken up by another, or, where that must not be, said to have been broken off.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

from django.db import connection, transaction
from django.db.models import F
from kestov_core.errors import BadInput
from people.clock import now
from people.models import User
from people.refusals import Refused
from people.telling import tell
from procrastinate.contrib.django.models import ProcrastinateWorker

from . import kinds
from .models import State, Work

logger = logging.getLogger("kestov.work")

#: How often at most its progress is written (s), and how often one that always ends its worker is begun.
_WRITE_S, MOST_TRIES = 1.0, 4
#: Work that is over is kept so long for the list.
KEPT = timedelta(days=60)
KEPT_QUIET = timedelta(days=2)


class Stopped(Exception):
    """Somebody asked for its end."""


class Ending(Exception):
    """The worker is about to end; another takes it up."""


class Progress:
    """What a piece of work says of how far it is, and hears of whether to go on."""

    def __init__(self, work: Work, ending: Callable[[], bool] = lambda: False) -> None:
        self.work, self._ending, self._written = work, ending, 0.0

    def at(self, done: int, total: int) -> None:
        """So much is done; ends here (`Stopped`, `Ending`) where it is to stop. Called outside any transaction."""
        if self._ending():
            raise Ending
        moment = time.monotonic()
        if moment - self._written < _WRITE_S and done < total:
            return
        self._written = moment
        if Work.objects.filter(pk=self.work.pk, stop=True).exists():
            raise Stopped
        Work.objects.filter(pk=self.work.pk).update(done=done, total=total)
        tell("work", self.work.pk)


def ask(kind: str, words: str, user: User | None, told: dict[str, Any]) -> Work:
    """Ask for a piece of work, in the transaction that wants it: a worker hears of it when that is done."""
    work = Work.objects.create(kind=kind, words=words[:200], told=told, by=user, at=now())
    _send(work)
    return work


def ask_once(kind: str, words: str, user: User | None, told: dict[str, Any]) -> Work:
    """As `ask`, but what waits or is under way already with the same is not asked for twice."""
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_xact_lock(hashtext(%s))", [f"work {kind}"])
        going = Work.objects.filter(kind=kind, told=told, state__in=(State.WAITING, State.RUNNING)).first()
        return going or ask(kind, words, user, told)


def ask_lightly(kind: str, words: str, told: dict[str, Any]) -> None:
    """As `ask_once`, from within whatever holds rows already: nobody is waited for, and at worst it is asked for twice."""
    if not Work.objects.filter(kind=kind, told=told, state=State.WAITING).exists():
        ask(kind, words, None, told)


def _send(work: Work) -> None:
    from .tasks import do

    kind = kinds.get(work.kind)
    do.configure(lock=kind.lock(work.told), queue=kind.queue).defer(work=work.pk)
    tell("work", work.pk)


def held(work_id: int) -> Work:
    """A piece of work, held against others; refused where there is none."""
    work = Work.objects.select_for_update().filter(pk=work_id).first()
    if work is None:
        raise Refused(404, "not_found", "There is no such work; it may be long over.")
    return work


def stop(work_id: int) -> Work:
    """Ask a piece of work to end. What waits ends at once; what is under way, at its next step."""
    work = held(work_id)
    if work.is_over:
        raise Refused(409, "over", "This is over already.")
    work.stop = True
    if work.state == State.WAITING:
        work.state, work.ended_at = State.STOPPED, now()
    work.save()
    tell("work", work.pk)
    return work


def again(work_id: int) -> Work:
    """Begin anew what failed or was stopped; it goes on where it was, if its kind can."""
    work = held(work_id)
    if work.state not in (State.FAILED, State.STOPPED):
        raise Refused(409, "not_over", "Only what failed or was stopped can be done again.")
    work.state, work.stop, work.tries, work.said = State.WAITING, False, 0, ""
    work.at, work.began_at, work.ended_at = now(), None, None
    work.save()
    _send(work)
    return work


def run(work_id: int, ending: Callable[[], bool] = lambda: False) -> None:
    """Do a piece of work, in a worker. Never raises: how it ended stands in its row."""
    work = _begin(work_id)
    if work is None:
        return
    try:
        said, found = kinds.get(work.kind).run(Progress(work, ending), work.told)
        _end(work, State.DONE, said, found)
    except Stopped:
        _end(work, State.STOPPED, _STOPPED)
    except Ending:
        with transaction.atomic():
            Work.objects.filter(pk=work.pk).update(state=State.WAITING)
            if kinds.get(work.kind).again:
                _send(work)
            else:
                _end(work, State.FAILED, _BROKEN)
    except Refused as e:
        _end(work, State.FAILED, e.detail)
    except BadInput as e:
        _end(work, State.FAILED, e.message)
    except Exception as e:
        logger.error("Work %s (%s) failed", work.pk, work.kind, exc_info=e)
        _end(work, State.FAILED, f"It was not managed. What happened stands in the worker's log, as work {work.pk}.")


_BROKEN, _STOPPED = "The worker ended in the middle of it.", "Stopped before its end."


def _begin(work_id: int) -> Work | None:
    """Take a piece of work in hand; None where it is not to be done any more."""
    with transaction.atomic():
        work = Work.objects.select_for_update().filter(pk=work_id).first()
        if work is None or work.is_over:
            return None
        moment = now()
        if work.stop:
            _end(work, State.STOPPED, _STOPPED)
            return None
        why_not = _why_not(work, moment)
        if why_not:
            _end(work, State.FAILED, why_not)
            return None
        work.state, work.tries = State.RUNNING, work.tries + 1
        work.began_at = work.began_at or moment
        work.save()
        tell("work", work.pk)
        return work


def _why_not(work: Work, moment: datetime) -> str:
    """Why a piece of work must not be begun now, in words; empty where it may."""
    kind = kinds.get(work.kind)
    if work.state == State.RUNNING and not kind.again:
        return _BROKEN
    if work.tries >= MOST_TRIES:
        return f"Begun {work.tries} times, it ended its worker each time."
    if kind.within is not None and work.tries == 0 and moment - work.at > kind.within:
        return "No worker was free in time. Do it again when you stand at the machine."
    return ""


def _end(work: Work, state: str, said: str, found: dict[str, Any] | None = None) -> None:
    more = {} if found is None else {"found": found, "done": F("total")}
    Work.objects.filter(pk=work.pk).update(state=state, said=said[:400], ended_at=now(), **more)
    tell("work", work.pk)


#: A worker that has given no sign for so long is gone.
GONE = timedelta(seconds=20)


def workers(moment: datetime) -> int:
    """How many workers give signs of life."""
    return ProcrastinateWorker.objects.filter(last_heartbeat__gte=moment - GONE).count()


@kinds.sweeping
def forget() -> int:
    """Remove what has long been over."""
    over = Work.objects.exclude(state__in=(State.WAITING, State.RUNNING))
    gone, _ = over.filter(ended_at__lt=now() - KEPT).delete()
    hushed, _ = over.filter(kind__in=kinds.quiet(), state=State.DONE, ended_at__lt=now() - KEPT_QUIET).delete()
    return gone + hushed
