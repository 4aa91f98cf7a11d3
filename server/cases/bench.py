"""What stands first on a machine's bench: what a case asks for, what is wrong or in doubt there, what is due; each with why."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from kestov_core import knowledge, procedures
from kestov_core.procedures.base import Procedure
from measuring.condition import condition, wants
from measuring.models import Standing
from measuring.taking import measuring
from people.clock import now
from workshop.models import Printer

from .models import Case
from .weighing import weigh

#: So many stand first; of what is only due so many.
MOST, MOST_DUE = 6, 3


@dataclass(frozen=True)
class First:
    """A measurement that comes first, and why."""

    procedure: str
    place: str
    why: str


def first(printer: Printer, case: Case | None, standings: Sequence[Standing]) -> list[First]:
    """What stands first of a machine with these standings, the most pressing before the rest; each measurement once."""
    here = {p.name: p.places(printer.motion()) for p in measuring()}
    out: dict[tuple[str, str], First] = {}
    for f in [*_asked(case, here), *_wanted(printer), *_due(standings)]:
        if f.place in here.get(f.procedure, ()):
            out.setdefault((f.procedure, f.place), f)
    return list(out.values())[:MOST]


def _asked(case: Case | None, here: dict[str, tuple[str, ...]]) -> list[First]:
    """What the weighing of an open case would measure next."""
    if case is None or not case.is_open:
        return []
    out = []
    for check in weigh(case).result.next[:6]:
        places = here.get(check.procedure or "", ())
        if check.procedure and places:
            place = check.axis if check.axis in places else places[0]
            out.append(First(check.procedure, str(place), f"The case asks for it: {check.why}"))
    return out[:3]


def _wanted(printer: Printer) -> list[First]:
    """What is out of its limits, in doubt, or not known though it should be."""
    out = []
    stands = condition(printer)
    for rank, title, why, shown, place in sorted(wants(stands), key=lambda w: w[0]):
        procedure = shown.procedure if shown is not None else _how(place.kind, place.place, printer)
        if procedure is not None:
            words = why if rank == 4 else f"{title[:1].upper()}{title[1:]}. {why}"
            out.append(First(procedure, place.place, words))
    for p in stands.places:
        if p.condition == "not_known" and not p.evidence and (way := _how(p.kind, p.place, printer)) is not None:
            out.append(First(way, p.place, f"{p.name[:1].upper()}{p.name[1:]}: never measured here."))
    return out


def _how(kind: str, place: str, printer: Printer) -> str | None:
    """How a place of which nothing is known is measured: by the first way on the bench."""
    motion = printer.motion()
    ways = (p for p in measuring() if p.measures == kind and p.expected and place in p.places(motion))
    way = next(ways, None)
    return None if way is None else way.name


def _due(standings: Sequence[Standing]) -> list[First]:
    """What was measured here, longer ago than it is good for; the most overdue first."""
    found: list[tuple[float, First]] = []
    for row in standings:
        if row.procedure not in knowledge.cards():
            continue
        procedure: Procedure = procedures.get(row.procedure)
        days = (now() - row.taken_at).days
        if days > procedure.interval_days:
            why = f"Measured {days} days ago; every {procedure.interval_days} days is typical."
            found.append((days / procedure.interval_days, First(row.procedure, row.place, why)))
    return [f for _, f in sorted(found, key=lambda x: -x[0])[:MOST_DUE]]
