"""A lesson: begun on a simulated machine of its own, how that stands, and ended with the account.

Everything else is done by the same acts as on a real machine; `hearing` notes what they come to here.
"""

from __future__ import annotations

import secrets
from datetime import timedelta
from typing import Any, Literal
from uuid import uuid4

from cases import acts as cases
from cases.models import Case, State
from django.conf import settings
from django.db import transaction
from django.db.models import Count, Q, QuerySet
from kestov_core.knowledge import SETUP_MINUTES, findings
from kestov_core.practice import account, lessons, prints
from kestov_core.practice import acts as practised
from kestov_core.practice.account import Account, Answered, Done, Held
from kestov_core.practice.lessons import Begun, PracticeMachine
from kestov_core.practice.truth import Truth, caught_up, simulated, sound
from kestov_core.simulator.machine import SimMachine
from measuring.models import Capture
from measuring.taking import Taken, measuring, take_from_stand_in
from people import clock
from people.clock import now
from people.models import Role, User, audit
from people.refusals import Refused
from pydantic import BaseModel, ConfigDict, TypeAdapter
from workshop import adding, tags
from workshop.models import Area, Limit, Printer, PrinterModel

from .models import Did, Lesson

#: No name to sign in with begins with a space.
_MEMBER = " member"
#: When the machine was last known to be sound, before the trouble.
_SOUND_AGO = timedelta(days=30)
#: At so many places of a procedure (the axes that are fast): where X and Y are known, no one shakes Z.
_KNOWN_AT = 2
_DONE = TypeAdapter(list[Done])


class Standing(practised.State):
    """How the machine stands in a lesson, and what has been got ready (fetched, covers off)."""

    model_config = ConfigDict(extra="forbid")

    ready: list[str] = []


def must_practise() -> None:
    """Refuse where this is the workshop itself: nothing of practice is kept there."""
    if not settings.PRACTICE:
        raise Refused(404, "not_practice", "This is the workshop itself. Practice has a place of its own.")


@transaction.atomic
def begin(user: User, lesson: str, kinematics: str, seed: int | None, two: bool, unaided: bool = False) -> Lesson:
    """Begin a lesson, or where none is named a machine drawn by chance; the same seed is the same machine for everybody."""
    must_practise()
    User.objects.select_for_update().get(pk=user.pk)
    if Lesson.objects.filter(user=user, ended_at=None).exists():
        raise Refused(409, "one_at_a_time", "You are in the middle of a lesson. End that one first, or give it up.")
    number = seed or secrets.randbelow(lessons.MOST_SEED) + 1
    if lesson:
        begun = lessons.begin(lesson, number)
    elif kinematics in lessons.machines():
        begun = lessons.by_chance(
            lessons.machines()[kinematics].description.kinematics, number, "two" if two else "one"
        )
    else:
        raise Refused(422, "out_of_range", "Choose one of the listed machines.", "kinematics")
    truth = begun.truth
    row = Lesson.objects.create(
        user=user, name=begun.lesson, title=begun.title, kinematics=truth.kinematics, seed=number, begun=begun.model_dump(mode="json"),
        truth=truth.model_dump(mode="json"), stands=Standing().model_dump(), looks=prints.printed(truth).model_dump(mode="json"), begun_at=now(), unaided=unaided,
    )  # fmt: skip
    machine = lessons.machines()[truth.kinematics]
    member = _member()
    printer = _machine(row, machine, member)
    _known_when_sound(printer, truth, machine, member)
    for e in truth.events:
        tags.happened(printer, e.event, e.days, member, "")
    printer.simulated = _simulated(truth, machine).model_dump(mode="json")
    printer.save(update_fields=["simulated"])
    first, *also = (cases.Seen(t.finding, t.axis or "") for t in begun.told)
    case = cases.report(printer, first, begun.words, "", member, also)
    case.unaided = unaided
    cases.take(case, user)
    row.printer, row.case = printer, case
    row.save(update_fields=["printer", "case"])
    return row


def _member() -> User:
    """Who complains in every lesson; nobody signs in as them."""
    row, _ = User.objects.get_or_create(
        username=_MEMBER, defaults={"name": "A member", "role": Role.MEMBER, "is_active": False, "password": "!"}
    )
    return row


def _machine(row: Lesson, machine: PracticeMachine, by: User) -> Printer:
    """A machine of its own model: what is learned of one lesson is not told in another."""
    area = Area.objects.first() or adding.add_area(by, "Practice")
    told = machine.description.model_dump(mode="json", exclude_none=True, exclude_unset=True)
    model = PrinterModel.objects.create(name=f"{machine.name} {row.pk}", description=told)
    belts = machine.description.belts()
    for (what, place), band in lessons.limits().items():
        for at in belts if what == "tension" else [place]:
            unit = "N" if what == "tension" else "%"
            Limit.objects.create(
                model=model, what=what, place=at, low=band.low, high=band.high, unit=unit, source="its maker's manual"
            )
    printer = adding.add_printer(
        by, model.name, model.pk, area.pk, in_use_since=(now() - timedelta(days=400)).date(), serial=f"P-{row.seed}"
    )
    return Printer.objects.select_related("model").get(pk=printer.pk)


