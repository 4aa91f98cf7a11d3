"""What is done in a lesson by eye, ear and hand: looks, questions, repairs, the print again. Measuring is done at the bench."""

from __future__ import annotations

from cases import acts as cases
from django.db import transaction
from kestov_core import knowledge
from kestov_core.machine import WHOLE
from kestov_core.practice import acts as practised
from kestov_core.practice import prints, senses
from kestov_core.practice.account import Answered, Done
from kestov_core.practice.senses import Met
from kestov_core.practice.truth import mend
from kestov_core.simulator.sound import wav
from people.refusals import Refused

from . import running
from .models import Lesson


def _answered(met: list[Met]) -> list[Answered]:
    return [Answered(finding=m.finding, place=m.place, state="present" if m.there else "absent") for m in met]


@transaction.atomic
def look(row: Lesson, check_id: str, place: str) -> list[Met]:
    """Do a check by hand and eye: what is met. What only an instrument tells is measured at the bench."""
    check = knowledge.checks().get(check_id)
    if check is None:
        raise Refused(422, "out_of_range", "Choose one of the listed checks.", "check")
    nodes = cases.looked_at(running.machine_of(row), check.id, cases.axis_of(place))
    hand = [n for n in nodes if knowledge.findings()[n[0]].group != "measured"]
    needs = "unplugged" if check.procedure and hand and "unplug" in check.setup else practised.asks(check)
    if check.procedure and not check.planned and needs in ("powered", "live"):
        # What is felt and looked at beside a measurement asks nothing of the machine.
        needs = "any"
    unsafe = running.safe(row, needs, check.label, "cool" in check.setup)
    stands = running.standing(row)
    # Unplugging and cooling are done by themselves; the rest is got ready once.
    fresh = [s for s in check.setup if s not in ("unplug", "cool") and s not in stands.ready]
    minutes = check.minutes if not check.procedure else min(check.minutes, _BESIDE)
    minutes += sum(knowledge.SETUP_MINUTES[s] for s in fresh)
    stands.ready += fresh
    stands.hot = stands.hot or "print" in check.setup
    row.stands = stands.model_dump()
    row.save(update_fields=["stands"])
    met = senses.met(running.truth_now(row), hand)
    done = Done(
        kind="looked", what=check.id, place=place, words=check.label + (f", {place.upper()}" if place else ""),
        minutes=minutes, met=_answered(met), unsafe=unsafe,
    )  # fmt: skip
    running.note(row, done)
    return met


#: Minutes to look and feel beside a measurement, without taking it.
_BESIDE = 2.0


@transaction.atomic
def ask(row: Lesson, finding: str, places: list[str]) -> list[Met]:
    """Ask whoever complains: whether it is there, or at which of some places."""
    kind = knowledge.findings().get(finding)
    if kind is None or not kind.met:
        raise Refused(422, "out_of_range", "That is nothing that a member can tell.", "finding")
    met = senses.met(running.truth_now(row), [(finding, p) for p in places] or [(finding, None)])
    running.note(
        row,
        Done(kind="asked", what=finding, words=f"Asked: {kind.label}", minutes=practised.ASKING, met=_answered(met)),
    )
    return met


@transaction.atomic
def repair(row: Lesson, fault_id: str, place: str) -> None:
    """Do a repair: what was wrong there is mended; what was not is as it was, or worse."""
    fault = knowledge.faults().get(fault_id)
    if fault is None:
        raise Refused(422, "out_of_range", "Choose one of the listed faults.", "fault")
    unsafe = running.safe(row, practised.asks_of_repair(fault), f"Mended: {fault.label}", practised.cold(fault))
    whole = place in ("", *WHOLE)
    running.becomes(row, mend(running.truth_now(row), fault.id, "" if whole else cases.axis_of(place)))
    done = Done(
        kind="mended", what=fault.id, place=place, words=f"Mended: {fault.label}" + ("" if whole else f", {place.upper()}"),
        minutes=fault.minutes, cost=practised.cost_of(fault), unsafe=unsafe,
    )  # fmt: skip
    running.note(row, done)


@transaction.atomic
def print_again(row: Lesson) -> None:
    """Print the part of the complaint again."""
    unsafe = running.safe(row, "powered", "Printed it again")
    stands = running.standing(row)
    stands.hot = True
    row.stands = stands.model_dump()
    row.looks = prints.printed(running.truth_now(row)).model_dump(mode="json")
    row.save(update_fields=["stands", "looks"])
    running.note(row, Done(kind="printed", words="Printed it again", minutes=practised.PRINTING, unsafe=unsafe))


def sound(row: Lesson, axis: str) -> bytes:
    """What an axis sounds like as it runs up a ladder of speeds (WAV); it has to be plugged in."""
    if axis not in ("x", "y", "z"):
        raise Refused(422, "out_of_range", "Listen to X, Y or Z.", "axis")
    if not running.standing(row).plugged:
        raise Refused(409, "unplugged", "It is unplugged: nothing moves. Plug it in first.")
    return wav(senses.heard(running.truth_now(row), axis))
