"""Rounds of what is turned at one place: measured, turned, measured again, until it holds or no longer helps.

Everything is derived from captures and actions in the record. Belts, which are set in pairs, have theirs in `rounds`.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from typing import Any, cast

from kestov_core import procedures
from kestov_core.course import Course, Stage, course
from kestov_core.procedures.base import Procedure
from kestov_core.quantities import Quantity
from kestov_core.simulator.machine import SimMachine
from kestov_core.turned import MOST_STEPS, MOST_TURNED, Turnable
from people.clock import now
from people.models import User, audit
from people.refusals import Refused
from workshop.models import Printer

from .models import Action, Capture, CaptureQuery
from .rounds import Round, gathered, of_sitting
from .standing import changed

#: What turning did is learned from so many newest measurements.
_LEARNED = 40


@dataclass(frozen=True)
class Turned:
    """What somebody turned: which, how far, and which of its two ways; ``advised``: how far the tool had said, in the same way."""

    target: str
    amount: float
    way: str
    advised: float | None = None


def _alike(procedure: Procedure) -> tuple[str, ...]:
    return procedures.giving(procedure.gives) if procedure.gives else (procedure.name,)


def _captures(printer: Printer, procedure: Procedure, place: str) -> CaptureQuery:
    return Capture.objects.filter(printer=printer, place=place, procedure__in=_alike(procedure)).current()


def sets(printer: Printer, procedure: Procedure, place: str, case_id: int | None) -> list[Round]:
    """The rounds of this case (or of this sitting, where it is None) up to now, oldest first."""
    actions = Action.objects.filter(printer=printer, place=place, kind="turn", procedure__in=_alike(procedure))
    return gathered(*of_sitting(_captures(printer, procedure, place), actions.select_related("by"), case_id))


def current_set(printer: Printer, procedure: Procedure, place: str, case_id: int | None) -> int:
    """The number of the round that a capture taken now belongs to: one more after a turn."""
    past = sets(printer, procedure, place, case_id)
    return 1 if not past else past[-1].number + bool(past[-1].actions)


def course_of(rounds: list[Round], place: str) -> Course | None:
    """Whether the rounds hold, help, or no longer do, by the headline of each."""
    stages = []
    for r in rounds:
        judged = r.readings[place].result.found["judged"] if place in r.readings else []
        if judged:
            quantity = Quantity.model_validate(judged[0]["quantity"])
            stages.append(Stage(quantity=quantity, verdict=judged[0]["verdict"], turned=bool(r.actions)))
    return course(stages)


def taught(printer: Printer, procedure: Procedure, place: str) -> list[dict[str, Any]]:
    """What turning did here lately, as the core's ``history``: one row for each step between two measurements."""
    newest = _captures(printer, procedure, place).defer("data").prefetch_related("results")[:_LEARNED]
    captures = sorted(newest, key=lambda c: c.taken_at)
    if len(captures) < 2:
        return []
    done = list(
        Action.objects.filter(
            printer=printer, place=place, kind="turn", procedure__in=_alike(procedure), at__gt=captures[0].taken_at
        )
    )
    steps = []
    for before, after in itertools.pairwise(captures):
        turned: dict[str, float] = {}
        for a in done:
            if before.taken_at < a.at <= after.taken_at:
                turned[a.target] = turned.get(a.target, 0.0) + (a.turns or 0.0)
        was, is_ = _stood(before), _stood(after)
        if turned and was and is_:
            steps.append(
                {
                    "turned": turned,
                    "before_mm": {k: v for k, (v, _) in was.items()},
                    "after_mm": {k: v for k, (v, _) in is_.items()},
                    "u95_mm": max(u for _, u in [*was.values(), *is_.values()]),
                }
            )
    return steps[-MOST_STEPS:]


def _stood(capture: Capture) -> dict[str, tuple[float, float]]:
    """How high each thing that is turned stood (mm), and how well that was known."""
    result = capture.latest()
    rows = result.found.get("turnables", []) if result is not None else []
    return {t["target"]: (t["at"]["value"], t["at"]["u95"] or 0.0) for t in rows if t["at"] is not None}


def turn_by(
    printer: Printer, procedure: Procedure, place: str, turned: list[Turned], user: User, case_id: int | None, note: str
) -> None:
    """Write down what was turned after a measurement. On a simulated machine it is turned, too.

    ``printer`` is held by who calls. Refused before anything was measured, and for what the measurement does not name.
    """
    past = sets(printer, procedure, place, case_id)
    reading = past[-1].readings.get(place) if past else None
    if procedure.turned is None or reading is None:
        raise Refused(
            409,
            "measure_first",
            "Measure before you turn: without a figure before, nobody learns what the turn did.",
            "turned",
        )
    found = reading.result.found
    known = {t["target"]: Turnable.model_validate(t) for t in found["turnables"]}
    if not turned:
        raise Refused(422, "missing_field", "Say what was turned, and how far.", "turned")
    for i, t in enumerate(turned):
        named = known.get(t.target)
        if named is None:
            raise Refused(
                422, "out_of_range", f"The last measurement names nothing “{t.target}”.", f"turned.{i}.target"
            )
        if t.way not in named.ways:
            raise Refused(422, "out_of_range", f"It goes {' or '.join(named.ways)}.", f"turned.{i}.way")
        if not 0 < t.amount <= MOST_TURNED:
            raise Refused(
                422,
                "out_of_range",
                f"Enter how far it was turned: more than nothing, at most {MOST_TURNED:g}.",
                f"turned.{i}.amount",
            )
    machine = SimMachine.model_validate(printer.simulated) if printer.simulated is not None else None
    for t in turned:
        named = known[t.target]
        amount = t.amount if t.way == named.ways[0] else -t.amount
        Action.objects.create(
            printer=printer,
            case_id=case_id,
            place=place,
            kind="turn",
            procedure=procedure.name,
            target=t.target,
            turns=amount,
            unit=named.unit,
            direction=t.way,
            advised=t.advised,
            round=past[-1].number,
            note=note.strip()[:300],
            by=user,
            at=now(),
        )
        how = t.way if named.unit == "once" else f"{t.amount:.2f} {named.unit} {t.way}"
        audit(user, "turned", printer, f"{named.title}: {how}")
        if machine is not None:
            machine = procedure.turned.turn(machine, place, t.target, amount, cast(dict[str, Any], found))
    if machine is not None:
        printer.simulated = machine.model_dump(mode="json")
        printer.save(update_fields=["simulated"])
    changed(printer)
