"""Whether something after the last change on a machine shows that it holds."""

from __future__ import annotations

from datetime import datetime

from measuring.models import Action
from measuring.rounds import not_read, places_of, rounds, set_belts, tension

from .models import Case


def proven(case: Case) -> bool:
    """Whether something after the last change shows that it holds.

    The belts' own measurement, another that was out and is right now, or the complaint looked for and gone.
    """
    last = Action.objects.filter(case=case).exclude(helped=False).order_by("-at").first()
    if case.actions.filter(kind="turn_tensioner").exists() and _belts_hold(case):
        return True
    if last is not None and _measured_right(case, last):
        return True
    first = case.observations.order_by("at").first()
    if first is None:
        return False
    newest = (
        case.observations.filter(finding=first.finding, axis=first.axis, withdrawn=False).order_by("-at", "-id").first()
    )
    return newest is not None and newest.state == "absent" and (last is None or newest.at > last.at)


def _measured_right(case: Case, last: Action) -> bool:
    """Whether a measurement that was out in this case was taken again after the last change, and is within its limits."""
    rows: dict[tuple[str, str], list[tuple[datetime, str]]] = {}
    captures = case.captures.exclude(procedure__in=tension()).defer("data").prefetch_related("results")
    for capture in captures.order_by("taken_at"):
        if result := capture.latest():
            rows.setdefault((capture.place, capture.procedure), []).append((capture.taken_at, result.verdict))
    return any(
        taken[-1][1] in ("in_tolerance", "watch")
        and taken[-1][0] > last.at
        and any(verdict == "out_of_tolerance" for _, verdict in taken[:-1])
        for taken in rows.values()
    )


def _belts_hold(case: Case) -> bool:
    """The newest round of each set of belts in this case has no turn after it, and is within limits."""
    groups = {
        tuple(places_of(case.printer, p))
        for p in case.captures.filter(procedure__in=tension()).values_list("place", flat=True)
        if p in case.printer.motion().belts()
    }
    if not groups:
        return False
    for places in groups:
        past = rounds(case.printer, list(places), case.pk)
        if not past or not_read(places, past[-1]):
            return False
        if not set_belts(case.printer, list(places), past[-1]).holds:
            return False
    return True
