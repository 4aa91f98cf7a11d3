"""How long parts last in this workshop: from all of a kind and type that were taken out, and all that still run.

With fewer than three failures of a kind its typical life speaks, which is wide. Not here: which part is worn today (`parts`).
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from typing import NamedTuple

import numpy as np
from django.db.models import Q
from kestov_core.condition.use import Use
from kestov_core.knowledge.part_kinds import part_kinds
from kestov_core.procedures.life import FEW, Life
from people.clock import now
from workshop.components import age_hours, life_hours
from workshop.meters import hours_now
from workshop.models import Component, PartType, Printer, of_these

#: A typical life is from half to double (the head of the list of kinds says so).
_WIDE = 2.0
#: What tells of a part how old it is.
_AGED = ("printer_id", "place", "kind", "label", "type_id", "fitted_on", "fitted_hours", "brought_hours")
#: So many days ahead nobody says a day.
_FAR = 3650.0


class Ran(NamedTuple):
    """One part of a kind: how long it ran, and on which machine. ``failed``: it was taken out for it; ``runs``: it still sits there."""

    component_id: int
    printer_id: int
    label: str
    hours: float
    failed: bool
    runs: bool


@dataclass(frozen=True)
class Left:
    """How long a part still lasts: hours, with their interval, and the days on which that falls at its machine's own use (none: far off)."""

    hours: float
    low: float
    high: float | None
    by: date | None
    soonest: date | None
    latest: date | None


class Lives:
    """The lives of kinds and types of parts. ``sitting``: those that still run, each with its hours."""

    def __init__(self, sitting: Iterable[tuple[Component, float]], kind: str = "", type_id: int | None = None) -> None:
        self._rows: dict[tuple[str, int | None], list[Ran]] = defaultdict(list)
        self._fitted: dict[tuple[str, int | None], Life | None] = {}
        gone = Component.objects.filter(removed_on__isnull=False).exclude(removed_because="moved")
        if kind:
            gone = gone.filter(kind=kind, type_id=type_id)
        told = gone.filter(removed_hours__isnull=False, fitted_hours__isnull=False).order_by("id")
        names = (
            "kind",
            "type_id",
            "pk",
            "printer_id",
            "label",
            "removed_because",
            "removed_hours",
            "fitted_hours",
            "brought_hours",
        )
        for of_kind, of_type, pk, printer, label, because, removed, fitted, brought in told.values_list(*names):
            if (hours := removed - fitted + brought) > 0:
                self._rows[of_kind, of_type].append(
                    Ran(pk, printer, label, hours, because in ("failed", "worn"), False)
                )
        for c, hours in sitting:
            if hours > 0:
                self._rows[c.kind, c.type_id].append(Ran(c.pk, c.printer_id, c.label, hours, False, True))
        self._failures = Counter({key: sum(r.failed for r in rows) for key, rows in self._rows.items()})

    def rows(self, c: Component) -> list[Ran]:
        """All of a part's kind and type whose hours are known."""
        return self._rows.get((c.kind, c.type_id), [])

    def failures(self, c: Component) -> int:
        """How many of a part's kind and type have failed."""
        return self._failures[c.kind, c.type_id]

    def of(self, c: Component) -> Life | None:
        """The life of a part's kind and type here; None where fewer than three have failed."""
        key = c.kind, c.type_id
        if key not in self._fitted:
            rows = self.rows(c)
            few = self.failures(c) < FEW
            self._fitted[key] = None if few else Life.of(np.array([r.hours for r in rows]), np.array([r.failed for r in rows]))  # fmt: skip
        return self._fitted[key]


def left(age: float, life: Life | None, expected: float, use: Use | None) -> Left:
    """How long a part of an age still lasts: by the lives here, else by the life that it can be expected to have."""
    if life is not None:
        told = life.left(age)
        hours, low, high = told.value, told.low if told.low is not None else 0.0, told.high
    else:
        hours, low, high = expected - age, expected / _WIDE - age, expected * _WIDE - age
    hours, low = max(0.0, hours), max(0.0, low)
    high = None if high is None else max(0.0, high)

    def day(many: float | None, a_day: float) -> date | None:
        if many is None or a_day <= 0 or many / a_day > _FAR:
            return None
        return (now() + timedelta(days=many / a_day)).date()

    if use is None:
        return Left(hours, low, high, None, None, None)
    slow, fast = use.a_day - use.u95, use.a_day + use.u95
    return Left(hours, low, high, day(hours, use.a_day), day(low, fast), day(high, slow))


@dataclass(frozen=True)
class OneLife:
    """How long a part lasts, and what that is from: ``life`` null where it is ``expected`` (hours, and where those are from)."""

    left: Left | None
    life: Life | None
    expected: tuple[float, str] | None
    rows: list[Ran]


def life_of(component: Component) -> OneLife:
    """How long a part still lasts, with all of its kind and type in this workshop."""
    alike = Component.objects.filter(
        kind=component.kind, type_id=component.type_id, removed_on=None, printer__retired=False
    )
    sitting = list(alike.only(*_AGED))
    ids = {c.printer_id for c in sitting} | ({component.printer_id} if component.removed_on is None else set())
    meters = hours_now(ids)
    ages = [(c, age[0]) for c in sitting if (age := age_hours(c, meters[c.printer_id])) is not None]
    lives = Lives(ages, component.kind, component.type_id)
    life, expected = lives.of(component), life_hours(component)
    mine = next((age for c, age in ages if c.pk == component.pk), None)
    known = mine is not None and (life is not None or expected is not None)
    return OneLife(
        left=left(mine, life, expected[0] if expected else 0.0, meters[component.printer_id].use)
        if known and mine is not None
        else None,
        life=life,
        expected=expected,
        rows=sorted(lives.rows(component), key=lambda r: r.hours),
    )


def some_of(rows: list[Ran], most: int, always: int) -> list[Ran]:
    """Of many so many, evenly from the first to the last; the part with the key ``always`` among them, where it is there."""
    if len(rows) <= most:
        return rows
    kept = {round(i * (len(rows) - 1) / (most - 1)) for i in range(most)}
    return [r for i, r in enumerate(rows) if i in kept or r.component_id == always]


def ages_of(printers: list[Printer]) -> dict[int, tuple[Component, float, Use | None]]:
    """Every part that wears by use, sits in these machines, and whose hours are known, by its key; with its machine's use."""
    meters = hours_now(printers)
    types = PartType.objects.in_bulk()
    wearing = [k.id for k in part_kinds().values() if k.life_hours is not None]
    own = Q(type__in=[t.pk for t in types.values() if t.life_hours is not None])
    rows = Component.objects.filter(Q(kind__in=wearing) | own, of_these(printers), removed_on=None)
    out = {}
    for c in rows.only(*_AGED):
        c.type = types.get(c.type_id) if c.type_id is not None else None
        meter = meters.get(c.printer_id)
        age = None if meter is None else age_hours(c, meter)
        if meter is not None and age is not None:
            out[c.pk] = c, age[0], meter.use
    return out
