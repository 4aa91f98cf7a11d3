"""Condition of a machine's places and axes from their standings, and its fitness. The rules are the core's."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import cache, lru_cache
from typing import NamedTuple
from uuid import UUID

from kestov_core import knowledge, procedures
from kestov_core.condition import Condition, Evidence, Fitness, condition_of, fitness_of, worst
from kestov_core.machine import AXES_OF_BELT, Description, PlaceKind
from kestov_core.procedures.base import Procedure
from kestov_core.quantities import Verdict
from people.clock import Seconds
from workshop.meters import hour_of
from workshop.models import Printer, described, of_these

from .changes import ago
from .models import Standing

_NAMES: dict[str, str] = {"belt": "belt {p}", "motor": "motor {p}", "screw": "screw {p}", "axis": "{p}"}


class Stood(NamedTuple):
    """A standing as the conditions read it: of a whole floor there are thousands. ``taken``, ``doubted``, ``reaches``: seconds since 1970."""

    printer_id: int
    place: str
    procedure: str
    capture_id: UUID
    taken: float
    verdict: Verdict
    words: str
    value: float | None
    u95: float | None
    unit: str
    low: float | None
    high: float | None
    source: str
    lost: int
    doubt: str
    doubted: float | None
    reaches: float | None

    @property
    def taken_at(self) -> datetime:
        """When it was measured."""
        return datetime.fromtimestamp(self.taken, UTC)


_SECONDS = {"taken": "taken_at", "doubted": "doubt_at", "reaches": "reaches_at"}
_READ = [Seconds(_SECONDS[name]) if name in _SECONDS else name for name in Stood._fields]


#: What is wrong, in words, and the condition that it means.
Trouble = tuple[str, Condition]


@dataclass(slots=True)
class Shown:
    """One judged measurement of a place and what it says of today. ``in_doubt``: overtaken by a change."""

    procedure: str
    question: str
    trouble: str
    condition: Condition
    why: str
    standing: Stood
    in_doubt: bool


@dataclass
class PlaceCondition:
    """Condition of one place: the worst of what was measured there, and why. Belt x and axis x are two places."""

    kind: PlaceKind
    place: str
    name: str
    condition: Condition
    why: str
    evidence: list[Shown] = field(default_factory=list)

    @property
    def reason(self) -> str:
        """Why it stands so, with its name: what is wrong, or what was found."""
        shown = self.worst
        if shown is not None and self.condition in ("out_of_adjustment", "worn", "failed"):
            return _capital(f"{shown.trouble}. {self.why}")
        return _capital(f"{self.name}: {self.why[:1].lower()}{self.why[1:]}")

    @property
    def worst(self) -> Shown | None:
        """The measurement that the condition rests on."""
        return next((e for e in self.evidence if e.condition == self.condition), None)


@dataclass
class AxisCondition:
    """An axis (or bed, frame, head) folded to the worst of its places, with the reason."""

    axis: str
    condition: Condition
    why: str
    places: list[PlaceCondition]


@dataclass
class PrinterCondition:
    """Condition of all places by axis, and the fitness that follows."""

    axes: list[AxisCondition]
    places: list[PlaceCondition]
    fitness: Fitness
    reason: str


def conditions(
    printers: Sequence[Printer],
    in_work: set[int],
    held: dict[int, str],
    found: Mapping[int, tuple[Trouble, ...]] | None = None,
) -> dict[int, PrinterCondition]:
    """The condition of each machine by its key, from one reading of their standings.

    ``in_work``: machines that a technician works on; ``held``: why a machine is held until somebody has looked;
    ``found``: what is wrong with it beyond what was measured, in words.
    """
    rows: dict[int, list[Stood]] = {}
    told = Standing.objects.filter(of_these(printers)).exclude(verdict="not_judged").order_by("pk")
    for row in map(Stood._make, told.values_list(*_READ)):
        rows.setdefault(row.printer_id, []).append(row)
    return {
        p.pk: _condition(
            p.told(),
            tuple(rows.get(p.pk, ())),
            p.tagged_out,
            p.pk in in_work,
            held.get(p.pk, ""),
            hour_of(p.pk).timestamp(),
            (found or {}).get(p.pk, ()),
        )
        for p in printers
    }


def condition(printer: Printer, in_work: bool = False, held: str = "") -> PrinterCondition:
    """The condition of one machine."""
    return conditions([printer], {printer.pk} if in_work else set(), {printer.pk: held})[printer.pk]


@lru_cache(maxsize=2048)
def _condition(
    told: str,
    standings: tuple[Stood, ...],
    tagged_out: str,
    in_work: bool,
    held: str,
    moment: float,
    found: tuple[Trouble, ...] = (),
) -> PrinterCondition:
    """What follows from these alone, and so is kept while none of them changes: of a whole floor few do within an hour.

    Shared, not to be changed.
    """
    motion = described(told)
    places = _places(motion, standings, moment)
    axes = _axes(motion, places)
    troubles = [(w.trouble, p.condition) for p in places if (w := p.worst) is not None]
    troubles += found
    fitness, reason = fitness_of(tagged_out or None, in_work, troubles, held)
    return PrinterCondition(axes, places, fitness, reason)


def _places(motion: Description, standings: Sequence[Stood], moment: float) -> list[PlaceCondition]:
    """Every place that is expected to be known, or of which something was measured; in the machine's order."""
    found: dict[tuple[PlaceKind, str], list[Shown]] = {}
    for procedure in _expected():
        for place in procedure.places(motion):
            if procedure.measures is not None:
                found.setdefault((procedure.measures, place), [])
    # What tells the same of a place speaks by its newest.
    newest: dict[tuple[PlaceKind, str, str], Stood] = {}
    for row in sorted(standings, key=lambda s: s.taken):
        procedure = procedures.get(row.procedure)
        if procedure.measures is not None:
            newest[(procedure.measures, row.place, procedure.gives or row.procedure)] = row
    for (kind, place, _), row in newest.items():
        found.setdefault((kind, place), []).append(_shown(row, moment))
    return [_place(kind, place, shown) for (kind, place), shown in found.items()]


