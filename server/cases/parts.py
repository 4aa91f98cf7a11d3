"""The parts of a machine as they stand now: condition with all that tells of it, age against life, what was done last."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from kestov_core import knowledge
from kestov_core.condition.components import Known, Position, Speaks, condition_of_part, positions
from kestov_core.condition.use import Meter
from kestov_core.diagnosis.shapes import PartAge
from kestov_core.knowledge.part_kinds import PartKind, part_kinds
from measuring.condition import PrinterCondition, condition
from people.clock import now
from workshop.components import SEEN_TO, age_hours, life_hours
from workshop.meters import meter_of
from workshop.models import Component, Deed, Printer

from .models import Case, State


@dataclass(frozen=True)
class PartNow:
    """A part with its condition. ``age``: hours that it has run and whether that is estimated; ``life``: hours that it can be expected
    to, and where that is from; ``last``: what was done to it last.
    """

    component: Component
    kind: PartKind
    known: Known
    age: tuple[float, bool] | None
    life: tuple[float, str] | None
    last: Deed | None

    @property
    def share(self) -> float | None:
        """How much of its expected life it has behind it."""
        return None if self.age is None or self.life is None else self.age[0] / self.life[0]


def parts_now(printer: Printer, meter: Meter | None = None) -> list[PartNow]:
    """Every part that sits in a machine, in the order of the kinds."""
    there = list(printer.components.filter(removed_on=None).select_related("type"))
    meter = meter or meter_of(printer)
    stands = condition(printer)
    by_key = {c.pk: c for c in there}
    newest, looked = _newest(by_key)
    confirmed = _confirmed(printer)
    out = []
    order = list(part_kinds())
    for c in sorted(there, key=lambda c: (order.index(c.kind) if c.kind in order else len(order), c.place)):
        kind = part_kinds().get(c.kind)
        if kind is None:
            continue
        age, life = age_hours(c, meter), life_hours(c)
        share = None if age is None or life is None else age[0] / life[0]
        known = condition_of_part(
            kind, _measured(kind, c.place, stands), _inspected(looked.get(c.pk)), _of(kind, c.place, confirmed), share
        )
        out.append(PartNow(c, kind, known, age, life, newest.get(c.pk)))
    return out


def _newest(parts: dict[int, Component]) -> tuple[dict[int, Deed], dict[int, Deed]]:
    """What was done to each part last, and of that by which its state is seen."""
    rows = Deed.objects.filter(component__in=parts).select_related("by").order_by("component_id", "-at", "-id")
    last = rows.distinct("component_id")
    newest: dict[int, Deed] = {}
    looked: dict[int, Deed] = {}
    for deed in last.union(last.filter(did__in=SEEN_TO), all=True):
        deed.component = parts[deed.component_id]
        known = newest.setdefault(deed.component_id, deed)
        if (deed.at, deed.pk) > (known.at, known.pk):
            newest[deed.component_id] = deed
        if deed.did in SEEN_TO:
            looked[deed.component_id] = deed
    return newest, looked


def empty_positions(printer: Printer, parts: Iterable[PartNow]) -> list[Position]:
    """Positions of a machine in which nothing sits."""
    there = {(p.kind.id, p.component.place) for p in parts}
    return [p for p in positions(printer.motion()) if (p.kind.id, p.place) not in there]


def ages(printer: Printer) -> list[PartAge]:
    """How old the parts of a machine are, for the weighing: of each the faults that sit in it."""
    meter = meter_of(printer)
    out = []
    for c in printer.components.filter(removed_on=None).select_related("type"):
        age, life, kind = age_hours(c, meter), life_hours(c), part_kinds().get(c.kind)
        if age is not None and life is not None and kind is not None and kind.faults:
            share = min(5.0, age[0] / life[0])
            out.append(PartAge.model_validate({"axis": c.place, "life_share": share, "faults": kind.faults}))
    return out


def _measured(kind: PartKind, place: str, stands: PrinterCondition) -> list[Speaks]:
    """What measurements say of a part: those of its place that tell of its kind."""
    moment = now().timestamp()
    return [
        Speaks(e.condition, f"{e.question} {e.why}", (moment - e.standing.taken) / 86400)
        for p in stands.places
        if p.place == place
        for e in p.evidence
        if e.procedure in kind.told_by
    ]


def _inspected(deed: Deed | None) -> Speaks | None:
    # What was found before it was seen to says nothing of today.
    if deed is None or deed.did != "inspected":
        return None
    days = (now() - deed.at).total_seconds() / 86400
    if deed.found == "trouble":
        return Speaks("out_of_adjustment", f"A look found: {deed.words}", days)
    return Speaks("sound", f"A look found it sound. {deed.words}".strip(), days)


def _confirmed(printer: Printer) -> list[tuple[str, str]]:
    """Faults that a case has confirmed and that are not proven to be gone, each with its place."""
    rows = Case.objects.filter(printer=printer).exclude(state=State.CLOSED).exclude(fault="")
    return list(rows.values_list("fault", "fault_axis"))


def _of(kind: PartKind, place: str, confirmed: list[tuple[str, str]]) -> list[str]:
    return [
        knowledge.faults()[fault].label.lower()
        for fault, at in confirmed
        if fault in kind.faults and at in ("", place) and fault in knowledge.faults()
    ]
