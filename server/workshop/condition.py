"""Condition of a printer's places and axes from the record, and its fitness. The rules are the core's."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any

from kestov_core.condition import Condition, Evidence, Fitness, condition_of, fitness_of, worst
from kestov_core.machine import AXES_OF_BELT
from measuring.models import Capture, Result, latest_results
from people.clock import now

from .models import Printer

if TYPE_CHECKING:
    from measuring.changes import Changes

_WORDS = {
    "out_of_adjustment": "belt {place} is out of adjustment",
    "worn": "belt {place} is worn",
    "failed": "belt {place} has failed",
}
#: Procedures that judge an axis or its motor, not a belt.
_OF_AXES = ("backlash", "steps", "motor-current")
_AXIS_WORDS = {
    "out_of_adjustment": "a setting of {place} is off",
    "worn": "axis {place} has play",
}


@dataclass
class PlaceCondition:
    """Condition of one place (a belt), why, and the evidence it rests on. ``in_doubt``: overtaken by a change."""

    place: str
    condition: Condition
    why: str
    at: datetime | None = None
    procedure: str | None = None
    quantity: dict[str, Any] | None = None
    capture_id: str | None = None
    in_doubt: bool = False


@dataclass
class PrinterCondition:
    """Condition of all places and axes, and the fitness that follows."""

    places: list[PlaceCondition]
    axes: dict[str, Condition]
    fitness: Fitness
    reason: str
    troubles: list[str] = field(default_factory=list)
    # Axes and motors whose figure was overtaken by a change: to be measured again.
    doubts: list[PlaceCondition] = field(default_factory=list)


def condition(printer: Printer, open_case_in_work: bool = False) -> PrinterCondition:
    """Derive the condition of every belt and axis of a printer."""
    from cases.siblings import look_first
    from measuring.changes import Changes

    changes = Changes(printer)
    motion = printer.model.motion()
    newest = latest_results(printer)
    places = [_of_place(place, newest, printer, changes) for place in motion.belts()]
    axes_of = AXES_OF_BELT[motion.kinematics]
    axes: dict[str, list[Condition]] = {a: [] for a in ("x", "y", "z")}
    on_axes = [
        _judge(c.place, (c, r), printer, changes)
        for c, r in newest
        if c.procedure in _OF_AXES and r.verdict != "not_judged"
    ]
    for found in on_axes:
        if found.place in axes:
            axes[found.place].append(found.condition)
    for found in places:
        for axis in axes_of.get(found.place, ()):
            axes[axis].append(found.condition)
    by_axis: dict[str, Condition] = {a: worst(c) for a, c in axes.items()}
    troubles = [
        (_WORDS[p.condition].format(place=p.place.upper()), p.condition) for p in places if p.condition in _WORDS
    ]
    troubles += [
        (_AXIS_WORDS[p.condition].format(place=p.place.upper()), p.condition)
        for p in on_axes
        if p.condition in _AXIS_WORDS
    ]
    held = look_first(printer)
    fitness, reason = fitness_of(printer.tagged_out or None, open_case_in_work, troubles, held)
    doubts = [p for p in on_axes if p.in_doubt]
    return PrinterCondition(places, by_axis, fitness, reason, [words for words, _ in troubles], doubts)


def _of_place(place: str, newest: list[tuple[Capture, Result]], printer: Printer, changes: Changes) -> PlaceCondition:
    mine = [(c, r) for c, r in newest if c.place == place and r.verdict != "not_judged"]
    # Tension by pitch or by deflection: the newer of the two speaks.
    tension = max(
        (cr for cr in mine if cr[0].procedure in ("belt-pluck", "belt-deflection")),
        key=lambda cr: cr[0].taken_at,
        default=None,
    )
    tracking = next((cr for cr in mine if cr[0].procedure == "belt-tracking"), None)
    judged = [_judge(place, cr, printer, changes) for cr in (tension, tracking) if cr is not None]
    if not judged:
        found, why = condition_of(None)
        return PlaceCondition(place, found, why)
    return next(j for j in judged if j.condition == worst([j.condition for j in judged]))


def _judge(place: str, evidence: tuple[Capture, Result], printer: Printer, changes: Changes) -> PlaceCondition:
    capture, result = evidence
    age = (now() - capture.taken_at).total_seconds() / 86400
    changed = changes.since(capture)
    lost = _lost_again(printer, place) if not changed and result.verdict == "out_of_tolerance" else 0
    found, why = condition_of(Evidence(capture.procedure, result.verdict, age, lost, changed))  # type: ignore[arg-type]
    quantity = result.headline
    return PlaceCondition(
        place, found, why, capture.taken_at, capture.procedure, quantity, str(capture.id), in_doubt=bool(changed)
    )


def _lost_again(printer: Printer, place: str) -> int:
    """How often in the last half year this belt went from within its limits to outside without being touched."""
    since = now() - timedelta(days=183)
    captures = (
        Capture.objects.filter(printer=printer, place=place, procedure="belt-pluck", taken_at__gte=since)
        .defer("data")
        .prefetch_related("results")
        .order_by("taken_at")
    )
    verdicts = [r.verdict for c in captures if (r := c.latest()) is not None]
    return sum(1 for a, b in itertools.pairwise(verdicts) if a in ("in_tolerance", "watch") and b == "out_of_tolerance")
