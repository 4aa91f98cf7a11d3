"""How much a machine was used: its meter as it was read, its job logs in between, and what is estimated where neither tells.

A reading that goes backwards, or a leap that the calendar forbids, is refused with why. Not here: the reckoning (the core's).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from django.db import transaction
from django.db.models import Q, QuerySet, Sum
from django.utils import timezone
from kestov_core.condition.use import OF_LATE, TYPICAL_KG, TYPICAL_KM, Meter, Reading, Use, stretches
from people.clock import now
from people.models import User, audit, name_of
from people.refusals import Refused

from . import tags, timeline
from .models import JobLog, LoggedWeek, MeterNow, MeterReading, Printer

#: A meter may run fast by so much, and was read within so many hours.
_FAST, _READ_WITHIN_H = 1.02, 1.0
#: No day uses more (kg, km by axis).
_MOST_KG, _MOST_KM = 10.0, 50.0


Span = tuple[datetime, datetime]


@dataclass(frozen=True)
class Meters:
    """All meters of a machine. ``filament`` in kg; ``travel`` in km by axis. ``typical``: of those, what nobody counts, so that it
    goes by the hours (``filament``, or the axis).
    """

    hours: Meter
    filament: Meter
    travel: dict[str, Meter]
    typical: frozenset[str]


def meters_of(printer: Printer) -> Meters:
    """All meters of a machine."""
    rows = list(MeterReading.objects.filter(printer=printer).order_by("at", "id"))
    spans = _spans({"printer": printer})[printer.pk]
    weeks = list(LoggedWeek.objects.filter(printer=printer)) if spans else []
    return _meters(rows, weeks, spans)


def meter_of(printer: Printer) -> Meter:
    """The meter of a machine's hours, as it went ever."""
    return _hours([printer.pk], {"printer": printer}, None)[printer.pk]


def hours_since(printers: Iterable[Printer], since: datetime) -> dict[int, Meter]:
    """How the hours of machines went since a moment, by their keys."""
    ids = [p.pk for p in printers]
    # Of many, what belongs to any machine: quicker asked for than by their names.
    # What lies before tells how it went up to the reading that follows it.
    return _hours(ids, {"printer__in": ids} if len(ids) <= 20 else {}, _monday(since - OF_LATE))


def hours_now(printers: Iterable[Printer | int]) -> dict[int, Meter]:
    """How the hours of machines stand now, and their use of late, by their keys: as it is kept."""
    ids = [p if isinstance(p, int) else p.pk for p in printers]
    rows = MeterNow.objects.all() if len(ids) > 20 else MeterNow.objects.filter(printer__in=ids)
    kept = {r.printer_id: r for r in rows}
    return {pk: _standing(kept[pk]) if pk in kept else Meter([]) for pk in ids}


def hour_of(printer: int) -> datetime:
    """When a machine's hour has begun: what is worked out of it as of then holds for an hour. Each machine's begins at a minute of its
    own, so that a floor is not worked out anew all at one moment.
    """
    later = timedelta(minutes=37 * printer % 60)
    return (now() - later).replace(minute=0, second=0, microsecond=0) + later


def since_read(meter: Meter, moment: datetime) -> datetime:
    """A moment, or when the meter was last read, where that is later."""
    return moment if meter.last is None else max(moment, meter.last.at)


def _standing(r: MeterNow) -> Meter:
    last = None if r.at is None or r.hours is None else Reading(r.at, r.hours)
    return Meter.standing(last, None if r.a_day is None or r.u95 is None else Use(r.a_day, r.u95))


def keep(printers: Iterable[int]) -> None:
    """Keep where the hours of machines stand now, from all that tells of them."""
    ids = list(printers)
    found = _hours(ids, {"printer__in": ids}, None)
    rows = []
    for pk, meter in found.items():
        last, use = meter.last, meter.use
        told = MeterNow(printer_id=pk)
        told.at, told.hours = (last.at, last.value) if last else (None, None)
        told.a_day, told.u95 = (use.a_day, use.u95) if use else (None, None)
        rows.append(told)
    names = ["at", "hours", "a_day", "u95"]
    MeterNow.objects.bulk_create(rows, update_conflicts=True, unique_fields=["printer"], update_fields=names)


def keep_missing() -> int:
    """Keep it of machines of which nothing is kept yet; how many those were."""
    ids = list(Printer.objects.exclude(pk__in=MeterNow.objects.values("printer")).values_list("pk", flat=True))
    keep(ids)
    return len(ids)


def _spans(of: dict[str, Any]) -> dict[int, list[Span]]:
    """The times that the logs of machines tell of."""
    out: dict[int, list[Span]] = defaultdict(list)
    taken = JobLog.objects.filter(**of, taken_at__isnull=False).values_list("printer_id", "began", "ended")
    for printer, began, ended in taken:
        if began is not None and ended is not None:
            out[printer].append((began, ended))
    return out


