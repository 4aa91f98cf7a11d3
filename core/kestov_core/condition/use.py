"""How much a machine was used: what its meter showed, what its job logs tell in between, and what is estimated where neither does.

A meter that began anew is carried on. What is estimated says so, with how far it may be off. Not here: whether a reading can be.
"""

from __future__ import annotations

import bisect
import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta, tzinfo
from functools import cached_property

#: Use is worked out from the readings of so long; a machine's use changes with the seasons.
OF_LATE = timedelta(days=200)
#: Without a second reading use is not known; so far ahead nobody estimates.
NO_FURTHER = timedelta(days=400)
#: A stretch between two readings of which a log tells all but this share is told by the log.
_GAP = 0.02
#: Where nothing counts them: filament (kg) and travel (km) an hour of print, typical of small machines (a third to treble).
TYPICAL_KG, TYPICAL_KM = 0.015, {"x": 0.12, "y": 0.12, "z": 0.0006}
_THRICE = 2.0


@dataclass(frozen=True)
class Reading:
    """What a meter showed. ``reset``: it had begun anew before."""

    at: datetime
    value: float
    reset: bool = False


@dataclass(frozen=True)
class Logged:
    """What job logs tell of a stretch of time."""

    begin: datetime
    end: datetime
    amount: float


@dataclass(frozen=True)
class Amount:
    """What a meter stands at, at a moment. ``estimated``: neither read nor logged; ``u95``: how far that may be off; ``read_at``: of the
    last that is known.
    """

    value: float
    estimated: bool
    u95: float
    read_at: datetime


@dataclass(frozen=True)
class Use:
    """Use a day, and how far that may be off (95 %): from how unevenly the machine was used."""

    a_day: float
    u95: float


@dataclass(frozen=True)
class _Point:
    """``logged``: how it came here from the point before is told by a log."""

    at: datetime
    value: float
    logged: bool = False


