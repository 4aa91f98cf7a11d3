"""Long work: what is asked for, how far it is, stopping it and doing it again, and what a new core would change."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal, cast

from django.db.models import Q
from django.shortcuts import get_object_or_404
from keeping.by_worker import ask_backup
from kestov_core import knowledge, procedures
from measuring import recomputing
from ninja import Router
from people.clock import now
from people.models import audit, name_of
from pydantic import Field
from work import doing, kinds
from work.models import State, Work
from workshop.models import Printer

from .once import once
from .permissions import may, own_or_lead
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["work"])

_State = Literal["waiting", "running", "done", "stopped", "failed"]
#: So much is listed.
_LISTED = 30


class WorkOut(Shape):
    """A piece of long work. ``done`` of ``total`` (0: not known); ``said``: how it ended, in words; ``capture``: what was recorded.

    ``decide``: what a new core would change waits to be accepted or left.
    """

    id: int
    kind: str
    words: str
    state: _State
    done: int
    total: int
    said: str
    by: str
    at: datetime
    began_at: datetime | None
    ended_at: datetime | None
    stopping: bool
    decide: bool
    capture: str | None


class Measured(Shape):
    """A procedure by its name, and as people call it."""

    name: str
    words: str


class WorkList(Shape):
    """Newest first. ``workers``: how many give signs of life; where there is none, all of it waits. ``measured``: what can be
    computed again."""

    works: list[WorkOut]
    workers: int
    measured: list[Measured]


class RecomputeIn(Shape):
    """Which captures: of a machine, of a procedure, or all; ``every``: also those that today's core has computed."""

    printer_id: int | None = None
    procedure: str = Field("", max_length=40)
    every: bool = False


class Change(Shape):
    """A capture whose verdict would change."""

    capture_id: str
    printer: str
    printer_id: int
    place: str
    procedure: str
    at: datetime
    was: str
    will_be: str


class Changes(Shape):
    """What a new core would change; the list may be shorter than the count."""

    changed: int
    refused: int
    captures: int
    listed: list[Change]


def work_out(w: Work) -> WorkOut:
    """A piece of work as it is told."""
    return WorkOut(
        id=w.pk,
        kind=w.kind,
        words=w.words,
        state=cast(_State, w.state),
        done=w.done,
        total=w.total,
        said=w.said,
        by=name_of(w.by) if w.by_id else "by the clock",
        at=w.at,
        began_at=w.began_at,
        ended_at=w.ended_at,
        stopping=w.stop and not w.is_over,
        decide=w.kind == "recompute" and w.state == State.DONE and not w.found.get("decided"),
        capture=w.found.get("capture"),
    )


@router.get("/works", auth=may("work.list"), response=WorkList, operation_id="work.list")
def list_work(request: SignedIn):
    """Long work, newest first: what is under way, what waits, and how the last of it ended."""
    rows = Work.objects.select_related("by").exclude(~Q(state=State.FAILED), kind__in=kinds.quiet())
    measured = [Measured(name=name, words=procedures.get(name).title) for name in knowledge.cards()]
    return WorkList(works=[work_out(w) for w in rows[:_LISTED]], workers=doing.workers(now()), measured=measured)


@router.post("/works/recompute", auth=may("work.ask"), response=WorkOut, operation_id="work.recompute")
@once
def ask_recompute(request: SignedIn, payload: RecomputeIn):
    """Compute captures again by today's core, beside what stands."""
    p = payload
    printer = get_object_or_404(Printer, pk=p.printer_id) if p.printer_id is not None else None
    return work_out(recomputing.ask_recompute(request.user, printer, p.procedure, p.every))


@router.post("/works/backup", auth=may("work.ask"), response=WorkOut, operation_id="work.backup")
@once
def backup(request: SignedIn):
    """Write a backup of everything, by a worker that has a folder for it."""
    return work_out(ask_backup(request.user))


@router.post("/works/standings", auth=may("work.ask"), response=WorkOut, operation_id="work.standings")
@once
def standings(request: SignedIn):
    """Make where each place of each machine stands anew, from the captures."""
    work = doing.ask_once("standings", "Make all standings anew", request.user, {})
    audit(request.user, "asked", work, f"{request.user.name} had all standings made anew.")
    return work_out(work)


@router.get("/works/{work_id}", auth=may("work.see"), response=WorkOut, operation_id="work.see")
def see_work(request: SignedIn, work_id: int):
    """One piece of work."""
    work = get_object_or_404(Work.objects.select_related("by"), pk=work_id)
    own_or_lead(request.user, work)
    return work_out(work)


@router.post("/works/{work_id}/stop", auth=may("work.see"), response=WorkOut, operation_id="work.stop")
@once
def stop(request: SignedIn, work_id: int):
    """Stop a piece of work; what it has done so far stays."""
    own_or_lead(request.user, doing.held(work_id))
    return work_out(doing.stop(work_id))


@router.post("/works/{work_id}/again", auth=may("work.ask"), response=WorkOut, operation_id="work.again")
@once
def again(request: SignedIn, work_id: int):
    """Do again what failed or was stopped; it goes on where it was."""
    return work_out(doing.again(work_id))


@router.get("/works/{work_id}/changes", auth=may("work.ask"), response=Changes, operation_id="work.changes")
def changes(request: SignedIn, work_id: int):
    """What accepting a recomputation would change."""
    work = get_object_or_404(Work, pk=work_id, kind="recompute")
    found: dict[str, Any] = {"changed": 0, "refused": 0, "captures": 0, **work.found}
    return Changes(
        **{k: found[k] for k in ("changed", "refused", "captures")},
        listed=[
            Change(
                capture_id=str(r.capture_id),
                printer=r.capture.printer.name,
                printer_id=r.capture.printer_id,
                place=r.capture.place,
                procedure=r.capture.procedure,
                at=r.capture.taken_at,
                was=r.was,
                will_be=r.verdict,
            )
            for r in recomputing.listed(work)
        ],
    )


@router.post("/works/{work_id}/accept", auth=may("work.ask"), response=WorkOut, operation_id="work.accept")
@once
def accept(request: SignedIn, work_id: int):
    """Let stand what was computed again."""
    return work_out(recomputing.accept(doing.held(work_id), request.user))


@router.post("/works/{work_id}/leave", auth=may("work.ask"), response=WorkOut, operation_id="work.leave")
@once
def leave(request: SignedIn, work_id: int):
    """Leave all results as they stand; what was computed again is thrown away."""
    work = doing.held(work_id)
    recomputing.leave(work, request.user)
    return work_out(work)
