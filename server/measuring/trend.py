"""The course of one figure of a place: what it was each time, what was done in between, and when it reaches its limit.

Over the machine's hours of use where its meter was read, else over days. The fit and its uncertainty are the core's
(`wear-trend`). Not here: where the place stands now (`standing`).
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Collection, Iterable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any, Literal
from uuid import UUID

import numpy as np
from django.db.models import QuerySet
from kestov_core import procedures
from kestov_core.condition.use import Meter
from kestov_core.errors import BadInput
from kestov_core.procedures.wear_trend import WearTrendContext, WearTrendResult, follow
from workshop.meters import meter_of
from workshop.models import Printer

from .happened import happened
from .models import Capture, Result, Standing

#: So many of the newest figures are looked at; what is older is another machine.
_MOST = 60
Over = Literal["hours", "days"]


@dataclass(frozen=True)
class Point:
    """One figure: when, at how many hours (or days since the first), and which capture it came from."""

    at: datetime
    x: float
    value: float
    u95: float | None
    capture_id: UUID


@dataclass(frozen=True)
class Touched:
    """Something that was done to the place: the course before it is another one."""

    at: datetime
    x: float
    words: str


@dataclass
class Course:
    """The course of a figure. ``found``: what the core makes of it; ``soonest``, ``latest``: the days between which the limit is
    reached at this machine's own use (null where it is not, or nobody can tell).
    """

    words: str
    unit: str
    low: float | None
    high: float | None
    over: Over
    points: list[Point] = field(default_factory=list)
    touched: list[Touched] = field(default_factory=list)
    found: WearTrendResult | None = None
    soonest: datetime | None = None
    latest: datetime | None = None


def course(printer: Printer, place: str, procedure: str) -> Course | None:
    """The course of what a procedure judges at a place; None where it was never measured, or has no figure."""
    return _course(printer, place, procedure, meter_of(printer))


def reached_on(printer: Printer, place: str, procedure: str) -> datetime | None:
    """The earliest day on which the limit may be reached, over the calendar alone; None where nobody can tell."""
    made = _course(printer, place, procedure, Meter([]))
    return made.soonest if made is not None else None


def _course(printer: Printer, place: str, procedure: str, meter: Meter) -> Course | None:
    standing = Standing.objects.filter(printer=printer, place=place, procedure=procedure).first()
    if standing is None or standing.value is None:
        return None
    captures = Capture.objects.filter(printer=printer, place=place, procedure__in=alike(procedure)).current()
    newest = captures.order_by("-taken_at").values("pk")[:_MOST]
    rows = figures_in(newest, standing.words, standing.unit)[printer.pk]
    if not rows:
        return None
    out = _over(meter, [r.at for r in rows])
    made = Course(standing.words, standing.unit, standing.low, standing.high, out.over)
    made.points = [Point(r.at, out.x(r.at), r.value, r.u95, r.capture) for r in rows]
    motion = printer.motion()
    done = [h for h in happened(printer, rows[0].at) if h.overtakes(motion, procedure, place)]
    made.touched = [Touched(h.at, out.x(h.at), h.words) for h in sorted(done, key=lambda h: h.at)]
    made.found = _fitted(made, procedures.get(procedure).interval_days * out.a_day)
    _dated(made, out)
    return made


@dataclass(frozen=True)
class _Axis:
    """Along which a course runs: hours by the meter, or days from the first figure. ``a_day``, ``a_day_u95``: how many to a day."""

    over: Over
    a_day: float
    a_day_u95: float
    meter: Meter | None
    first: datetime

    def x(self, at: datetime) -> float:
        """A moment on this axis."""
        if self.meter is not None and (there := self.meter.at(at)) is not None:
            return there.value
        return (at - self.first).total_seconds() / 86400


def _over(meter: Meter, moments: list[datetime]) -> _Axis:
    use = meter.use
    known = use is not None and use.a_day > 0.05 and all(meter.at(m) is not None for m in moments)
    if known and use is not None:
        return _Axis("hours", use.a_day, use.u95, meter, moments[0])
    return _Axis("days", 1.0, 0.0, None, moments[0])


@dataclass(frozen=True)
class Figure:
    """One time's figure of a place; ``u95`` without what readings of one kind share."""

    at: datetime
    value: float
    u95: float | None
    capture: UUID


def alike(procedure: str) -> tuple[str, ...]:
    """All procedures that tell the same of a place as this one."""
    gives = procedures.get(procedure).gives
    return procedures.giving(gives) if gives else (procedure,)


def figures_in(captures: Collection[UUID] | QuerySet[Any], words: str, unit: str) -> dict[int, list[Figure]]:
    """What captures told under the same words, by machine, oldest first."""
    rows = Result.objects.filter(capture__in=captures).order_by("capture__taken_at", "computed_at")
    found: dict[UUID, tuple[int, Figure]] = {}
    read = rows.values_list("capture__printer_id", "capture_id", "capture__taken_at", "found__judged")
    for printer, key, at, judged in read:
        figure = _same(judged or [], words, unit)
        if figure is not None:
            found[key] = printer, Figure(at, figure[0], figure[1], key)
    out: dict[int, list[Figure]] = defaultdict(list)
    for printer, one in found.values():
        out[printer].append(one)
    return out


def _same(judged: Iterable[dict[str, Any]], words: str, unit: str) -> tuple[float, float | None] | None:
    for j in judged:
        quantity = j.get("quantity") or {}
        if j.get("words") == words and quantity.get("unit") == unit and quantity.get("value") is not None:
            return float(quantity["value"]), quantity.get("own") or quantity.get("u95")
    return None


def _fitted(made: Course, service: float | None) -> WearTrendResult | None:
    """What the core makes of it; against a band, whichever end it goes toward."""
    ends: list[tuple[float, Literal["rising", "falling"]]] = []
    if made.low is not None:
        ends.append((made.low, "falling"))
    if made.high is not None:
        ends.append((made.high, "rising"))
    hours, values = (np.array([getattr(p, name) for p in made.points]) for name in ("x", "value"))
    told = all(p.u95 for p in made.points)
    u95 = np.array([p.u95 if told else np.nan for p in made.points], dtype=float)
    found = []
    for limit, direction in ends:
        context = WearTrendContext(
            limit=limit,
            direction=direction,
            unit=made.unit or "1",
            interventions_hours=[max(0.0, t.x) for t in made.touched][-1000:],
            service_in_hours=service,
        )
        try:
            found.append(follow(context, hours, values, u95))
        except BadInput:
            continue
    return next((r for r in found if r.hours_to_limit is not None), found[0] if found else None)


def _dated(made: Course, out: _Axis) -> None:
    """The days between which the limit is reached at the machine's own use."""
    reached = made.found.hours_to_limit if made.found is not None else None
    if reached is None or reached.value <= 0 or not made.points:
        return
    fast, slow = out.a_day + out.a_day_u95, max(0.1 * out.a_day, out.a_day - out.a_day_u95)
    low = reached.low if reached.low is not None else reached.value
    high = reached.high if reached.high is not None else math.inf
    last = made.points[-1].at
    made.soonest = _later(last, low / fast)
    made.latest = _later(last, high / slow)


def _later(at: datetime, days: float) -> datetime | None:
    """A day that many days later; none beyond twenty years."""
    return at + timedelta(days=days) if days < 7300 else None