class Meter:
    """A meter of one machine, from what it showed and what its logs tell, each in order of time.

    ``most_a_day``: what no day adds more of (of hours: 24). ``before``: what logs told before those that are given, where it was never
    read.

    Examples
    --------
    >>> from datetime import UTC
    >>> day = lambda d: datetime(2026, 5, d, tzinfo=UTC)
    >>> meter = Meter([Reading(day(1), 100.0), Reading(day(11), 150.0)], [Logged(day(1), day(6), 40), Logged(day(6), day(11), 8)])
    >>> round(meter.at(day(6)).value, 1), meter.at(day(6)).estimated, meter.at(day(13)).estimated
    (141.7, False, True)
    """

    def __init__(
        self,
        readings: Sequence[Reading],
        logged: Sequence[Logged] = (),
        most_a_day: float = 24.0,
        before: float = 0.0,
    ) -> None:
        self._most_a_day = most_a_day
        # What it had shown before a reset is kept beneath what it shows since.
        known: list[_Point] = []
        beneath = last = 0.0
        for row in readings:
            if row.reset:
                beneath += last
            last = row.value
            known.append(_Point(row.at, beneath + row.value))
        #: What it showed last, by itself; None where it was never read.
        self.shown = last if readings else None
        self._points = _joined(known, logged, before)

    @cached_property
    def use(self) -> Use | None:
        """Use of late; None with fewer than two readings some days apart."""
        if not self._points:
            return None
        since = self._points[-1].at - OF_LATE
        rows = [p for p in self._points if p.at >= since]
        days = _days(rows[0].at, rows[-1].at)
        if len(rows) < 2 or days < 3:
            return None
        mean = (rows[-1].value - rows[0].value) / days
        rates = [((b.value - a.value) / d, d) for a, b in itertools.pairwise(rows) if (d := _days(a.at, b.at)) > 0.5]
        # Of one stretch alone nothing tells how even it was: half of it is typical.
        spread = 0.5 * mean
        if len(rates) > 1:
            spread = 2 * (sum(d * (r - mean) ** 2 for r, d in rates) / sum(d for _, d in rates)) ** 0.5
        return Use(mean, max(spread, 0.1 * mean))

    def _before(self, long: timedelta, first: _Point) -> Amount | None:
        """What it stood at before the first that is known, by the use of late; None where that is not known, or too long ago."""
        use = self.use
        if use is None or long > OF_LATE:
            return None
        days = long.total_seconds() / 86400
        return Amount(max(0.0, first.value - use.a_day * days), True, use.u95 * days, first.at)

    def at(self, moment: datetime) -> Amount | None:
        """What it stands at: between two that are known in proportion, after the last and before the first by the use of late."""
        if not self._points:
            return None
        first = self._points[0]
        if moment < first.at:
            return self._before(first.at - moment, first)
        i = bisect.bisect_right(self._points, moment, key=lambda p: p.at)
        if i < len(self._points):
            a, b = self._points[i - 1], self._points[i]
            share = (moment - a.at) / (b.at - a.at)
            guessed = share > 0 and not b.logged
            return Amount(
                a.value + share * (b.value - a.value), guessed, (b.value - a.value) / 4 if share else 0.0, a.at
            )
        last = self._points[-1]
        days = _days(last.at, min(moment, last.at + NO_FURTHER))
        use = self.use
        if use is None or days < 0.5:
            return Amount(last.value, days >= 0.5, 0.0 if days < 0.5 else days * self._most_a_day / 2, last.at)
        return Amount(last.value + use.a_day * days, True, use.u95 * days, last.at)

    def over(self, begin: datetime, end: datetime) -> Amount | None:
        """How far it went between two moments: from the first that is known of it, where that is later."""
        there = self.at(end)
        if there is None:
            return None
        first = self._points[0]
        then = self.at(begin) or Amount(first.value, False, 0.0, first.at)
        off = math.hypot(there.u95, then.u95)
        return Amount(max(0.0, there.value - then.value), there.estimated or then.estimated, off, there.read_at)

    @property
    def last(self) -> Reading | None:
        """The last that is known of it, with what began anew carried on; None where nothing is."""
        return Reading(self._points[-1].at, self._points[-1].value) if self._points else None

    @classmethod
    def standing(cls, last: Reading | None, use: Use | None, most_a_day: float = 24.0) -> Meter:
        """A meter of which only the last is known, and its use of late: from then on it tells the same as the whole of it."""
        meter = cls([], most_a_day=most_a_day)
        meter._points = [] if last is None else [_Point(last.at, last.value)]
        meter.__dict__["use"] = use
        return meter

    def scaled(self, factor: float) -> Meter:
        """What usually goes with it (as filament with hours): by a typical figure, so all of it is estimated."""
        other = _Typical([])
        other.shown, other._points = None, [_Point(p.at, p.value * factor) for p in self._points]
        other.__dict__["use"] = self.use and Use(self.use.a_day * factor, self.use.u95 * factor)
        return other


class _Typical(Meter):
    """A meter that nobody read: all that it says may be a third, or treble."""

    def at(self, moment: datetime) -> Amount | None:
        there = super().at(moment)
        return there and Amount(there.value, True, _THRICE * there.value, there.read_at)


def stretches(weeks: Mapping[date, float], logs: Sequence[tuple[datetime, datetime]], zone: tzinfo) -> list[Logged]:
    """What logs tell, week by week from Monday: ``weeks`` by their Monday, within the times that the logs span.

    A week that they name nothing of, but span, was one without use.
    """
    spans: list[tuple[datetime, datetime]] = []
    for begin, end in sorted(logs):
        if spans and begin <= spans[-1][1]:
            spans[-1] = (spans[-1][0], max(end, spans[-1][1]))
        else:
            spans.append((begin, end))
    cut: list[tuple[date, datetime, datetime]] = []
    for begin, end in spans:
        at = begin
        while at < end:
            day = at.astimezone(zone).date()
            monday = day - timedelta(days=day.weekday())
            after = datetime.combine(monday + timedelta(days=7), datetime.min.time(), zone)
            cut.append((monday, at, min(end, after)))
            at = cut[-1][2]
    long: dict[date, float] = {}
    for monday, begin, end in cut:
        long[monday] = long.get(monday, 0.0) + _days(begin, end)
    return [Logged(b, e, weeks.get(m, 0.0) * _days(b, e) / long[m]) for m, b, e in cut]


