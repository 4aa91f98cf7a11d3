"""One figure across the machines of a model: which stands apart, and whether all moved together. The reckoning is the core's."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import timedelta

from django.contrib.postgres.expressions import ArraySubquery
from django.db.models import DateTimeField, ExpressionWrapper, OuterRef, QuerySet, Subquery
from kestov_core import knowledge
from kestov_core.condition.fleet import Across, Member, across
from people.clock import now
from workshop.models import Printer, PrinterModel, of_these

from .happened import happened_on
from .models import Capture, CaptureQuery, Standing
from .trend import Figure, alike, figures_in

#: A figure before is one from so long before the newest, and not from longer ago: what a room does, it does over weeks.
_SINCE, _LONGEST = timedelta(days=10), timedelta(days=400)
#: Of either so many captures are looked at for a figure.
_LOOKED_AT = 5
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
    by_printer = {p.pk: p for p in Printer.on_the_floor(model=model_id)}
    standings = Standing.objects.filter(printer__in=by_printer, procedure=procedure, place=place)
    newest, older = _captures(place, procedure)
    rows = list(
        _today(standings).annotate(
            newest_at=Subquery(newest.values("taken_at")[:1]),
            newest=ArraySubquery(newest.values("pk")[:_LOOKED_AT]),
            older=ArraySubquery(older.values("pk")[:_LOOKED_AT]),
        )
    )
    words = _most((s.words, s.unit) for s in rows)
    rows = [s for s in rows if (s.words, s.unit) == words]
    if len(rows) < 2 or words is None:
        return None
    figures = figures_in({c for s in rows for c in (*s.newest, *s.older)}, *words)
    pairs = {pk: (course[-1], _before(course)) for pk, course in figures.items()}
    since = min((before.at for _, before in pairs.values() if before is not None), default=now())
    done = happened_on([by_printer[pk] for pk in pairs], since)
    stood = []
    for s in rows:
        if s.printer_id not in pairs:
            continue
        printer, (latest, before) = by_printer[s.printer_id], pairs[s.printer_id]
        motion = printer.motion()
        touched = next(
            (h.words for h in sorted(done[printer.pk], key=lambda h: h.at, reverse=True)
             if before is not None and before.at < h.at <= latest.at and h.overtakes(motion, procedure, place)),
            "",
        )  # fmt: skip
        stood.append(Stood(printer, latest, s.u95, before, touched, s.low, s.high, s.verdict))
    if len(stood) < 2:
        return None
    stood.sort(key=lambda m: m.printer.name)
    members = [
        Member(m.printer.name, m.now.value, m.now.u95, None if m.before is None or m.touched else m.before.value)
        for m in stood
    ]
    return Fleet(Common(procedure, place, *words, machines=len(stood)), stood, across(members, words[1]))


def _captures(place: str, procedure: str) -> tuple[CaptureQuery, CaptureQuery]:
    """Of a standing: the captures that tell the same of the place, newest first; and those from so long before the ``newest_at``."""
    told = Capture.objects.filter(
        printer=OuterRef("printer"),
        place=place,
        procedure__in=alike(procedure),
        taken_at__gte=now() - _LONGEST - _OF_TODAY,
    )
    newest = told.current().order_by("-taken_at")
    long_before = ExpressionWrapper(OuterRef("newest_at") - _SINCE, DateTimeField())
    return newest, newest.filter(taken_at__lte=long_before)


def _before(course: list[Figure]) -> Figure | None:
    return next((f for f in reversed(course) if course[-1].at - f.at >= _SINCE), None)


def _today(rows: QuerySet[Standing]) -> QuerySet[Standing]:
    return rows.filter(taken_at__gte=now() - _OF_TODAY, value__isnull=False)


def _most(keys: Iterable[tuple[str, str]]) -> tuple[str, str] | None:
    """What most of them have."""
    count: dict[tuple[str, str], int] = defaultdict(int)
    for key in keys:
        count[key] += 1
    return max(count, key=lambda k: count[k]) if count else None