def _known_when_sound(printer: Printer, truth: Truth, machine: PracticeMachine, by: User) -> None:
    """What was measured a month ago, when all was well: what later ones are held against."""
    printer.simulated = _simulated(sound(truth), machine).model_dump(mode="json")
    printer.save(update_fields=["simulated"])
    with clock.at(now() - _SOUND_AGO):
        for procedure in measuring():
            if procedure.healthy is None:
                continue
            for place in procedure.places(machine.description)[:_KNOWN_AT]:
                taken = Taken(id=uuid4(), place=place, source="standin", typed=dict(procedure.healthy))
                take_from_stand_in(printer.pk, procedure.name, by, taken, {"seconds": 15.0})


def _simulated(truth: Truth, machine: PracticeMachine, touched: int = 0) -> SimMachine:
    return simulated(truth, machine.description, lessons.limits(), touched)


def held(lesson_id: int, user: User) -> Lesson:
    """One's own lesson that is going on, held against other writers."""
    must_practise()
    row = Lesson.objects.select_for_update(of=("self",)).filter(pk=lesson_id, user=user).first()
    if row is None:
        raise Refused(404, "not_found", "There is no such lesson of yours.")
    if row.ended_at is not None:
        raise Refused(409, "ended", "This lesson has ended.")
    return row


def seen(lesson_id: int) -> Lesson:
    """A lesson, to look at."""
    must_practise()
    row = Lesson.objects.select_related("user", "printer", "case").filter(pk=lesson_id).first()
    if row is None:
        raise Refused(404, "not_found", "There is no such lesson.")
    return row


def going_on(user: User) -> Lesson | None:
    """The lesson that somebody is in."""
    return Lesson.objects.select_related("printer", "case").filter(user=user, ended_at=None).first()


def on(printer_id: int) -> Lesson | None:
    """The lesson that is going on on a machine, held."""
    rows = Lesson.objects.select_for_update(of=("self",))
    return rows.filter(printer_id=printer_id, ended_at=None).first()


def machine_of(row: Lesson) -> Printer:
    """The machine of a lesson, held."""
    return tags.locked(row.printer_id or 0)


def truth_now(row: Lesson) -> Truth:
    """The machine as it truly is, what was turned at the bench taken in."""
    truth = Truth.model_validate(row.truth)
    sim = SimMachine.model_validate(machine_of(row).simulated)
    return caught_up(truth, sim, lessons.machines()[row.kinematics].description, lessons.limits())


def becomes(row: Lesson, truth: Truth) -> None:
    """Let the machine be so from now on, for eye and instrument alike."""
    printer = machine_of(row)
    touched = SimMachine.model_validate(printer.simulated).touched
    after = _simulated(truth, lessons.machines()[row.kinematics], touched + 1)
    printer.simulated = after.model_dump(mode="json")
    printer.save(update_fields=["simulated"])
    row.truth = truth.model_dump(mode="json")
    row.save(update_fields=["truth"])


def standing(row: Lesson) -> Standing:
    """How the machine stands."""
    return Standing.model_validate(row.stands)


def note(row: Lesson, done: Done, capture: Capture | None = None, true: float | None = None) -> None:
    """Write down what was done; what was unsafe ends the lesson there."""
    Did.objects.create(lesson=row, told=done.model_dump(mode="json"), capture=capture, true=true, at=now())
    if done.unsafe:
        end(row, "unsafe")


def done(row: Lesson) -> list[Done]:
    """All that was done so far."""
    return _DONE.validate_python([d.told for d in row.did.all()])


def safe(row: Lesson, needs: practised.Needs, words: str, cold: bool = False) -> str:
    """Why it is not safe to do something as the machine stands ("" where it is); refused where it cannot be done so at all."""
    stands = standing(row)
    if needs in ("powered", "live") and not stands.plugged:
        raise Refused(409, "unplugged", "It is unplugged: nothing moves and nothing heats. Plug it in first.")
    if needs == "unplugged" and stands.plugged:
        return f"{words}: done with the machine plugged in. It is unplugged first; a move that nobody expects breaks fingers."
    if cold and stands.hot:
        return f"{words}: done on a hot machine. The hot end burns for a quarter of an hour after a print: let it cool first."
    if needs in ("powered", "live") and _dangerous(row):
        return f"{words}: a machine that smells of burning was powered. It is unplugged, tagged out, and left to somebody qualified."
    return ""


