"""What falls due on a machine by its condition, whatever the intervals say: what a task measures is in doubt, or its parts are worn by use.

Done once it rests: until the next doubt, or for a month. Not here: intervals (the core's), what a machine itself asks for (`rounds`).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta
from functools import lru_cache
from typing import NamedTuple

from kestov_core.condition.use import Meter, Reading, Use
from kestov_core.knowledge.tasks import Task
from measuring.models import Standing
from people.clock import now
from workshop import components
from workshop.meters import hour_of, since_read
from workshop.models import Component, Printer, of_these

from .tasks import Last as Then

#: What was looked at, and has its expected life behind it, is asked for again after so long (typical); so many parts are named.
_REST, _NAMED = timedelta(days=30), 3
#: By machine, then by task.
Known = Mapping[int, Mapping[str, Task]]
Last = Mapping[int, Mapping[str, Then]]


class Part(NamedTuple):
    """A part with what its age rests on, as `components.age_hours` reads it, and its life; named as it is asked for."""

    kind: str
    label: str
    type__life_hours: float | None
    fitted_on: date | None
    fitted_hours: float | None
    brought_hours: float


def sitting(printers: Sequence[Printer]) -> dict[int, list[Part]]:
    """The parts that sit in machines, by machine."""
    out: dict[int, list[Part]] = {p.pk: [] for p in printers}
    rows = Component.objects.filter(of_these(printers), removed_on=None).order_by("id")
    for pk, *told in rows.values_list("printer_id", *Part._fields):
        if pk in out:
            out[pk].append(Part(*told))
    return out


def asked(
    printers: Sequence[Printer],
    known: Known,
    hours: Mapping[int, Meter],
    last: Last,
    parts: Mapping[int, Sequence[Part]],
) -> dict[int, dict[str, str]]:
    """Tasks that are due at once, by machine, each with why."""
    out: dict[int, dict[str, str]] = {p.pk: {} for p in printers}
    for pk, task, words in [*_in_doubt(printers, known, last), *_worn(known, hours, last, parts)]:
        out[pk][task] = words
    return out


def _of(known: Known, when: str) -> list[tuple[int, Task]]:
    return [(pk, t) for pk, mine in known.items() for t in mine.values() if t.when == when]


def _in_doubt(printers: Sequence[Printer], known: Known, last: Last) -> list[tuple[int, str, str]]:
    """Tasks whose measurement is in doubt since they were done last."""
    wanted = _of(known, "doubt")
    if not wanted:
        return []
    doubts: dict[tuple[int, str], list[Standing]] = defaultdict(list)
    rows = Standing.objects.filter(of_these(printers), procedure__in={t.measure for _, t in wanted}).exclude(doubt="")
    for s in rows.order_by("place"):
        doubts[s.printer_id, s.procedure].append(s)
    out = []
    for pk, task in wanted:
        done = last[pk].get(task.id) if pk in last else None
        mine = doubts[pk, task.measure or ""]
        newer = [s for s in mine if done is None or s.doubt_at is None or s.doubt_at > done.at]
        if newer:
            out.append((pk, task.id, f"In doubt at {', '.join(s.place.upper() for s in newer)}: {newer[0].doubt}."))
    return out


class _Stands(NamedTuple):
    """A meter as it stood last, and its use of late."""

    last: Reading | None
    use: Use | None

    @classmethod
    def of(cls, meter: Meter) -> _Stands:
        return cls(meter.last, meter.use)


@lru_cache(maxsize=2048)
def _over(parts: tuple[Part, ...], stands: _Stands, moment: datetime) -> tuple[tuple[float, str, str], ...]:
    """Parts of a machine that have their expected life behind them, the furthest over first: how far, in words, of which kind.

    What it rests on changes seldom; of a whole floor there are thousands.
    """
    meter, out = Meter.standing(*stands), []
    for p in parts:
        age, life = components.age_hours(p, meter, moment), components.life_of(p.kind, p.type__life_hours)
        if age is not None and life is not None and age[0] >= life[0]:
            out.append((-age[0] / life[0], f"{p.label}: {age[0]:.0f} of {life[0]:.0f} h ({life[1]})", p.kind))
    return tuple(sorted(out))


def _worn(
    known: Known, hours: Mapping[int, Meter], last: Last, parts: Mapping[int, Sequence[Part]]
) -> list[tuple[int, str, str]]:
    """Tasks whose parts have their expected life behind them, unless they were looked at of late; the furthest over first."""
    wanted = _of(known, "life")
    kinds = {kind for _, t in wanted for kind in t.parts}
    worn = {
        pk: _over(tuple(p for p in mine if p.kind in kinds), _Stands.of(hours[pk]), since_read(hours[pk], hour_of(pk)))
        for pk, mine in parts.items()
        if wanted and pk in hours
    }
    out = []
    for pk, task in wanted:
        done = last[pk].get(task.id) if pk in last else None
        mine = [words for _, words, kind in worn.get(pk, ()) if kind in task.parts]
        if mine and (done is None or now() - done.at > _REST):
            more = f"; and {len(mine) - _NAMED} more" if len(mine) > _NAMED else ""
            out.append((pk, task.id, f"{'; '.join(mine[:_NAMED])}{more}."))
    return out
