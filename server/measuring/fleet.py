"""One figure across the machines of a model: which stands apart, and whether all moved together. The reckoning is the core's."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import timedelta

from django.db.models import QuerySet
from kestov_core import knowledge
from kestov_core.condition.fleet import Across, Member, across
from people.clock import now
from workshop.models import Printer, PrinterModel, of_these

from .happened import happened_on
from .models import Standing
from .trend import Figure, figures_of

#: A figure before is one from so long before the newest, and not from longer ago: what a room does, it does over weeks.
_SINCE, _LONGEST = timedelta(days=10), timedelta(days=400)
#: Older figures say nothing of a machine's place among the others today.
_OF_TODAY = timedelta(days=200)


@dataclass(frozen=True)
class Common:
    """A figure that several machines of a model have, for the choice."""

    procedure: str
    place: str
    words: str
    unit: str
    machines: int


@dataclass(frozen=True)
class Stood:
    """A machine's newest figure, and the one before it. ``u95``: of the figure, with what all readings of its kind share (which cancels
    between machines, and is left out of ``now``); ``touched``: what was done to it in between.
    """

    printer: Printer
    now: Figure
    u95: float | None
    before: Figure | None
    touched: str
    low: float | None
    high: float | None
    verdict: str


@dataclass(frozen=True)
class Fleet:
    """A figure across machines: each with where it stands among them (in the same order)."""

    common: Common
    machines: list[Stood]
    across: Across


def models_with_figures() -> list[tuple[PrinterModel, list[Common]]]:
    """The models of which several machines have a figure in common, each with those figures."""
    printers = Printer.on_the_floor()
    of_model = {p.pk: p.model_id for p in printers}
    rows = _today(Standing.objects.filter(of_these(printers)))
    told = rows.values_list("printer_id", "procedure", "place", "words", "unit")
    seen: dict[int, dict[tuple[str, str, str, str], set[int]]] = defaultdict(lambda: defaultdict(set))
    for printer, procedure, place, words, unit in told:
        if printer in of_model and procedure in knowledge.cards():
            seen[of_model[printer]][procedure, place, words, unit].add(printer)
    models = {p.model_id: p.model for p in printers}
    out = []
    order = list(knowledge.cards())
    for pk, model in sorted(models.items(), key=lambda m: m[1].name):
        common = [Common(*key, machines=len(on)) for key, on in seen[pk].items() if len(on) > 1]
        if common:
            out.append((model, sorted(common, key=lambda c: (order.index(c.procedure), c.place, c.words))))
    return out


def fleet(model_id: int, procedure: str, place: str) -> Fleet | None:
    """One figure across the machines of a model; None where fewer than two have it."""
    printers = [p for p in Printer.on_the_floor() if p.model_id == model_id]
    by_printer = {p.pk: p for p in printers}
    rows = list(_today(Standing.objects.filter(printer__in=printers, procedure=procedure, place=place)))  # fmt: skip
    words = _most((s.words, s.unit) for s in rows)
    rows = [s for s in rows if (s.words, s.unit) == words]
    if len(rows) < 2 or words is None:
        return None
    after = now() - _LONGEST - _OF_TODAY
    on = [by_printer[s.printer_id] for s in rows]
    figures = figures_of(on, place, procedure, *words, after=after)
    done = happened_on(on, after)
    stood = []
    for s in rows:
        printer, course = by_printer[s.printer_id], figures[s.printer_id]
        if not course:
            continue
        before = next((f for f in reversed(course) if course[-1].at - f.at >= _SINCE), None)
        motion = printer.motion()
        touched = next(
            (h.words for h in sorted(done[printer.pk], key=lambda h: h.at, reverse=True)
             if before is not None and before.at < h.at <= course[-1].at and h.overtakes(motion, procedure, place)),
            "",
        )  # fmt: skip
        stood.append(Stood(printer, course[-1], s.u95, before, touched, s.low, s.high, s.verdict))
    if len(stood) < 2:
        return None
    stood.sort(key=lambda m: m.printer.name)
    members = [
        Member(m.printer.name, m.now.value, m.now.u95, None if m.before is None or m.touched else m.before.value)
        for m in stood
    ]
    return Fleet(Common(procedure, place, *words, machines=len(stood)), stood, across(members, words[1]))


def _today(rows: QuerySet[Standing]) -> QuerySet[Standing]:
    return rows.filter(taken_at__gte=now() - _OF_TODAY, value__isnull=False)


def _most(keys: Iterable[tuple[str, str]]) -> tuple[str, str] | None:
    """What most of them have."""
    count: dict[tuple[str, str], int] = defaultdict(int)
    for key in keys:
        count[key] += 1
    return max(count, key=lambda k: count[k]) if count else None
