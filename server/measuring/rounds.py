"""Rounds of one adjustment: measure both belts, turn, measure again, until it holds.

A round is the captures between two turns. Everything is derived from captures and actions in the record.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

from django.db.models import QuerySet
from kestov_core import procedures
from kestov_core.course import Course, Stage, course
from kestov_core.procedures.belt_set import PROCEDURE as BELT_SET
from kestov_core.procedures.belt_set import BeltSetResult
from kestov_core.quantities import Limits, Quantity, decide
from people.clock import now
from workshop.models import Limit, Printer

from .models import Action, Capture, CaptureQuery, Result

#: Without a case, readings and turns this close together belong to one sitting.
SITTING = timedelta(hours=12)
#: What turning did is learned from so many newest cases, and from no more rows than belt-set takes.
LEARNED_CASES, LEARNED_ROWS = 12, 500


def tension() -> tuple[str, ...]:
    """The procedures that give a belt's tension."""
    return procedures.giving("tension")


@dataclass
class Reading:
    """What was measured at a place in a round."""

    capture: Capture
    result: Result

    @property
    def tension(self) -> dict[str, Any]:
        found: dict[str, Any] = self.result.found["tension"]
        return found


@dataclass
class Round:
    """One round: the newest reading of each place, and what was turned after it."""

    number: int
    readings: dict[str, Reading] = field(default_factory=dict)
    actions: list[Action] = field(default_factory=list)


def newest_tensions(printer: Printer, places: Sequence[str]) -> dict[str, Reading]:
    """Of belts the newest reading that no correction has replaced, whenever it was taken, by place."""
    if not places:
        return {}
    rows = Capture.objects.filter(printer=printer, procedure__in=tension()).current().order_by("-taken_at")
    newest, *others = (rows.filter(place=place).values("pk")[:1] for place in places)
    found = Capture.objects.filter(pk__in=newest.union(*others, all=True)).defer("data")
    told = found.select_related("taken_by", "instrument").prefetch_related("results")
    return {c.place: Reading(c, result) for c in told if (result := c.latest()) is not None}


def not_read(places: Sequence[str], last: Round | None) -> list[str]:
    """The belts that are still to be read before anything is turned: after a turn, all of them again."""
    return [p for p in places if last is None or last.actions or p not in last.readings]


def places_of(printer: Printer, place: str) -> list[str]:
    """The belts set together with this one: the pair, or the belt alone."""
    partner = printer.motion().partner(place)
    return sorted([place, partner]) if partner else [place]


def rounds(printer: Printer, places: list[str], case_id: int | None) -> list[Round]:
    """The rounds of this case (or of this sitting, where it is None) up to now, oldest first."""
    captures = Capture.objects.filter(printer=printer, place__in=places, procedure__in=tension()).current()
    actions = Action.objects.filter(printer=printer, place__in=places, kind="turn_tensioner").select_related("by")
    return gathered(*of_sitting(captures, actions, case_id))


def of_sitting(
    captures: CaptureQuery, actions: QuerySet[Action], case_id: int | None
) -> tuple[CaptureQuery, QuerySet[Action]]:
    """What of these belongs to a case, or to the sitting that is going on; up to now."""
    # What comes late from a device belongs to the round that it was entered in, whatever others did since.
    moment = now()
    captures, actions = captures.filter(taken_at__lte=moment), actions.filter(at__lte=moment)
    if case_id is not None:
        return captures.filter(case=case_id), actions.filter(case=case_id)
    since = moment - SITTING
    return captures.filter(case=None, taken_at__gte=since), actions.filter(case=None, at__gte=since)


def gathered(captures: CaptureQuery, actions: QuerySet[Action]) -> list[Round]:
    """Captures and actions by the round that they were made in, oldest first."""
    by_number: dict[int, Round] = {}
    for capture in captures.defer("data").select_related("taken_by").prefetch_related("results").order_by("taken_at"):
        result = capture.latest()
        if result is not None:
            by_number.setdefault(capture.round, Round(capture.round)).readings[capture.place] = Reading(capture, result)
    for action in actions:
        by_number.setdefault(action.round, Round(action.round)).actions.append(action)
    return [by_number[n] for n in sorted(by_number)]


def current_round(printer: Printer, place: str, case_id: int | None) -> int:
    """The number of the round that a capture taken now belongs to: one more after a turn."""
    past = rounds(printer, places_of(printer, place), case_id)
    if not past:
        return 1
    last = past[-1]
    return last.number + 1 if last.actions else last.number


