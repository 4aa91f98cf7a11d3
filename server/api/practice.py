"""Practice: going there from the workshop, lessons, what is done in them, and the account when one has ended."""

from __future__ import annotations

from datetime import datetime
from typing import Literal, cast

from django.conf import settings
from django.contrib.auth import login
from django.http import HttpRequest, HttpResponse
from kestov_core.machine import Kinematics
from kestov_core.practice import lessons
from kestov_core.practice.account import Account
from kestov_core.practice.lessons import Begun
from kestov_core.practice.prints import Print
from kestov_core.practice.senses import Met
from ninja import Field, Router
from people.doorkeeping import remember
from people.models import User, name_of
from practice import doing, doorway, running
from practice.models import Lesson

from .once import once
from .permissions import may, own_or_lead_practises, sees_all_practice
from .session import SessionState, backend, session_state
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["practice"])

How = Literal["", "ended", "given_up", "unsafe"]


class TicketOut(Shape):
    """The way into practice: a ticket that is good for a minute, and where to (a port of this host, or an address)."""

    ticket: str
    beside: str


class TicketIn(Shape):
    ticket: str = Field(max_length=2000)


class PracticeLesson(Shape):
    """A lesson that can be begun. ``done``: how often this person has ended it; ``right``: put right at least once."""

    id: str
    title: str
    step: int
    minutes: float
    kinematics: Kinematics
    machine: str
    why: str
    done: int
    right: bool


class PracticeLine(running.LessonLine):
    """A lesson that has ended, in short, with its number."""

    id: int
    seed: int
    ended_at: datetime


class Practises(Shape):
    id: int
    name: str
    lessons: int


class PracticeAccount(Account):
    """The account of a lesson, with what it teaches."""

    teaches: str


class PracticeRun(Shape):
    """A lesson that was begun: how the machine stands, what it took so far, how the part came out last; once it has ended, the account.

    ``stopped``: it ended by something unsafe.
    """

    id: int
    name: str
    title: str
    why: str
    person: str
    mine: bool
    seed: int
    printer_id: int
    case_id: int
    plugged: bool
    hot: bool
    minutes: float
    cost: float
    closed: bool
    unaided: bool
    looks: Print
    printed: int
    how: How
    ended_at: datetime | None
    told: PracticeAccount | None


class PracticeOut(Shape):
    """What there is to practise, what this person has done, and the lesson that they are in; ``people``: for the lead, who else practises."""

    lessons: list[PracticeLesson]
    machines: dict[Kinematics, str]
    record: list[PracticeLine]
    now: PracticeRun | None
    people: list[Practises]


class PracticeBegin(Shape):
    """A lesson by its id, or a machine drawn by chance: of which kind, with one fault or two. The same ``seed`` is the same machine for
    everybody; without one it is drawn. ``unaided``: without the advice."""

    lesson: str = Field("", max_length=40)
    kinematics: str = Field("", max_length=12)
    seed: int | None = Field(None, ge=1, le=lessons.MOST_SEED)
    two: bool = False
    unaided: bool = False


class PracticeLook(Shape):
    check: str = Field(max_length=40)
    place: str = Field("", max_length=5)


class PracticeAsk(Shape):
    """A finding that a member may tell; ``places``: it is there, and asked is where."""

    finding: str = Field(max_length=40)
    places: list[str] = Field([], max_length=19)


class PracticeMend(Shape):
    fault: str = Field(max_length=40)
    place: str = Field("", max_length=5)


class PracticeStand(Shape):
    turn: Literal["unplug", "plug_in", "cool"]


class MetOut(Shape):
    """What was met at a place, in words. What it is called is for who looked to say."""

    place: str
    words: str


class PracticeDone(Shape):
    """What was met by something that was done, and how the lesson stands after it."""

    met: list[MetOut]
    run: PracticeRun


def _run(row: Lesson, user: User) -> PracticeRun:
    begun, stands, known = Begun.model_validate(row.begun), running.standing(row), lessons.lessons().get(row.name)
    did = running.done(row)
    told = None
    if row.told is not None:
        told = PracticeAccount(**Account.model_validate(row.told).model_dump(), teaches=known.teaches if known else "")
    assert row.printer_id is not None and row.case is not None
    return PracticeRun(
        id=row.pk,
        name=row.name,
        title=begun.title,
        why=known.why if known else "A machine drawn by chance: anything may be wrong with it.",
        person=name_of(row.user),
        mine=row.user_id == user.pk,
        seed=row.seed,
        printer_id=row.printer_id,
        case_id=row.case.pk,
        plugged=stands.plugged,
        hot=stands.hot,
        minutes=sum(d.minutes for d in did),
        cost=sum(d.cost for d in did),
        closed=not row.case.is_open,
        unaided=row.unaided,
        looks=Print.model_validate(row.looks),
        printed=sum(d.kind == "printed" for d in did),
        how=cast(How, row.how),
        ended_at=row.ended_at,
        told=told,
    )


def _after(row: Lesson, user: User, met: list[Met] | None = None) -> PracticeDone:
    rows = [MetOut(place=m.place, words=m.words) for m in met or []]
    return PracticeDone(met=rows, run=_run(running.seen(row.pk), user))


def _record(user: User) -> list[PracticeLine]:
    return [
        PracticeLine(id=row.pk, seed=row.seed, ended_at=row.ended_at, **running.line(row).model_dump())
        for row in running.of(user)[:200]
        if row.ended_at is not None
    ]