@cache
def _expected() -> list[Procedure]:
    return [p for p in map(procedures.get, knowledge.cards()) if p.expected]


def _shown(row: Stood, moment: float) -> Shown:
    age = (moment - row.taken) / 86400
    changed = f"{row.doubt} {ago(row.doubted, moment)}" if row.doubted is not None else ""
    lost = 0 if changed else row.lost
    reaches = None if row.reaches is None or changed else (row.reaches - moment) / 86400
    condition, why = condition_of(Evidence(row.procedure, row.verdict, age, lost, changed, reaches))
    question, trouble = _said(row.procedure, row.place)
    return Shown(row.procedure, question, trouble, condition, why, row, in_doubt=bool(changed))


@cache
def _said(procedure: str, place: str) -> tuple[str, str]:
    """What a card says of a place: the question, and what is wrong where it is out of its limits."""
    card = knowledge.cards()[procedure].here(place)
    return card.question, card.trouble


def _place(kind: PlaceKind, place: str, shown: list[Shown]) -> PlaceCondition:
    name = _NAMES.get(kind, kind).format(p=place.upper()) if place != "e" else f"{kind} of the filament"
    if not shown:
        condition, why = condition_of(None)
        return PlaceCondition(kind, place, name, condition, why)
    found = worst([s.condition for s in shown])
    why = next(s.why for s in shown if s.condition == found)
    return PlaceCondition(kind, place, name, found, why, sorted(shown, key=lambda s: -s.standing.taken))


def axes_of(motion: Description, kind: PlaceKind, place: str) -> tuple[str, ...]:
    """The axes that a place belongs to: a crossed belt to both that it moves; bed, frame and head stand for themselves."""
    if kind in ("belt", "motor") and place in AXES_OF_BELT[motion.kinematics]:
        return AXES_OF_BELT[motion.kinematics][place]
    if kind == "axis" and place in ("a", "b"):
        return ("x", "y")
    return (place[0],) if kind in ("belt", "motor", "axis", "screw") else (place,)


def _axes(motion: Description, places: list[PlaceCondition]) -> list[AxisCondition]:
    by_axis: dict[str, list[PlaceCondition]] = {"x": [], "y": [], "z": []}
    for p in places:
        for axis in axes_of(motion, p.kind, p.place):
            by_axis.setdefault(axis, []).append(p)
    out = []
    for axis, mine in by_axis.items():
        found = worst([p.condition for p in mine])
        first = next((p for p in mine if p.condition == found), None)
        out.append(AxisCondition(axis, found, "" if first is None else first.reason, mine))
    return out


def _capital(words: str) -> str:
    return words[:1].upper() + words[1:]


def wants(c: PrinterCondition) -> list[tuple[int, str, str, Shown | None, PlaceCondition]]:
    """What a machine wants measured or set: rank, title, why, the measurement it rests on, and where."""
    rows: list[tuple[int, str, str, Shown | None, PlaceCondition]] = []
    for p in c.places:
        for e in p.evidence:
            if e.condition in ("out_of_adjustment", "worn", "failed"):
                rows.append((3, e.trouble, e.why, e, p))
            elif e.in_doubt and p.kind != "belt":
                rows.append((4, f"measure {p.name} again", e.why, e, p))
    unknown = [p for p in c.places if p.condition == "not_known" and p.kind == "belt"]
    if unknown:
        names = " and ".join(p.place.upper() for p in unknown)
        title = f"measure {'belt' if len(unknown) == 1 else 'belts'} {names}"
        rows.append((5, title, unknown[0].why, None, unknown[0]))
    return rows