def history(printer: Printer, places: list[str]) -> list[dict[str, Any]]:
    """What turning did on this printer lately, as belt-set's ``history``: one row a belt and step of rounds, oldest first."""
    cases = (
        Action.objects.filter(printer=printer, place__in=places, case__isnull=False, kind="turn_tensioner")
        .values_list("case", flat=True)
        .distinct()
        .order_by("-case")[:LEARNED_CASES]
    )
    steps: list[list[dict[str, Any]]] = []
    for case_id in [*reversed(cases), None]:
        for before, after in itertools.pairwise(rounds(printer, places, case_id)):
            step = []
            for place in places:
                if place not in before.readings or place not in after.readings:
                    continue
                a, b = before.readings[place].tension, after.readings[place].tension
                own = max(a.get("own") or 0, b.get("own") or 0) or 0.02 * b["value"]
                turned = sum(x.turns or 0 for x in before.actions if x.place == place)
                step.append({"id": place, "turns": turned, "before_n": a["value"], "after_n": b["value"], "u95_n": own})
            # The turned belt first: what the other lost is read against it.
            steps.append(sorted(step, key=lambda r: -abs(r["turns"])))
    return [row for step in steps[-(LEARNED_ROWS // len(places)) :] for row in step]


#: A machine's own best tension is held to this share (typical).
OWN_BAND = 0.1


def own_best(printer: Printer, place: str) -> float | None:
    """The tension (N) at which this machine was found to print best, once that is known."""
    rows = Capture.objects.filter(printer=printer, place=place, procedure__in=procedures.giving("own_best")).current()
    newest = rows.defer("data").prefetch_related("results").first()
    found = result.found if newest is not None and (result := newest.latest()) is not None else None
    if found is None or not found["best_known"] or found["tension_at_best"] is None:
        return None
    return float(found["tension_at_best"]["value"])


def target_of(printer: Printer, place: str) -> tuple[float, float, str]:
    """The tension band (N) of a belt with its source: the model's limit, this machine's own best, else typical for its width."""
    from kestov_core.machine import tension_band_typical

    limit = next((x for x in printer.model.limits.all() if (x.what, x.place) == ("tension", place)), None)
    told = None
    if limit is not None and limit.low is not None and limit.high is not None:
        told = limit.low, limit.high, limit.source
    if told is not None and told[2] != "typical":
        return told
    best = own_best(printer, place)
    if best is not None:
        return (1 - OWN_BAND) * best, (1 + OWN_BAND) * best, "its own best"
    if told is not None:
        return told
    belt = printer.motion().belts()[place]
    low, high = tension_band_typical(belt.width_mm)
    return low, high, "typical"


def courses(printer: Printer, places: Sequence[str], past: Sequence[Round]) -> dict[str, Course]:
    """Whether the rounds of each belt hold, help, or no longer do: by how far it stands from the middle of its band."""
    out = {}
    for place in places:
        low, high, _ = target_of(printer, place)
        stages = []
        for r in past:
            if place not in r.readings:
                continue
            q = Quantity.model_validate(r.readings[place].tension)
            off = q.model_copy(update={"value": q.value - (low + high) / 2, "low": None, "high": None})
            verdict = decide(q.value, q.u95, Limits(low=low, high=high))
            turned = any(a.place == place for a in r.actions)
            stages.append(Stage(quantity=off, verdict=verdict, turned=turned))
        # Only what was turned itself has a course; what its partner's turn did to it is the partner's.
        if any(s.turned for s in stages[:-1]) and (found := course(stages)) is not None:
            out[place] = found
    return out


def set_belts(printer: Printer, places: list[str], last: Round) -> BeltSetResult:
    """What to turn now, by the core's belt-set, from the newest readings and all that turning has shown."""
    belts = printer.motion().belts()
    rows = []
    for place in places:
        belt = belts[place]
        row: dict[str, Any] = {
            "id": place,
            "tension": last.readings[place].tension,
            "loop_length_mm": belt.loop_length_mm or 1000.0,
            "axial_stiffness_n": belt.axial_stiffness_n,
        }
        if belt.tensioner is not None:
            row["tensioner"] = belt.tensioner.model_dump()
        rows.append(row)
    low, high, _ = target_of(printer, places[0])
    middle = (low + high) / 2
    imbalance = Limit.objects.filter(model=printer.model, what="imbalance").first()
    context: dict[str, Any] = {
        "belts": rows,
        "target_n": middle,
        "tolerance_percent": min(100.0, 100 * (high - low) / 2 / middle),
        "history": history(printer, places),
    }
    if imbalance is not None and imbalance.high is not None:
        context["imbalance_limit_percent"] = imbalance.high
    result = procedures.run(BELT_SET.name, context)
    assert isinstance(result, BeltSetResult)
    return result
