"""What falls due on a machine by its condition, whatever the intervals say: what a task measures is in doubt, or its parts are worn by use.

Done once it rests: until the next doubt, or for a month. Not here: intervals (the core's), what a machine itself asks for (`rounds`).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import timedelta

from kestov_core.condition.use import Meter
from kestov_core.knowledge.tasks import Task
from measuring.models import Standing
from people.clock import now
from workshop import components
from workshop.models import Component, PartType, Printer, of_these

from .models import Done

#: What was looked at, and has its expected life behind it, is asked for again after so long (typical); so many parts are named.
_REST, _NAMED = timedelta(days=30), 3
#: By machine, then by task.
Known = Mapping[int, Mapping[str, Task]]
Last = Mapping[int, Mapping[str, Done]]


def asked(
    printers: Sequence[Printer], known: Known, hours: Mapping[int, Meter], last: Last
) -> dict[int, dict[str, str]]:
    """Tasks that are due at once, by machine, each with why."""
    out: dict[int, dict[str, str]] = {p.pk: {} for p in printers}
    for pk, task, words in [*_in_doubt(printers, known, last), *_worn(printers, known, hours, last)]:
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


def _worn(
    printers: Sequence[Printer], known: Known, hours: Mapping[int, Meter], last: Last
) -> list[tuple[int, str, str]]:
    """Tasks whose parts have their expected life behind them, unless they were looked at of late; the furthest over first."""
    wanted = _of(known, "life")
    if not wanted:
        return []
    worn: dict[int, list[tuple[float, str, str]]] = defaultdict(list)
    kinds = {kind for _, t in wanted for kind in t.parts}
    rows, types = (
        Component.objects.filter(of_these(printers), removed_on=None, kind__in=kinds),
        PartType.objects.in_bulk(),
    )
    for c in rows.only("printer_id", "kind", "label", "type_id", "fitted_on", "fitted_hours", "brought_hours"):
        c.type = types.get(c.type_id) if c.type_id is not None else None
        life = components.life_hours(c)
        age = components.age_hours(c, hours[c.printer_id]) if c.printer_id in hours else None
        if age is not None and life is not None and age[0] >= life[0]:
            words = f"{c.label}: {age[0]:.0f} of {life[0]:.0f} h ({life[1]})"
            worn[c.printer_id].append((-age[0] / life[0], words, c.kind))
    out = []
    for pk, task in wanted:
        done = last[pk].get(task.id) if pk in last else None
        mine = [words for _, words, kind in sorted(worn[pk]) if kind in task.parts]
        if mine and (done is None or now() - done.at > _REST):
            more = f"; and {len(mine) - _NAMED} more" if len(mine) > _NAMED else ""
            out.append((pk, task.id, f"{'; '.join(mine[:_NAMED])}{more}."))
    return out