def _days(begin: datetime, end: datetime) -> float:
    return (end - begin).total_seconds() / 86400


def _joined(known: list[_Point], logged: Sequence[Logged], before: float) -> list[_Point]:
    """Readings and logs as one course: logs tell how it went between two readings, and go on after the last."""
    if not logged:
        return known
    if not known:
        known = [_Point(logged[0].begin, before)]
    out = _up_to(known[0], [s for s in logged if s.begin < known[0].at])
    for a, b in itertools.pairwise(known):
        out += [*_between(a, b, _cut(logged, a.at, b.at)), _Point(b.at, b.value, _told(logged, a, b))]
    return out + _onward(known[-1], _cut(logged, known[-1].at, None))


def _cut(logged: Sequence[Logged], begin: datetime, end: datetime | None) -> list[Logged]:
    """The stretches that lie between two moments; of one that only partly does, its part."""
    out = []
    first = bisect.bisect_right(logged, begin, key=lambda s: s.end)
    last = len(logged) if end is None else bisect.bisect_left(logged, end, key=lambda s: s.begin)
    for s in logged[first:last]:
        b, e = max(s.begin, begin), s.end if end is None else min(s.end, end)
        if b == s.begin and e == s.end:
            out.append(s)
        elif b < e:
            out.append(Logged(b, e, s.amount * ((e - b) / (s.end - s.begin))))
    return out


def _told(logged: Sequence[Logged], a: _Point, b: _Point) -> bool:
    """Whether the last piece before a reading is told by a log."""
    at = bisect.bisect_left(logged, b.at, key=lambda s: s.end)
    return at < len(logged) and logged[at].begin < b.at


def _between(a: _Point, b: _Point, logged: list[Logged]) -> list[_Point]:
    """Points between two readings. The readings rule: where the log tells all of it, or more, its amounts are stretched to fit."""
    sum_logged = sum(s.amount for s in logged)
    rise, all_of_it = b.value - a.value, _days(a.at, b.at)
    dark = all_of_it - sum(_days(s.begin, s.end) for s in logged)
    if not logged or sum_logged <= 0:
        return []
    stretched = dark <= _GAP * all_of_it or sum_logged > rise
    factor = rise / sum_logged if stretched else 1.0
    a_day = 0.0 if stretched else (rise - sum_logged) / dark
    return [p for p in _walk(a, logged, factor, a_day) if p.at < b.at]


def _onward(last: _Point, logged: list[Logged]) -> list[_Point]:
    """Points after the last reading; what lies between two logs is taken to have gone as the logs tell."""
    long = sum(_days(s.begin, s.end) for s in logged)
    return _walk(last, logged, 1.0, sum(s.amount for s in logged) / long if long else 0.0)


def _walk(a: _Point, logged: list[Logged], factor: float, a_day: float) -> list[_Point]:
    out, at, value = [], a.at, a.value
    for s in logged:
        if _days(at, s.begin) > 0:
            value += a_day * _days(at, s.begin)
            out.append(_Point(s.begin, value))
        at, value = s.end, value + factor * s.amount
        out.append(_Point(at, value, True))
    return out


def _up_to(first: _Point, logged: list[Logged]) -> list[_Point]:
    """Points before the first reading, as its logs tell, and that reading."""
    logged = _cut(logged, datetime.min.replace(tzinfo=first.at.tzinfo), first.at)
    if not logged:
        return [first]
    out = _walk(_Point(logged[0].begin, 0.0), [*logged], 1.0, 0.0)
    too_much = out[-1].value - first.value
    shifted = [_Point(p.at, max(0.0, p.value - too_much), p.logged) for p in [_Point(logged[0].begin, 0.0), *out]]
    return [*(p for p in shifted if p.at < first.at), _Point(first.at, first.value, shifted[-1].logged)]
