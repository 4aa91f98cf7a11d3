"""What is turned or mended on a machine, and what has been done, as the record tells it."""

from __future__ import annotations

from django.db.models import Prefetch, QuerySet
from kestov_core import knowledge, procedures
from kestov_core.machine import Tensioner
from people.clock import now
from people.models import User, audit, name_of
from people.refusals import Refused
from workshop import timeline
from workshop.models import Printer

from .models import Action, Capture, Result
from .rounds import places_of, rounds
from .standing import changed


def turn(
    printer: Printer, place: str, turns: float, user: User, case_id: int | None, advised: float | None, note: str
) -> None:
    """Write down what was turned (positive tightens; mm for sliders). On a simulated machine it is turned, too.

    ``printer`` is held by who calls. Refused before anything was measured: nobody would learn what the turn did.
    """
    from kestov_core.simulator import machine as simulator

    if turns == 0 or abs(turns) > 20:
        raise Refused(422, "out_of_range", "Enter how far it was turned: more than nothing, at most 20.", "turns")
    past = rounds(printer, places_of(printer, place), case_id)
    if not past or not past[-1].readings:
        raise Refused(
            409,
            "measure_first",
            "Measure before you turn: without a figure before, nobody learns what the turn did.",
            "turns",
        )
    tensioner = printer.motion().belts()[place].tensioner or Tensioner()
    Action.objects.create(
        printer=printer,
        case_id=case_id,
        place=place,
        turns=turns,
        unit=tensioner.unit,
        direction=tensioner.moved(turns > 0),
        advised=advised,
        round=past[-1].number,
        note=note.strip()[:300],
        by=user,
        at=now(),
    )
    audit(user, "turned", printer, f"Belt {place.upper()}: {turns:+.2f} {tensioner.unit}")
    if printer.simulated is not None:
        after = simulator.turn(simulator.SimMachine.model_validate(printer.simulated), place, turns)
        printer.simulated = after.model_dump(mode="json")
        printer.save(update_fields=["simulated"])
    changed(printer)


def mended(printer: Printer, case_id: int, place: str, fault: str, helped: bool | None, note: str, user: User) -> None:
    """Write down a remedy that was done in a case; ``helped`` is None until it has been seen."""
    Action.objects.create(
        printer=printer,
        case_id=case_id,
        kind="repair",
        place=place,
        fault=fault,
        helped=helped,
        note=note.strip(),
        by=user,
        at=now(),
    )
    changed(printer)


def measured_words(capture: Capture) -> str:
    """A capture as the record tells it: what was done where, and its figure."""
    words = knowledge.cards()[capture.procedure].here(capture.place).record
    result = capture.latest()
    if result is None or result.value is None:
        return words
    return f"{words}: {result.value:.3g} ± {result.u95 or 0:.2g} {result.unit}"


def done_words(a: Action) -> str:
    """What was turned or mended, in words."""
    if a.kind != "repair":
        how = f"{abs(a.turns):.2f} {a.unit} {a.direction}" if a.turns is not None else ""
        turned = procedures.get(a.procedure).turned if a.procedure else None
        if turned is not None:
            done = turned.done.format(target=a.target)
            return f"{done}, {a.direction}" if a.unit == "once" else f"{done}: {how}"
        return f"Turned the tensioner of belt {a.place.upper()}: {how}".strip()
    fault = knowledge.faults().get(a.fault)
    label = (fault.label if fault else a.fault) + (f", {a.place.upper()}" if 0 < len(a.place) <= 2 else "")
    seen = {True: "it helped", False: "it did not help", None: "not proven yet"}[a.helped]
    return f"Mended: {label}; {seen}" + (f" ({a.note})" if a.note else "")


def _taken(asked: timeline.Asked) -> QuerySet[Capture]:
    rows = Capture.objects.filter(printer=asked.printer)
    if asked.case is not None:
        rows = rows.filter(case=asked.case)
    if asked.place:
        of_kind = [n for n in knowledge.cards() if asked.kind in ("", procedures.get(n).measures)]
        rows = rows.filter(place=asked.place, procedure__in=of_kind)
    return rows


@timeline.register(lambda asked: [(_taken(asked), "taken_at")])
def _captures(asked: timeline.Asked) -> list[timeline.Line]:
    # A line needs the headline alone: neither the file nor the whole result is read.
    light = Prefetch("results", Result.objects.defer("found"))
    rows = _taken(asked).defer("data", "context").select_related("taken_by").prefetch_related(light)
    return [
        timeline.Line(
            at=c.taken_at,
            who=name_of(c.taken_by),
            kind="measured",
            words=measured_words(c),
            place=c.place,
            case_id=c.case_id,
            capture_id=c.id,
        )
        for c in asked.newest(rows, "taken_at")
    ]


def _acted(asked: timeline.Asked) -> QuerySet[Action]:
    rows = Action.objects.filter(printer=asked.printer)
    if asked.case is not None:
        rows = rows.filter(case=asked.case)
    if asked.place:
        rows = rows.filter(place=asked.place)
        if asked.kind:
            rows = rows.filter(kind="turn_tensioner") if asked.kind == "belt" else rows.exclude(kind="turn_tensioner")
    return rows


@timeline.register(lambda asked: [(_acted(asked), "at")])
def _actions(asked: timeline.Asked) -> list[timeline.Line]:
    return [
        timeline.Line(at=a.at, who=name_of(a.by), kind="turned", words=done_words(a), place=a.place, case_id=a.case_id)
        for a in asked.newest(_acted(asked).select_related("by"), "at")
    ]
