"""Ten seconds of sound with a report: taken as a measurement of the machine, and held against its healthy sound."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from uuid import UUID, uuid4

from kestov_core.procedures.base import Procedure
from measuring.models import Capture
from measuring.taking import Taken, measuring, take
from people.models import User, name_of
from workshop.models import Printer

from .models import Case


@dataclass(frozen=True)
class Heard:
    """A recording of a case: what is new in it, in words; ``why_not``: why nothing can be said."""

    capture: UUID
    at: datetime
    by: str
    new: list[str]
    why_not: str


def of_a_report() -> Procedure:
    """The procedure that a report brings its file for."""
    return next(p for p in measuring() if p.reported is not None)


def kept_at(printer: Printer) -> tuple[Procedure, str]:
    """That procedure, and where it is taken on this machine."""
    procedure = of_a_report()
    return procedure, procedure.places(printer.motion())[0]


def add(case: Case, data: bytes, name: str, source: str, user: User) -> Capture:
    """Keep a recording of a case that is open, held by who calls. Raises the core's `BadInput` where it is none."""
    procedure, place = kept_at(case.printer)
    typed = dict(procedure.reported or {})
    taken = Taken(id=uuid4(), place=place, source=source, typed=typed, data=data, data_name=name)
    return take(case.printer, procedure.name, user, taken, case.pk)


def heard(case: Case) -> list[Heard]:
    """The recordings of a case, oldest first."""
    rows = (
        case.captures.filter(procedure=of_a_report().name)
        .defer("data")
        .select_related("taken_by")
        .prefetch_related("results")
    )
    out = []
    for c in rows.order_by("taken_at"):
        result = c.latest()
        found = result.found if result is not None else {}
        why = (
            "" if found.get("likeness") != "cannot_tell" else " ".join(w["message"] for w in found.get("warnings", []))
        )
        out.append(Heard(c.pk, c.taken_at, name_of(c.taken_by), [n["words"] for n in found.get("new", [])], why))
    return out