def _hours(ids: list[int], of: dict[str, Any], late: date | None) -> dict[int, Meter]:
    """Meters of hours from all readings and their logs, or those of late; of a whole floor no row becomes an object."""
    zone, spans = timezone.get_default_timezone(), _spans(of)
    readings: dict[int, list[Reading]] = defaultdict(list)
    for printer, at, hours, reset in _readings_of(of, late):
        readings[printer].append(Reading(at, hours, reset))
    weeks: dict[int, dict[date, float]] = defaultdict(dict)
    before: dict[int, float] = {}
    if spans:
        rows = LoggedWeek.objects.filter(**of).order_by()
        if late is not None:
            before = dict(rows.filter(monday__lt=late).values_list("printer").annotate(Sum("hours")))
            rows = rows.filter(monday__gte=late)
            begin = datetime.combine(late, datetime.min.time(), zone)
            spans = {p: [(max(b, begin), e) for b, e in mine if e > begin] for p, mine in spans.items()}
        for printer, monday, hours in rows.values_list("printer_id", "monday", "hours"):
            weeks[printer][monday] = hours
    return {
        pk: Meter(readings[pk], stretches(weeks[pk], spans.get(pk, []), zone), before=before.get(pk, 0.0)) for pk in ids
    }


def _readings_of(of: dict[str, Any], late: date | None) -> list[tuple[int, datetime, float, bool]]:
    """Readings by time as (machine, when, hours, reset): all, or those of late with the one before; of a meter that began anew all."""
    rows = MeterReading.objects.filter(**of)
    names = ("printer_id", "at", "hours", "reset")
    if late is None:
        return list(rows.order_by("at", "id").values_list(*names))
    reset = Q(printer__in=rows.filter(reset=True).values("printer"))
    newer = Q(at__date__gte=late)
    before = rows.exclude(newer | reset).order_by("printer_id", "-at", "-id").distinct("printer_id")
    of_late = rows.filter(newer | reset).order_by("at", "id")
    return [*before.values_list(*names), *of_late.values_list(*names)]


def _monday(moment: datetime) -> date:
    day = timezone.localdate(moment)
    return day - timedelta(days=day.weekday())


def _meters(rows: list[MeterReading], weeks: list[LoggedWeek], spans: list[Span]) -> Meters:
    zone = timezone.get_default_timezone()
    hours = Meter(
        [Reading(r.at, r.hours, r.reset) for r in rows],
        stretches({w.monday: w.hours for w in weeks}, spans, zone),
    )
    typical = set()

    def counted(name: str, read: dict[int, float], logged: dict[date, float], most: float, factor: float) -> Meter:
        known = [Reading(r.at, read.get(r.pk, 0.0), r.reset) for r in rows if r.pk in read or r.reset]
        if not read and not logged:
            typical.add(name)
            return hours.scaled(factor)
        return Meter(known, stretches(logged, spans, zone) if logged else (), most)

    axes = sorted({*TYPICAL_KM, *(a for r in rows for a in r.travel_km), *(a for w in weeks for a in w.travel_km)})
    filament = counted(
        "filament",
        {r.pk: r.filament_kg for r in rows if r.filament_kg is not None},
        {w.monday: w.filament_kg for w in weeks if w.filament_kg is not None},
        _MOST_KG,
        TYPICAL_KG,
    )
    travel = {
        axis: counted(
            axis,
            {r.pk: r.travel_km[axis] for r in rows if axis in r.travel_km},
            {w.monday: w.travel_km[axis] for w in weeks if axis in w.travel_km},
            _MOST_KM,
            TYPICAL_KM.get(axis, TYPICAL_KM["x"]),
        )
        for axis in axes
    }
    return Meters(hours, filament, travel, frozenset(typical))


@transaction.atomic
def read(
    printer: Printer,
    hours: float,
    user: User,
    filament_kg: float | None = None,
    travel_km: dict[str, float] | None = None,
    reset: bool = False,
) -> MeterReading:
    """Write down what a meter shows. ``reset``: it began anew (a replaced board); refused where it cannot be so."""
    Printer.objects.select_for_update().get(pk=printer.pk)
    moment, travel = now(), travel_km or {}
    known = MeterReading.objects.filter(printer=printer).order_by("at", "id")
    last = known.last()
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
        _no_way_back(list(known), filament_kg, travel)
    row = MeterReading.objects.create(
        printer=printer,
        hours=hours,
        filament_kg=filament_kg,
        travel_km=travel,
        reset=reset and last is not None,
        at=moment,
        by=user,
    )
    keep([printer.pk])
    tags.parts_or_use_changed.send(sender=MeterReading)
    again = " The meter began anew." if row.reset else ""
    audit(user, "read", printer, f"{printer.name} has printed {hours:g} h by its meter.{again}")
    return row


def _no_way_back(known: list[MeterReading], filament_kg: float | None, travel: dict[str, float]) -> None:
    """Refuse filament or travel that has gone back since it was last read."""
    since = next((i for i in range(len(known) - 1, -1, -1) if known[i].reset), 0)
    for row in known[since:]:
        if filament_kg is not None and row.filament_kg is not None and filament_kg < row.filament_kg:
            raise Refused(422, "out_of_range", f"Filament has gone back, from {row.filament_kg:g} kg.", "filament_kg")
        for axis, km in travel.items():
            if km < row.travel_km.get(axis, 0.0):
                words = f"The travel of {axis.upper()} has gone back, from {row.travel_km[axis]:g} km."
                raise Refused(422, "out_of_range", words, f"travel_km.{axis}")


def _readings(asked: timeline.Asked) -> QuerySet[MeterReading]:
    rows = MeterReading.objects.filter(printer=asked.printer)
    return rows.none() if asked.place or asked.case is not None else rows


@timeline.register(lambda asked: [(_readings(asked), "at")])
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
