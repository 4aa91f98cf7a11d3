"""Who may do a measurement or a repair without a second person: given by the lead, with the practice record before them.

In the workshop's own database. Until the lead switches it on, nobody is asked.
"""

from __future__ import annotations

from datetime import timedelta
from typing import Any, Literal

from cases import acts as cases
from cases.models import Case
from django.conf import settings
from django.core import signing
from django.db import transaction
from kestov_core import knowledge, procedures
from kestov_core.procedures.base import Procedure
from measuring import taking
from people.clock import now
from people.models import Role, User, audit
from people.refusals import Refused
from pydantic import TypeAdapter, ValidationError
from workshop.models import Printer

from .models import Alone, Rule, With
from .running import LessonLine, line, must_practise, of

Kind = Literal["procedure", "repair"]
#: So long somebody is with somebody, once it was said.
TOGETHER = timedelta(hours=2)
#: A statement of a record is good so long: to decide by it, not to keep it.
STATED = timedelta(hours=8)
_SALT = "a practice record"
_LINES = TypeAdapter(list[LessonLine])


def asks() -> bool:
    """Whether the bench asks for a second person."""
    rule = Rule.objects.first()
    return rule is not None and rule.second_person and not settings.PRACTICE


def ask_for_second(by: User, on: bool) -> bool:
    """Let the bench ask for a second person, or no longer."""
    row, _ = Rule.objects.get_or_create(pk=1)
    row.second_person = on
    row.save()
    audit(by, "changed", row, f"The bench {'asks' if on else 'does not ask'} for a second person.")
    return on


def label(kind: str, name: str) -> str:
    """What it is called; refused where there is no such."""
    if kind == "procedure" and name in knowledge.cards():
        return procedures.get(name).title
    if kind == "repair" and name in knowledge.faults():
        return f"Mend: {knowledge.faults()[name].label}"
    raise Refused(422, "out_of_range", "Choose one of the listed measurements or repairs.", "name")


def held(user_id: int) -> list[Alone]:
    """What somebody may do alone, now."""
    return list(Alone.objects.filter(user_id=user_id, ended_at=None).select_related("by"))


def person(user_id: int) -> User:
    """Somebody who may be given something: who works at machines."""
    row = User.objects.filter(pk=user_id, is_active=True).exclude(role=Role.MEMBER).first()
    if row is None:
        raise Refused(404, "not_found", "There is no such technician.")
    return row


@transaction.atomic
def give(by: User, user_id: int, kind: Kind, name: str, why: str, statement: str = "") -> Alone:
    """Let somebody do a thing alone from now on; ``statement``: their practice record, as it lay before the lead."""
    user, words = person(user_id), label(kind, name)
    record = [row.model_dump() for row in read(statement, user)] if statement else []
    if Alone.objects.filter(user=user, kind=kind, name=name, ended_at=None).exists():
        raise Refused(409, "given", f"{user.name} may do that alone already.", "name")
    row = Alone.objects.create(
        user=user, kind=kind, name=name, record={"lines": record}, why=why.strip(), by=by, at=now()
    )
    audit(by, "let do alone", row, f"{user.name} may do alone: {words}.{f' {why.strip()}' if why.strip() else ''}")
    return row


@transaction.atomic
def take_back(by: User, alone_id: int) -> Alone:
    """Somebody does a thing with a second person again."""
    row = (
        Alone.objects.select_for_update(of=("self",)).select_related("user").filter(pk=alone_id, ended_at=None).first()
    )
    if row is None:
        raise Refused(404, "not_found", "That is not given, or was taken back already.")
    row.ended_at, row.ended_by = now(), by
    row.save(update_fields=["ended_at", "ended_by"])
    audit(by, "took back", row, f"{row.user.name} does no longer alone: {label(row.kind, row.name)}.")
    return row


def needed(user: User, kind: Kind, name: str) -> bool:
    """Whether somebody needs a second person for a thing: the lead never, and nobody while it is not asked for."""
    if user.role == Role.LEAD or not asks():
        return False
    return not Alone.objects.filter(user=user, kind=kind, name=name, ended_at=None).exists()


def who_may(kind: Kind, name: str, but: User) -> list[User]:
    """Who may stand beside somebody: the leads, and those who may do it alone."""
    rows = User.objects.filter(is_active=True).exclude(pk=but.pk).order_by("name")
    mine = set(Alone.objects.filter(kind=kind, name=name, ended_at=None).values_list("user_id", flat=True))
    return [u for u in rows if u.role == Role.LEAD or u.pk in mine]


def beside(user: User) -> With | None:
    """Who is with somebody now."""
    return With.objects.filter(user=user, until__gt=now()).select_related("second").first()


@transaction.atomic
def stand_beside(user: User, second_id: int) -> With:
    """Say who is with oneself at the machine, for two hours."""
    second = person(second_id)
    if second.pk == user.pk:
        raise Refused(422, "out_of_range", "Somebody else.", "second_id")
    row, _ = With.objects.update_or_create(user=user, defaults={"second": second, "until": now() + TOGETHER})
    return row


def _accompanied(user: User, kind: Kind, name: str) -> User | None:
    """The second person that a thing needs; None where it needs none. Refused where nobody is there who may."""
    if not needed(user, kind, name):
        return None
    row = beside(user)
    if row is None or row.second not in who_may(kind, name, user):
        raise Refused(
            409,
            "second_person",
            f"You do this with a second person: {label(kind, name)}. Say who is with you.",
            "second",
        )
    return row.second


def _before(printer: Printer, procedure: Procedure, user: User, taken: taking.Taken) -> None:
    second = _accompanied(user, "procedure", procedure.name)
    if second is not None:
        taken.circumstances = {**taken.circumstances, "with": second.name}


def _before_repair(case: Case, fault: str, user: User) -> None:
    _accompanied(user, "repair", fault)


taking.BEFORE.append(_before)
cases.BEFORE_REPAIR.append(_before_repair)


def statement(user: User) -> str:
    """Somebody's practice record as a statement that the workshop believes: which lessons, how they ended; no figure that was measured."""
    must_practise()
    rows: list[dict[str, Any]] = [line(row).model_dump() for row in of(user)[:60]]
    return signing.dumps({"username": user.username, "lines": rows}, salt=_SALT, compress=True)


def read(told: str, user: User) -> list[LessonLine]:
    """The lines of a statement about somebody; refused where it is no statement of practice's, is old, or of somebody else."""
    try:
        got = signing.loads(told, salt=_SALT, max_age=STATED)
        lines = _LINES.validate_python(got["lines"])
    except (signing.BadSignature, ValidationError, KeyError, TypeError) as e:
        raise Refused(
            422, "out_of_range", "This is no practice record, or it is older than a day's work.", "statement"
        ) from e
    if got.get("username") != user.username:
        raise Refused(422, "out_of_range", "This is the practice record of somebody else.", "statement")
    return lines
