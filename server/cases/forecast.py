"""What will be worn out in the next quarter, on which machine, why, and how sure that is.

From the life of parts (this workshop's own where enough of a kind have failed here, else typical) at each machine's own use,
and from figures whose course reaches a limit that adjusting does not mend. Not here: what is worn already (`parts`).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from kestov_core import knowledge, procedures
from kestov_core.condition.use import Use
from kestov_core.knowledge.part_kinds import part_kinds
from measuring.models import Standing
from people.clock import now
from workshop.components import life_hours
from workshop.models import Component, Printer, of_these

from .lives import Lives, ages_of, left

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
    named = {p.pk: p for p in printers}
    sitting = ages_of(printers)
    lives = Lives((c, age) for c, age, _ in sitting.values())
    for c, age, use in sitting.values():
        life = life_hours(c)
        if use is None or life is None or use.a_day <= 0 or c.kind not in part_kinds():
            continue
        yield from _of_part(named[c.printer_id], c, age, life, use, lives)


def _of_part(
    printer: Printer, c: Component, age: float, expected: tuple[float, str], use: Use, lives: Lives
) -> Iterable[Expected]:
    ahead = use.a_day * QUARTER.days
    life = lives.of(c)
    by = left(age, life, expected[0], use).by or now().date() + timedelta(days=20_000)
    if life is not None:
        chance = life.fails_within(age, ahead)
        if chance.value >= _LEAST:
            rows = lives.rows(c)
            half = life.when(0.5).value
            why = f"Of {len(rows)} here {sum(r.failed for r in rows)} have failed, half by {half:.0f} h. This one has run {age:.0f} h, {use.a_day:.1f} h a day."
            yield Expected(printer, c.label, c.place, by, why, chance.value, chance.low, chance.high, c.pk)
    elif age + ahead >= expected[0]:
        past = "past its expected life" if age >= expected[0] else "at the end of its expected life then"
        about = f"{age:.0f} of {expected[0]:.0f} h ({expected[1]}), {use.a_day:.1f} h a day"
        yield Expected(printer, c.label, c.place, by, f"It is {past}: {about}.", component_id=c.pk)


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
