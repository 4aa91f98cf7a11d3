"""The hours that a machine has run: what its meter showed, carried over a reset, and estimated from its use in between.

A reading that goes backwards, or a leap that the calendar forbids, is refused with why. What is estimated says so.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db.models import QuerySet
from people.clock import now
from people.models import User, audit, name_of
from people.refusals import Refused

from . import timeline
from .models import MeterReading, Printer

#: Use is worked out from the readings of so long; a machine's use changes with the seasons.
_OF_LATE = timedelta(days=200)
#: A meter may run fast by so much, and was read within so many hours.
_FAST, _READ_WITHIN_H = 1.02, 1.0
#: Without a second reading use is not known; so far ahead nobody estimates.
_NO_FURTHER = timedelta(days=400)


@dataclass(frozen=True)
class Hours:
    """Hours of use at a moment. ``estimated``: worked out from the use before, not read; ``u95``: how far that may be off;
    ``read_at``: of the last reading.
    """

    hours: float
    estimated: bool
    u95: float
    read_at: datetime


@dataclass(frozen=True)
class Use:
    """Hours of use a day, and how far that may be off (95 %): from how unevenly the machine was used."""

    a_day: float
    u95: float


class Meter:
    """The meter of one machine, from all of its readings."""

    def __init__(self, rows: Sequence[MeterReading]) -> None:
        # What it had shown before a reset is kept beneath what it shows since.
        self.points: list[tuple[datetime, float]] = []
        beneath = last = 0.0
        for row in rows:
            if row.reset:
                beneath += last
            last = row.hours
            self.points.append((row.at, beneath + row.hours))
        self.beneath = beneath

    @property
    def use(self) -> Use | None:
        """Use of late; None with fewer than two readings some days apart."""
        if not self.points:
            return None
        since = self.points[-1][0] - _OF_LATE
        rows = [p for p in self.points if p[0] >= since]
        days = (rows[-1][0] - rows[0][0]).total_seconds() / 86400
        if len(rows) < 2 or days < 3:
            return None
        mean = (rows[-1][1] - rows[0][1]) / days
        rates = [
            ((b[1] - a[1]) / d, d)
            for a, b in itertools.pairwise(rows)
            if (d := (b[0] - a[0]).total_seconds() / 86400) > 0.5
        ]
        # Of one stretch alone nothing tells how even it was: half of it is typical.
        spread = 0.5 * mean
        if len(rates) > 1:
            spread = 2 * (sum(d * (r - mean) ** 2 for r, d in rates) / sum(d for _, d in rates)) ** 0.5
        return Use(mean, max(spread, 0.1 * mean))

    def _before(self, long: timedelta, first: float, first_at: datetime) -> Hours | None:
        """Hours before the first reading, by the use of late; None where that is not known, or too long ago."""
        use = self.use
        if use is None or long > _OF_LATE:
            return None
        days = long.total_seconds() / 86400
        return Hours(max(0.0, first - use.a_day * days), True, use.u95 * days, first_at)

    def at(self, moment: datetime) -> Hours | None:
        """Hours at a moment: between two readings in proportion, after the last and before the first by the use of late."""
        if not self.points:
            return None
        first_at, first = self.points[0]
        if moment < first_at:
            return self._before(first_at - moment, first, first_at)
        for (t0, h0), (t1, h1) in itertools.pairwise(self.points):
            if t0 <= moment < t1:
                share = (moment - t0) / (t1 - t0)
                return Hours(h0 + share * (h1 - h0), share > 0, (h1 - h0) / 4 if share > 0 else 0.0, t0)
        last_at, last = self.points[-1]
        days = (min(moment, last_at + _NO_FURTHER) - last_at).total_seconds() / 86400
        use = self.use
        if use is None or days < 0.5:
            return Hours(last, days >= 0.5, 0.0 if days < 0.5 else days * 24 / 2, last_at)
        return Hours(last + use.a_day * days, True, use.u95 * days, last_at)


def meter_of(printer: Printer) -> Meter:
    """The meter of a machine."""
    return Meter(list(MeterReading.objects.filter(printer=printer).order_by("at", "id")))


def read(
    printer: Printer, hours: float, user: User, filament_m: float | None = None, reset: bool = False
) -> MeterReading:
    """Write down what a meter shows. ``reset``: it began anew (a replaced board); refused where it cannot be so."""
    Printer.objects.select_for_update().get(pk=printer.pk)
    moment = now()
    last = MeterReading.objects.filter(printer=printer).order_by("at", "id").last()
    if last is not None and moment < last.at:
        raise Refused(409, "too_late", "A later reading is there already.", "hours")
    if last is not None and not reset:
        if hours < last.hours:
            raise Refused(
                422,
                "out_of_range",
                f"The meter has gone back, from {last.hours:g} to {hours:g} h. Was the board replaced? Then say that it began anew.",
                "hours",
            )
        most = (moment - last.at).total_seconds() / 3600 * _FAST + _READ_WITHIN_H
        if hours - last.hours > most:
            raise Refused(
                422,
                "out_of_range",
                f"Since {last.at:%-d %B} no more than {most:.0f} h have passed, and the meter is to have counted {hours - last.hours:.0f}.",
                "hours",
            )
    if last is not None and not reset and filament_m is not None and (last.filament_m or 0) > filament_m:
        raise Refused(422, "out_of_range", f"Filament has gone back, from {last.filament_m:g} m.", "filament_m")
    row = MeterReading.objects.create(
        printer=printer, hours=hours, filament_m=filament_m, reset=reset and last is not None, at=moment, by=user
    )
    again = " The meter began anew." if row.reset else ""
    audit(user, "read", printer, f"{printer.name} has printed {hours:g} h by its meter.{again}")
    return row


def _readings(asked: timeline.Asked) -> QuerySet[MeterReading]:
    rows = MeterReading.objects.filter(printer=asked.printer)
    return rows.none() if asked.place or asked.case is not None else rows


@timeline.register(lambda asked: [_readings(asked).values_list("at")])
def _told(asked: timeline.Asked) -> list[timeline.Line]:
    return [
        timeline.Line(
            at=r.at,
            who=name_of(r.by),
            kind="happened",
            words=f"Meter: {r.hours:g} h" + (", begun anew" if r.reset else ""),
        )
        for r in asked.newest(_readings(asked).select_related("by"), "at")
    ]
