"""What will be worn out in the next quarter, on which machine, why, and how sure that is.

From the life of parts (this workshop's own where enough of a kind have failed here, else typical) at each machine's own use,
and from figures whose course reaches a limit that adjusting does not mend. Not here: what is worn already (`parts`).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, timedelta

import numpy as np
from kestov_core import knowledge, procedures
from kestov_core.knowledge.part_kinds import part_kinds
from kestov_core.procedures.life import FEW, LifeContext, LifeResult, fit
from measuring.models import Standing
from people.clock import now
from workshop.components import age_hours, life_hours
from workshop.meters import Meter
from workshop.models import Component, MeterReading, Printer, of_these

QUARTER = timedelta(days=91)
#: A part is named from this chance on that it fails within the quarter.
_LEAST = 0.25


@dataclass(frozen=True)
class Expected:
    """One thing that will be wanted. ``by``: the day on which it is expected (today: overdue); ``chance``: that it fails within the
    quarter, with its interval where that is known from this workshop's own parts.
    """

    printer: Printer
    label: str
    place: str
    by: date
    why: str
    chance: float | None = None
    low: float | None = None
    high: float | None = None
    component_id: int | None = None
    procedure: str = ""


def next_quarter() -> list[Expected]:
    """What all machines in use will want until then, the soonest first."""
    printers = Printer.on_the_floor()
    rows = [*_by_life(printers), *_by_course(printers)]
    return sorted(rows, key=lambda e: (e.by, e.printer.name, e.label))


def _by_life(printers: list[Printer]) -> Iterable[Expected]:
    theirs = of_these(printers)
    meters: dict[int, list[MeterReading]] = defaultdict(list)
    for reading in MeterReading.objects.filter(theirs).order_by("at", "id"):
        meters[reading.printer_id].append(reading)
    known = {p.pk: Meter(meters[p.pk]) for p in printers}
    named = {p.pk: p for p in printers}
    lives = _Lives()
    for c in Component.objects.filter(theirs, removed_on=None).select_related("type"):
        meter = known.get(c.printer_id)
        use = meter.use if meter is not None else None
        age = age_hours(c, meter) if meter is not None else None
        life = life_hours(c)
        if use is None or age is None or life is None or use.a_day <= 0 or c.kind not in part_kinds():
            continue
        yield from _of_part(named[c.printer_id], c, age[0], life, use.a_day, lives)


def _of_part(
    printer: Printer, c: Component, age: float, life: tuple[float, str], a_day: float, lives: _Lives
) -> Iterable[Expected]:
    ahead = a_day * QUARTER.days
    own = lives.of(c, age, ahead)
    left = (life[0] - age) / a_day
    by = (now() + timedelta(days=max(0.0, min(left, 20_000)))).date()
    about = f"{age:.0f} of {life[0]:.0f} h ({life[1]}), {a_day:.1f} h a day"
    if own is not None and own.failure_probability is not None and own.median_hours is not None:
        p, half = own.failure_probability, own.median_hours.value
        if p.value >= _LEAST:
            why = f"Of {own.failures + own.running} here {own.failures} have failed, half by {half:.0f} h. This one: {about}."
            yield Expected(printer, c.label, c.place, by, why, p.value, p.low, p.high, c.pk)
    elif age + ahead >= life[0]:
        past = "past its expected life" if age >= life[0] else "at the end of its expected life then"
        yield Expected(printer, c.label, c.place, by, f"It is {past}: {about}.", component_id=c.pk)


class _Lives:
    """The life of each kind and type of part in this workshop, where enough of them have failed."""

    def __init__(self) -> None:
        self._tables: dict[tuple[str, int | None], list[tuple[float, int]]] = defaultdict(list)
        gone = Component.objects.exclude(removed_on=None).exclude(removed_because="moved")
        for c in gone.exclude(removed_hours=None).exclude(fitted_hours=None):
            assert c.removed_hours is not None and c.fitted_hours is not None
            ran = c.removed_hours - c.fitted_hours + c.brought_hours
            if ran > 0:
                failed = int(c.removed_because in ("failed", "worn"))
                self._tables[c.kind, c.type_id].append((ran, failed))

    def of(self, c: Component, age: float, ahead: float) -> LifeResult | None:
        """What those of its kind and type say of a part; None where fewer than three have failed."""
        rows = self._tables.get((c.kind, c.type_id), [])
        if sum(failed for _, failed in rows) < FEW:
            return None
        # Those that still run count, too: this one at the least.
        table = [*rows, *([(age, 0)] if age > 0 else [])]
        hours, failed = (np.array(column) for column in zip(*table, strict=True))
        context = LifeContext(age_hours=min(age, 1e6), horizon_hours=min(ahead, 1e6))
        return fit(context, hours.astype(float), failed == 1)


def _by_course(printers: list[Printer]) -> Iterable[Expected]:
    named = {p.pk: p for p in printers}
    until: datetime = now() + QUARTER
    rows = Standing.objects.filter(of_these(printers), reaches_at__lte=until, doubt="").exclude(verdict="not_judged")
    for s in rows:
        if s.printer_id not in named or s.procedure not in knowledge.cards():
            continue
        card = knowledge.cards()[s.procedure].here(s.place)
        mends = "adjusting mends it" if procedures.get(s.procedure).adjustable else "adjusting does not mend it"
        assert s.reaches_at is not None
        yield Expected(
            named[s.printer_id],
            card.trouble,
            s.place,
            max(s.reaches_at, now()).date(),
            f"At its rate it may reach its limit from then on; {mends}.",
            procedure=s.procedure,
        )
