"""What will be worn out in the next quarter, on which machine, why, and how sure that is.

From the life of parts (this workshop's own where enough of a kind have failed here, else typical) at each machine's own use,
and from figures whose course reaches a limit that adjusting does not mend. Not here: what is worn already (`parts`).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from django.db import transaction
from kestov_core import knowledge, procedures
from kestov_core.condition.use import Use
from kestov_core.knowledge.part_kinds import part_kinds
from measuring.models import Standing
from people.clock import now
from procrastinate.contrib.django import app
from work import kinds
from work.doing import Progress, ask_once
from workshop.components import life_hours
from workshop.models import Component, Printer, of_these

from .lives import Lives, ages_of, left
from .models import KeptForecast

QUARTER = timedelta(days=91)
#: So many parts are named, the soonest; what was worked out holds so long, where no worker makes it anew.
_MOST, _KEPT = 400, timedelta(hours=36)
_AS_THEY_ARE = ("label", "place", "why", "chance", "low", "high", "component_id")
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


@dataclass(frozen=True)
class Quarter:
    """What will be wanted, the soonest first; ``more``: so many more of parts; ``as_of``: when that was worked out."""

    rows: list[Expected]
    more: int
    as_of: datetime


def next_quarter() -> Quarter:
    """What all machines in use will want until then: parts as a worker has worked it out, courses as they stand now."""
    printers = Printer.on_the_floor()
    kept = KeptForecast.objects.order_by("-at").first()
    if kept is None or now() - kept.at > _KEPT:
        parts, more, at = *_worked_out(printers), now()
    else:
        parts, more, at = _read(kept, printers), kept.more, kept.at
    rows = [*parts, *_by_course(printers)]
    return Quarter(sorted(rows, key=lambda e: (e.by, e.printer.name, e.label)), more, at)


def ask_anew(**told: Any) -> None:
    """Have it worked out anew: parts sit otherwise, or machines were used more than was known."""
    ask_once("forecast", "What the next quarter will want", None, {})


def _worked_out(printers: list[Printer]) -> tuple[list[Expected], int]:
    rows = sorted(_by_life(printers), key=lambda e: (e.by, e.printer.name, e.label))
    return rows[:_MOST], max(0, len(rows) - _MOST)


def _work_out(progress: Progress, told: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    rows, more = _worked_out(Printer.on_the_floor())
    with transaction.atomic():
        KeptForecast.objects.all().delete()
        KeptForecast.objects.create(at=now(), rows=[_kept(e) for e in rows], more=more)
    return f"{len(rows) + more} parts.", {"parts": len(rows) + more}


def _kept(e: Expected) -> dict[str, Any]:
    return {"printer": e.printer.pk, "by": e.by.isoformat(), **{f: getattr(e, f) for f in _AS_THEY_ARE}}


def _read(kept: KeptForecast, printers: list[Printer]) -> list[Expected]:
    """What was kept, without what has been taken out since."""
    named = {p.pk: p for p in printers}
    ids = [r["component_id"] for r in kept.rows]
    there = set(Component.objects.filter(pk__in=ids, removed_on=None).values_list("pk", flat=True))
    return [
        Expected(named[r["printer"]], by=date.fromisoformat(r["by"]), **{f: r[f] for f in _AS_THEY_ARE})
        for r in kept.rows
        if r["printer"] in named and r["component_id"] in there
    ]


kinds.register(kinds.Kind("forecast", _work_out, quiet=True))


@app.periodic(cron="40 2 * * *")
@app.task(name="forecast", queueing_lock="forecast")
def nightly(timestamp: int) -> None:
    """Parts grow older by themselves."""
    ask_anew()


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
            half = life.when(0.5).value
            why = f"Of {len(lives.rows(c))} here {lives.failures(c)} have failed, half by {half:.0f} h. This one has run {age:.0f} h, {use.a_day:.1f} h a day."
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