def _dangerous(row: Lesson) -> bool:
    begun = Begun.model_validate(row.begun)
    return any(findings()[t.finding].kind == "danger" for t in begun.told)


Turn = Literal["unplug", "plug_in", "cool"]


@transaction.atomic
def stand(row: Lesson, turn: Turn) -> None:
    """Unplug it, plug it in, or wait until it has cooled."""
    stands = standing(row)
    words = {"unplug": "Unplugged it", "plug_in": "Plugged it in", "cool": "Waited until it had cooled"}
    minutes = SETUP_MINUTES["cool"] if turn == "cool" else practised.PLUG
    unsafe = ""
    if turn == "plug_in":
        stands.plugged = True
        unsafe = safe(row, "any", words[turn])
        if _dangerous(row):
            unsafe = "Plugged it in again although it smelled of burning. It stays unplugged until somebody qualified has looked."
    elif turn == "unplug":
        stands.plugged = False
    else:
        stands.hot = False
    row.stands = stands.model_dump()
    row.save(update_fields=["stands"])
    kind: Any = "stopped" if turn == "unplug" and _dangerous(row) else "stood"
    note(row, Done(kind=kind, what=turn, words=words[turn], minutes=minutes, unsafe=unsafe))


@transaction.atomic
def end(row: Lesson, how: Literal["ended", "given_up", "unsafe"]) -> None:
    """End a lesson: the account is made, and the machine leaves the floor. Its case stays to be looked at."""
    truth = truth_now(row)
    case = Case.objects.get(pk=row.case_id or 0)
    acts = done(row)
    answers = [
        Answered.model_validate({"finding": o.finding, "place": o.axis, "state": o.state})
        for o in case.observations.filter(withdrawn=False).order_by("at", "id")
    ]
    acts.append(Done(kind="asked", words="What was said in the case", minutes=0, answered=answers))
    begun, machine = Begun.model_validate(row.begun), lessons.machines()[row.kinematics]
    told = account.account(begun, truth, acts, _figures(row), case.fault, machine.description, lessons.limits())
    told.way = [step for step, did in zip(told.way, acts, strict=True) if did.minutes or did.cost]
    row.told, row.how, row.ended_at = told.model_dump(mode="json"), how, now()
    row.truth = truth.model_dump(mode="json")
    row.save(update_fields=["told", "how", "ended_at", "truth"])
    if case.state != State.CLOSED:
        cases.close(case, "handed_on", "The lesson has ended.", "", "", row.user)
    if not (printer := machine_of(row)).retired:
        adding.retire(row.user, printer.pk, "The lesson has ended.")
    audit(row.user, "ended", row, f"{row.title}: {'put right' if told.right else 'not put right'}.")


def _figures(row: Lesson) -> list[Held]:
    """What was measured in a lesson, against the truth of then."""
    out: list[Held] = []
    for did in row.did.filter(capture__isnull=False).select_related("capture"):
        result = did.capture.latest() if did.capture is not None else None
        if result is not None and did.true is not None and did.capture is not None:
            found = account.held(did.capture.procedure, did.capture.place, result.found, did.true)
            out += [found] if found else []
    return out


def of(user: User) -> QuerySet[Lesson]:
    """Somebody's lessons that have ended, the newest first."""
    must_practise()
    return Lesson.objects.filter(user=user).exclude(ended_at=None).defer("begun", "truth", "looks")


def who_practises() -> list[tuple[User, int]]:
    """Everybody who has ended a lesson, and how many."""
    rows = User.objects.annotate(n=Count("lessons", filter=Q(lessons__ended_at__isnull=False))).filter(n__gt=0)
    return [(u, u.n) for u in rows.order_by("name")]


def person(user_id: int) -> User:
    """Somebody who practises."""
    row = User.objects.filter(pk=user_id).first()
    if row is None:
        raise Refused(404, "not_found", "There is no such person here.")
    return row


class LessonLine(BaseModel):
    """A lesson that has ended, in short: the core's account cut down to what a record shows."""

    lesson: str
    title: str
    how: str
    right: bool
    found: bool
    minutes: float
    advised_minutes: float
    cost: float
    unsafe: int
    unread: int
    within: int
    figures: int
    unaided: bool


def line(row: Lesson) -> LessonLine:
    """A lesson as a line of somebody's record."""
    told = Account.model_validate(row.told)
    return LessonLine(
        lesson=row.name, title=row.title, how=row.how, right=told.right, found=told.found, minutes=told.minutes, advised_minutes=told.advised_minutes,
        cost=told.cost, unsafe=len(told.unsafe), unread=len(told.unread), within=sum(f.within for f in told.figures), figures=len(told.figures), unaided=row.unaided,
    )  # fmt: skip