@router.post("/practice/ticket", auth=may("practice.go"), response=TicketOut, operation_id="practice.go")
def go(request: SignedIn):
    """A way into practice from the workshop. It says who comes, and nothing else goes with it."""
    return TicketOut(ticket=doorway.ticket(request.user), beside=settings.BESIDE)


@router.post("/practice/enter", auth=may("practice.enter"), response=SessionState, operation_id="practice.enter")
def enter(request: HttpRequest, response: HttpResponse, payload: TicketIn):
    """Come into practice with a ticket of the workshop's."""
    user = doorway.enter(payload.ticket)
    login(request, user, backend=backend)
    remember(request, response, user)
    return session_state(request)


@router.get("/practice", auth=may("practice.see"), response=PracticeOut, operation_id="practice.see")
def practice(request: SignedIn):
    """What there is to practise, one's own record, and the lesson that one is in."""
    running.must_practise()
    record = _record(request.user)
    rows = [
        PracticeLesson(
            **row.model_dump(include={"id", "title", "step", "minutes", "kinematics", "why"}),
            machine=lessons.machines()[row.kinematics].name,
            done=sum(r.lesson == row.id for r in record),
            right=any(r.lesson == row.id and r.right and not r.unsafe for r in record),
        )
        for row in lessons.lessons().values()
    ]
    now = running.going_on(request.user)
    return PracticeOut(
        lessons=rows,
        machines={m.description.kinematics: m.name for m in lessons.machines().values()},
        record=record,
        now=_run(now, request.user) if now is not None else None,
        people=[
            Practises(id=u.pk, name=u.name, lessons=n)
            for u, n in (running.who_practises() if sees_all_practice(request.user) else [])
        ],
    )


@router.get(
    "/practice/people/{user_id}", auth=may("practice.see"), response=list[PracticeLine], operation_id="practice.record"
)
def record(request: SignedIn, user_id: int):
    """Somebody's record: the lead sees everybody's."""
    running.must_practise()
    own_or_lead_practises(request.user, user_id)
    return _record(running.person(user_id))


@router.post("/practice/runs", auth=may("practice.do"), response=PracticeRun, operation_id="practice.begin")
@once
def begin(request: SignedIn, payload: PracticeBegin):
    """Begin a lesson."""
    p = payload
    row = running.begin(request.user, p.lesson, p.kinematics, p.seed, p.two, p.unaided)
    return _run(running.seen(row.pk), request.user)


@router.get("/practice/runs/{run_id}", auth=may("practice.see"), response=PracticeRun, operation_id="practice.run")
def run(request: SignedIn, run_id: int):
    """A lesson, one's own; the lead sees everybody's."""
    row = running.seen(run_id)
    own_or_lead_practises(request.user, row.user_id)
    return _run(row, request.user)


@router.post(
    "/practice/runs/{run_id}/look", auth=may("practice.do"), response=PracticeDone, operation_id="practice.look"
)
@once
def look(request: SignedIn, run_id: int, payload: PracticeLook):
    """Do a check by hand and eye; the answer is what is met, for who looks to judge."""
    row = running.held(run_id, request.user)
    return _after(row, request.user, doing.look(row, payload.check, payload.place))


@router.post("/practice/runs/{run_id}/ask", auth=may("practice.do"), response=PracticeDone, operation_id="practice.ask")
@once
def ask(request: SignedIn, run_id: int, payload: PracticeAsk):
    """Ask whoever complains."""
    row = running.held(run_id, request.user)
    return _after(row, request.user, doing.ask(row, payload.finding, payload.places))


@router.post(
    "/practice/runs/{run_id}/mend", auth=may("practice.do"), response=PracticeDone, operation_id="practice.mend"
)
@once
def mend(request: SignedIn, run_id: int, payload: PracticeMend):
    """Do a repair on the practice machine; whether it helped is seen by looking."""
    row = running.held(run_id, request.user)
    doing.repair(row, payload.fault, payload.place)
    return _after(row, request.user)


@router.post(
    "/practice/runs/{run_id}/print", auth=may("practice.do"), response=PracticeDone, operation_id="practice.print"
)
@once
def print_again(request: SignedIn, run_id: int):
    """Print the part of the complaint again."""
    row = running.held(run_id, request.user)
    doing.print_again(row)
    return _after(row, request.user)


@router.post(
    "/practice/runs/{run_id}/stand", auth=may("practice.do"), response=PracticeDone, operation_id="practice.stand"
)
@once
def stand(request: SignedIn, run_id: int, payload: PracticeStand):
    """Unplug it, plug it in, or wait until it has cooled."""
    row = running.held(run_id, request.user)
    running.stand(row, payload.turn)
    return _after(row, request.user)


@router.post("/practice/runs/{run_id}/end", auth=may("practice.do"), response=PracticeRun, operation_id="practice.end")
@once
def end(request: SignedIn, run_id: int):
    """End a lesson, and be told what was true. Where its case was not closed, it is given up."""
    row = running.held(run_id, request.user)
    running.end(row, "ended" if row.case is not None and not row.case.is_open else "given_up")
    return _run(running.seen(row.pk), request.user)


@router.get("/practice/runs/{run_id}/sound/{axis}", auth=may("practice.do"), operation_id="practice.sound")
def sound(request: SignedIn, run_id: int, axis: str):
    """What an axis sounds like as it runs up a ladder of speeds (WAV)."""
    row = running.seen(run_id)
    own_or_lead_practises(request.user, row.user_id)
    return HttpResponse(doing.sound(row, axis), content_type="audio/wav", headers={"Cache-Control": "no-store"})
