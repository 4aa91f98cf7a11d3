"""What each machine is now: its condition, its open cases, and whether it is held until somebody has looked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from kestov_core import knowledge
from measuring.checks import doubted, speaks_against
from measuring.condition import PrinterCondition, Trouble, conditions, wants
from people.clock import now
from people.models import name_of
from workshop import worklist
from workshop.models import Component, Printer, of_these
from workshop.worklist import Pressing, Wanted

from .models import Case, SiblingLook, State
from .siblings import held_words

#: What is shown of an open case in a list; its words are many.
_OF_A_CASE = ("printer", "title", "state", "reported_by", "reported_at", "taken_by", "closing", "closed_at")


@dataclass
class MachineNow:
    """A machine with its condition, the looks it waits for, its open cases, and the parts in which a look found trouble."""

    printer: Printer
    condition: PrinterCondition
    looks: list[SiblingLook]
    cases: list[Case]
    found: tuple[Trouble, ...] = ()


def machines(printers: Sequence[Printer]) -> list[MachineNow]:
    """What these machines are now, from a few readings for all of them."""
    cases: dict[int, list[Case]] = {}
    known = {p.pk: p for p in printers}
    theirs = of_these(printers)
    open_ones = Case.objects.filter(theirs).exclude(state=State.CLOSED).select_related("reported_by", "taken_by")
    for case in open_ones.only(*_OF_A_CASE, "reported_by__name", "taken_by__name"):
        if case.printer_id in known:
            case.printer = known[case.printer_id]
            cases.setdefault(case.printer_id, []).append(case)
    looks: dict[int, list[SiblingLook]] = {}
    for look in SiblingLook.objects.filter(theirs, looked_at=None).select_related("case__printer", "printer"):
        looks.setdefault(look.printer_id, []).append(look)
    working = (State.IN_WORK, State.NOT_VERIFIED)
    in_work = {p for p, mine in cases.items() if any(c.state in working for c in mine)}
    held = {p: held_words(mine[0]) for p, mine in looks.items()}
    troubled = _troubled(printers)
    found = conditions(printers, in_work, held, troubled)
    return [
        MachineNow(p, found[p.pk], looks.get(p.pk, []), cases.get(p.pk, []), troubled.get(p.pk, ())) for p in printers
    ]


def _troubled(printers: Sequence[Printer]) -> dict[int, tuple[Trouble, ...]]:
    """Parts in which the newest look found trouble that nobody has seen to since, by machine."""
    rows = Component.objects.filter(of_these(printers), removed_on=None).exclude(trouble="")
    out: dict[int, tuple[Trouble, ...]] = {}
    for printer, label, trouble in rows.order_by("id").values_list("printer_id", "label", "trouble"):
        words = f"{label}: {trouble[:1].lower()}{trouble[1:]}".rstrip(".")
        out[printer] = (*out.get(printer, ()), (words, "out_of_adjustment"))
    return out


def machine(printer: Printer) -> MachineNow:
    """What one machine is now."""
    return machines([printer])[0]


@worklist.register
def _cases(rows: Sequence[MachineNow]) -> list[Pressing]:
    out = []
    for m in rows:
        for case in m.cases:
            rank, why = _pressing(case, bool(m.printer.tagged_out))
            title = f"{m.printer.name}: {case.title}"
            what = Wanted(title=title, why=why, kind="case", printer_id=m.printer.pk, case_id=case.pk)
            out.append(Pressing(rank, case.reported_at, what))
        if m.condition.fitness == "look_first" and m.looks:
            what = Wanted(
                title=f"Look at {m.printer.name}, unplugged",
                why=f"{m.condition.reason}. Nobody may use it until somebody has looked.",
                kind="look",
                printer_id=m.printer.pk,
            )
            out.append(Pressing(1, m.looks[0].made_at, what))
    return out


@worklist.register
def _measurements(rows: Sequence[MachineNow]) -> list[Pressing]:
    """What is out of its limits, in doubt or not known, where no case and no tag goes before it."""
    moment, out = now(), []
    for m in rows:
        if m.cases or m.condition.fitness == "tagged_out":
            continue
        for rank, title, why, shown, place in wants(m.condition):
            what = Wanted(
                title=f"{m.printer.name}: {title}",
                why=why,
                kind="measure",
                printer_id=m.printer.pk,
                place=place.place,
                procedure=shown.procedure if shown else None,
            )
            out.append(Pressing(rank, moment, what))
    return out


@worklist.few(doubted, id="pk", name="name", off="found_off", due="check_due")
def _instrument(row: dict[str, Any]) -> Pressing:
    """An instrument whose check is due, or found it off: every figure that it gives hangs on it."""
    why = speaks_against(row["off"], None if row["due"] is None else date.fromisoformat(row["due"]))
    what = Wanted(title=f"Check {row['name']}", why=why, kind="instrument", instrument_id=row["id"])
    return Pressing(4, now(), what)


def _pressing(case: Case, tagged_out: bool) -> tuple[int, str]:
    """How pressing an open case is (0 most), and why in words."""
    if case.state == State.IN_WORK:
        return 1, f"In work with {name_of(case.taken_by)}."
    if case.state == State.NOT_VERIFIED:
        return 2, "Mended; the proof is still missing."
    if tagged_out:
        # Made safe already; it waits for somebody, not for minutes at the bench.
        return 1, f"Tagged out after a report by {name_of(case.reported_by)}; it wants somebody qualified."
    return 0, f"Reported by {name_of(case.reported_by)}; nobody has taken it yet."


def danger_label(finding: str) -> str:
    """A danger in words."""
    return knowledge.findings()[finding].label
