"""The week's letter: what was done, what is due, what to order, which machines are fit for what; in words, as they stand on the page and on paper."""

from __future__ import annotations

import io
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any

from cases.machines import machines
from cases.models import Case, State
from django.utils import timezone
from people.clock import now
from people.models import name_of
from workshop.models import Deed, Printer
from workshop.paper import face, paragraph

from . import stores, worth
from .models import Done, PlannedRound
from .planning import monday_of
from .rounds import due_of

#: So many lines of a part; the rest is counted.
_MOST = 40
#: What is to be ordered later than this is no news.
_SOON = timedelta(days=28)
_FOUND = {"needed": "it was wanted", "trouble": "trouble"}
_FIT = (("fit", "For a fine part"), ("rough_only", "For a rough one only"), ("in_service", "In service"), ("look_first", "To be looked at first"), ("tagged_out", "Out of use"))  # fmt: skip


@dataclass(frozen=True)
class Part:
    """One part of the letter: its title, and its lines; where there is none, ``empty`` says so."""

    title: str
    lines: list[str]
    empty: str


@dataclass(frozen=True)
class Letter:
    """The letter of a week from its Monday."""

    monday: date
    parts: list[Part]


def letter(day: date) -> Letter:
    """The letter of the week of a day: what was done in it, and how things stand now."""
    monday = monday_of(day)
    zone = timezone.get_default_timezone()
    since = datetime.combine(monday, time(), tzinfo=zone)
    until = since + timedelta(days=7)
    printers = Printer.on_the_floor()
    parts = [
        Part(
            "Done",
            [*_rounds(since, until), *_fitted(since, until), *_closed(since, until)],
            "Nothing was written down.",
        ),
        Part("Open cases", list(_open()), "None."),
        Part("Due", list(_due(printers)), "Nothing is due."),
        Part("Planned", list(_planned()), "Nothing is planned."),
        Part("To order", list(_order()), "Nothing."),
        Part("Machines", list(_fit(printers)), "There is no machine yet."),
        Part("To decide", list(_to_decide()), "Nothing."),
    ]
    return Letter(monday, [Part(p.title, _cut(p.lines), p.empty) for p in parts])


def _cut(lines: list[str]) -> list[str]:
    return lines if len(lines) <= _MOST else [*lines[:_MOST], f"And {len(lines) - _MOST} more."]


def _rounds(since: datetime, until: datetime) -> Iterable[str]:
    """What rounds did, by machine: how many tasks, by whom, and what they found."""
    rows: dict[str, list[Done]] = defaultdict(list)
    for d in Done.objects.filter(at__gte=since, at__lt=until).select_related("by", "printer").order_by("at"):
        rows[d.printer.name].append(d)
    for machine, mine in sorted(rows.items()):
        people = ", ".join(dict.fromkeys(name_of(d.by) for d in mine))
        found = "; ".join(
            f"{d.label or d.task}: {_FOUND[d.found]}{f' ({d.words})' if d.words else ''}"
            for d in mine
            if d.found in _FOUND
        )
        yield f"{machine}: {len(mine)} {'task' if len(mine) == 1 else 'tasks'} by {people}.{f' {found}.' if found else ' All fine.'}"


def _fitted(since: datetime, until: datetime) -> Iterable[str]:
    rows = Deed.objects.filter(did="fitted", at__gte=since, at__lt=until).select_related("component__printer", "by")
    for d in rows.order_by("at"):
        yield f"{d.component.printer.name}: {d.component.label} fitted by {name_of(d.by)}."


def _closed(since: datetime, until: datetime) -> Iterable[str]:
    rows = Case.objects.filter(closed_at__gte=since, closed_at__lt=until).select_related("printer", "closed_by")
    for c in rows.order_by("closed_at"):
        yield f"Case {c.pk}, {c.printer.name}: {c.title}. Closed by {name_of(c.closed_by)}{f': {c.cause}' if c.cause else ''}."


def _open() -> Iterable[str]:
    rows = Case.objects.exclude(state=State.CLOSED).select_related("printer").order_by("reported_at")
    for c in rows[: 10 * _MOST]:
        yield f"Case {c.pk}, {c.printer.name}: {c.title}, since {c.reported_at:%-d %B}."


def _due(printers: list[Printer]) -> Iterable[str]:
    today = timezone.localdate(now())
    rows = []
    due = due_of(printers)
    for p in printers:
        over = [d for d in due[p.pk] if d.by(today)]
        worst = next((d for d in over if d.last is not None and d.due.overdue_by is not None), None)
        if over:
            days = 0.0 if worst is None else worst.due.overdue_by or 0.0
            longest = f"; {worst.task.label}: {days:.0f} days over" if worst and days >= 1 else ""
            rows.append((-days, f"{p.name}: {len(over)} {'task' if len(over) == 1 else 'tasks'}{longest}."))
    yield from (words for _, words in sorted(rows))


def _planned() -> Iterable[str]:
    rows = PlannedRound.objects.filter(ends__gt=now(), begins__lt=now() + timedelta(days=8))
    for r in rows.select_related("printer", "user"):
        yield f"{timezone.localtime(r.begins):%A %-d %B, %H:%M}: {r.printer.name}, {r.user.name}."


def _order() -> Iterable[str]:
    today = timezone.localdate(now())
    for d in stores.drawers(stores.settings().risk)[0]:
        if d.order_by is not None and d.order_by <= today + _SOON:
            by = "today" if d.order_by <= today else f"by {d.order_by:%-d %B}"
            yield f"{d.outlook.order} {d.stock.type.name}, {by}."


def _to_decide() -> Iterable[str]:
    for w in worth.undecided():
        yield f"{w.printer.name}: {' '.join(r.words for r in w.undecided)}"


def _fit(printers: list[Printer]) -> Iterable[str]:
    rows: dict[str, list[str]] = defaultdict(list)
    for m in machines(printers):
        why = m.condition.reason if m.condition.fitness != "fit" else ""
        rows[m.condition.fitness].append(f"{m.printer.name}{f' ({why})' if why else ''}")
    for fitness, words in _FIT:
        if rows[fitness]:
            yield f"{words}: {', '.join(rows[fitness])}."


def as_pdf(told: Letter) -> bytes:
    """The letter on A4, as many pages as it takes, each numbered."""
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.lib.units import mm
    from reportlab.platypus import SimpleDocTemplate

    plain = ParagraphStyle("plain", fontSize=10, leading=13.5, spaceAfter=2.5)
    strong = ParagraphStyle("strong", fontSize=12, leading=16, spaceBefore=9, spaceAfter=3)
    head = ParagraphStyle("head", fontSize=18, leading=23)
    title = f"The week of {told.monday:%-d %B %Y}"
    rows = [paragraph(title, head, bold=True)]
    for part in told.parts:
        rows.append(paragraph(part.title, strong, bold=True))
        rows += [paragraph(line, plain) for line in part.lines or [part.empty]]
    out = io.BytesIO()
    page = SimpleDocTemplate(
        out, pagesize=A4, leftMargin=20 * mm, rightMargin=20 * mm, topMargin=18 * mm, bottomMargin=20 * mm, title=title, invariant=1
    )  # fmt: skip

    def numbered(canvas: Any, doc: Any) -> None:
        canvas.setFont(face(title), 8)
        canvas.drawRightString(190 * mm, 11 * mm, f"{title}, page {doc.page}")

    page.build(rows, onFirstPage=numbered, onLaterPages=numbered)
    return out.getvalue()
