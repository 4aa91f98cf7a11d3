"""Who may do a measurement or a repair alone, and who stands beside whom meanwhile."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from kestov_core import knowledge
from ninja import Field, Router
from people.models import Role, User, name_of
from practice import alone
from practice.models import Alone
from practice.running import LessonLine, person

from .once import once
from .permissions import may
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["alone"])

Kind = Literal["procedure", "repair"]


class AloneOut(Shape):
    """What somebody may do alone, by whom it was given, when and why; ``record``: so many lessons lay before the lead."""

    id: int
    kind: Kind
    name: str
    label: str
    by: str
    at: datetime
    why: str
    record: int


class AlonePerson(Shape):
    id: int
    username: str
    name: str
    lead: bool
    may: list[AloneOut]


class AloneThing(Shape):
    """Something that can be given."""

    kind: Kind
    name: str
    label: str


class AloneAll(Shape):
    """Everybody who works at machines with what they may do alone; ``asks``: whether the bench asks for a second person."""

    asks: bool
    people: list[AlonePerson]
    things: list[AloneThing]


class AloneGive(Shape):
    """``statement``: the practice record that lay before the lead, as practice signed it."""

    kind: Kind
    name: str = Field(max_length=40)
    why: str = Field("", max_length=300)
    statement: str = Field("", max_length=60_000)


class AloneAsks(Shape):
    asks: bool


class AloneRead(Shape):
    statement: str = Field(max_length=60_000)


class CompanyPerson(Shape):
    id: int
    name: str


class Company(Shape):
    """Whether a second person is needed, who may be it, and who is there now."""

    needed: bool
    label: str
    may: list[CompanyPerson]
    now: str
    fits: bool


class CompanyIn(Shape):
    second_id: int


class Stated(Shape):
    """A practice record to decide by, for the workshop to read."""

    username: str
    statement: str


def _one(row: Alone) -> AloneOut:
    return AloneOut(
        id=row.pk,
        kind="procedure" if row.kind == "procedure" else "repair",
        name=row.name,
        label=alone.label(row.kind, row.name),
        by=name_of(row.by),
        at=row.at,
        why=row.why,
        record=len(row.record.get("lines", [])),
    )


def _all() -> AloneAll:
    people = User.objects.filter(is_active=True).exclude(role=Role.MEMBER).order_by("name")
    things = [AloneThing(kind="procedure", name=n, label=alone.label("procedure", n)) for n in knowledge.cards()]
    things += [AloneThing(kind="repair", name=n, label=alone.label("repair", n)) for n in knowledge.faults()]
    return AloneAll(
        asks=alone.asks(),
        people=[
            AlonePerson(
                id=u.pk,
                username=u.username,
                name=u.name,
                lead=u.role == Role.LEAD,
                may=[_one(a) for a in alone.held(u.pk)],
            )
            for u in people
        ],
        things=things,
    )


@router.get("/alone", auth=may("alone.see"), response=AloneAll, operation_id="alone.see")
def see(request: SignedIn):
    """Who may do what alone."""
    return _all()


@router.put("/alone/asks", auth=may("alone.give"), response=AloneAll, operation_id="alone.asks")
@once
def asks(request: SignedIn, payload: AloneAsks):
    """Let the bench ask for a second person, or no longer."""
    alone.ask_for_second(request.user, payload.asks)
    return _all()


@router.post("/alone/people/{user_id}", auth=may("alone.give"), response=AloneAll, operation_id="alone.give")
@once
def give(request: SignedIn, user_id: int, payload: AloneGive):
    """Let somebody do a thing alone."""
    p = payload
    alone.give(request.user, user_id, p.kind, p.name, p.why, p.statement)
    return _all()


@router.post(
    "/alone/people/{user_id}/record", auth=may("alone.give"), response=list[LessonLine], operation_id="alone.record"
)
def read(request: SignedIn, user_id: int, payload: AloneRead):
    """Read a practice record that was brought along."""
    return alone.read(payload.statement, alone.person(user_id))


@router.delete("/alone/{alone_id}", auth=may("alone.give"), response=AloneAll, operation_id="alone.back")
def take_back(request: SignedIn, alone_id: int):
    """Take back that somebody may do a thing alone."""
    alone.take_back(request.user, alone_id)
    return _all()


def _company(user: User, kind: Kind, name: str) -> Company:
    label, there = alone.label(kind, name), alone.beside(user)
    may_be = alone.who_may(kind, name, user)
    return Company(
        needed=alone.needed(user, kind, name),
        label=label,
        may=[CompanyPerson(id=u.pk, name=u.name) for u in may_be],
        now=there.second.name if there else "",
        fits=there is not None and there.second in may_be,
    )


@router.get("/company/{kind}/{name}", auth=may("alone.company"), response=Company, operation_id="alone.company")
def company(request: SignedIn, kind: Kind, name: str):
    """Whether one needs a second person for a thing."""
    return _company(request.user, kind, name)


@router.post("/company/{kind}/{name}", auth=may("alone.company"), response=Company, operation_id="alone.beside")
@once
def beside(request: SignedIn, kind: Kind, name: str, payload: CompanyIn):
    """Say who is with oneself at the machine, for two hours."""
    alone.stand_beside(request.user, payload.second_id)
    return _company(request.user, kind, name)


@router.get(
    "/practice/people/{user_id}/statement", auth=may("practice.state"), response=Stated, operation_id="alone.state"
)
def state(request: SignedIn, user_id: int):
    """In practice: somebody's record, for the lead to decide by in the workshop."""
    user = person(user_id)
    return Stated(username=user.username, statement=alone.statement(user))
