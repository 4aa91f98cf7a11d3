"""A case as the core's diagnosis takes it: what was seen and measured, what was done before, what the workshop has learned."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from kestov_core import knowledge, procedures
from kestov_core.diagnosis.evidence import condensed
from kestov_core.diagnosis.places import by_kind, machine_described, places_of
from kestov_core.diagnosis.shapes import DiagnoseContext, Observed
from kestov_core.knowledge.mended import Book
from kestov_core.procedures.diagnose import DiagnoseResult, analyse
from kestov_core.quantities import Quantity
from measuring.models import Action, Capture
from workshop.models import Event, Printer, PrinterModel

from .learning import Look, looks
from .mending import known_here
from .models import Case, Closing, State
from .parts import ages

#: Older evidence and events say nothing about this trouble.
LOOK_BACK = timedelta(days=150)


@dataclass
class Weighed:
    """What the core makes of a case, where its evidence came from, in words, and the knowledge that it was weighed by."""

    result: DiagnoseResult
    sources: list[str]
    confirmed: dict[str, int]
    known: Book


def weigh(case: Case) -> Weighed:
    """Weigh a case as it stands now. Everything is derived from the record."""
    printer = case.printer
    motion = printer.motion()
    known = [c for c in confirmed_cases(case.printer.model) if c.pk != case.pk]
    counts, elsewhere = confirmed_causes(known)
    book = known_here()
    learned = looks(known, book)
    happened = _events(printer, case.reported_at)
    here = places_here(printer)
    tried = case.actions.filter(kind="repair", helped=False)
    context = DiagnoseContext.model_validate(
        {
            "printer": motion.model_dump(mode="json", include={"kinematics", "transmissions", "pairs", "homing"}),
            # What was told of a place that the machine no longer has says nothing of it.
            "findings": [o for o in evidence(case, learned) if o.axis is None or o.axis in here],
            "events": [
                {"event": e.event, "days_before": max(0.0, (case.reported_at - e.at).total_seconds() / 86400)}
                for e in happened
                if e.event in knowledge.events()
            ],
            "tried": [
                {"fault": fault, "axis": place or None}
                for fault, place in sorted(set(tried.values_list("fault", "place")))
                if fault in knowledge.faults() and (not place or place in here)
            ],
            "confirmed": counts,
            "minutes": {check: look.minutes for check, look in learned.items() if look.took},
            "parts": [a for a in ages(printer) if a.axis in here],
            "mended": book.mended.model_dump(exclude_unset=True),
            "most": 10,
        }
    )
    words = [
        f"Began after: {e.event.replace('_', ' ')} on {e.at:%-d %B}" + (f" ({e.note})" if e.note else "")
        for e in happened
    ]
    result = analyse(context)
    if case.unaided and case.is_open:
        return Weighed(without_advice(result), words, {}, book)
    return Weighed(result, words + elsewhere, counts, book)


def without_advice(result: DiagnoseResult) -> DiagnoseResult:
    """A weighing of which only danger is told, and what can be looked at here, in the order of the alphabet."""
    told = {"outcomes": [], "saves_minutes": 0.0, "why": "", "why_now": "", "gate": None}
    rows = [n.model_copy(update=told) for n in [*result.next, *result.others]]
    rows.sort(key=lambda n: (n.label, n.axis or ""))
    hidden: dict[str, Any] = {
        "hypotheses": [],
        "next": [],
        "repair_now": [],
        "ask": [],
        "warnings": [],
        "process_probability": 0.0,
        "expected_minutes": 0.0,
    }
    return result.model_copy(update=hidden | {"others": rows})


def places_here(printer: Printer) -> frozenset[str]:
    """The places that this machine has, where something can be at fault or be seen."""
    return places_of(machine_described(printer.motion()))


def evidence(case: Case, learned: dict[str, Look]) -> list[Observed]:
    """What was said and measured. The last word on each finding at each place is all that the core weighs; a machine may have
    been measured any number of times.
    """
    rows = sorted([*_seen(case, learned), *_measured(case)], key=lambda r: r[0])
    return list(condensed(Observed.model_validate(row) for _, row in rows).values())


def spots_here(printer: Printer) -> dict[str, tuple[str, ...]]:
    """Where a finding can be on this machine, by what its place is."""
    return by_kind(machine_described(printer.motion()))


def _seen(case: Case, learned: dict[str, Look]) -> list[tuple[datetime, dict[str, Any]]]:
    """What people said. The last word on each finding at each place counts; what was withdrawn does not."""
    rows = []
    for o in case.observations.filter(withdrawn=False):
        kind = knowledge.findings().get(o.finding)
        if kind is None:
            continue
        row: dict[str, Any] = {"finding": o.finding, "axis": o.axis or None, "state": o.state}
        row["complaint"] = o.state == "present" and not o.check_name and o.at <= case.reported_at
        if o.value is not None:
            row["value"] = Quantity(value=o.value, u95=o.u95, unit=kind.unit or "1").model_dump() if o.u95 else o.value
        if o.state == "absent" and o.check_name in learned:
            row["missed"] = learned[o.check_name].missed
        rows.append((o.at, row))
    return rows


def _measured(case: Case) -> list[tuple[datetime, dict[str, Any]]]:
    """What the bench found on this machine: since the trouble in full, before it by its age."""
    captures = (
        Capture.objects.filter(printer=case.printer, taken_at__gte=case.reported_at - LOOK_BACK)
        .current()
        .defer("data")
        .prefetch_related("results")
    )
    if case.closed_at:
        captures = captures.filter(taken_at__lte=case.closed_at)
    rows = []
    for capture in captures:
        result = capture.latest()
        for found in (result.found.get("findings") or []) if result else []:
            if found["state"] == "unknown" or found["finding"] not in knowledge.findings():
                continue
            age = max(0.0, (case.reported_at - capture.taken_at).total_seconds() / 86400)
            # The verdict has weighed the figure against this machine's own limits already.
            row = {"finding": found["finding"], "axis": found["axis"], "state": found["state"], "age_days": age}
            rows.append((capture.taken_at, row))
    return rows


def _events(printer: Printer, before: datetime) -> list[Event]:
    """What was done to the machine before the trouble, belts turned included; the newest of each kind."""
    since = before - LOOK_BACK
    rows = list(Event.objects.filter(printer=printer, at__gte=since, at__lte=before))
    turned = Action.objects.filter(printer=printer, kind__in=("turn_tensioner", "turn"), at__gte=since, at__lte=before)
    for a in turned.order_by("-at")[:60]:
        event, what = "belt_tensioned", f"belt {a.place.upper()}"
        if a.kind == "turn" and (how := procedures.get(a.procedure).turned) is not None:
            event, what = how.event, a.target
        rows.append(Event(printer=printer, event=event, at=a.at, note=what))
    newest: dict[str, Event] = {}
    for e in sorted(rows, key=lambda e: e.at):
        newest[e.event] = e
    return sorted(newest.values(), key=lambda e: e.at, reverse=True)


def confirmed_cases(model: PrinterModel) -> list[Case]:
    """Closed cases of a model whose cause was confirmed, newest first; those before it was told to begin anew do not count."""
    rows = (
        Case.objects.filter(printer__model=model, state=State.CLOSED, closing__in=(Closing.VERIFIED, Closing.HANDED_ON))
        .exclude(fault="")
        .select_related("printer")
        .order_by("-closed_at")
    )
    if model.learned_since:
        rows = rows.filter(closed_at__gt=model.learned_since)
    return [c for c in rows if c.fault in knowledge.faults()]


def confirmed_causes(known: list[Case]) -> tuple[dict[str, int], list[str]]:
    """Causes of closed cases, newest first: how often each, and the last of them in words."""
    words = [
        f"On {c.printer.name}, of the same model, it was {knowledge.faults()[c.fault].label.lower()} on {c.closed_at:%-d %B}"
        for c in known[:3]
        if c.closed_at
    ]
    return dict(Counter(c.fault for c in known)), words
