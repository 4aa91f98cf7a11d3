"""How a case is shown: what was seen, the log, the weighing, and the next thing to do."""

from __future__ import annotations

import itertools
from datetime import datetime
from typing import Literal

from cases.models import Action, Case, State
from cases.weighing import Weighed, weigh
from kestov_core import knowledge
from kestov_core.procedures.belt_set import BeltSetResult
from kestov_core.procedures.diagnose import DiagnoseResult
from measuring.rounds import places_of, rounds, set_belts, tension
from ninja import Schema
from people.models import Role, User

from .shapes import CaseBrief, case_brief, person


class ObservationOut(Schema):
    id: int
    finding: str
    label: str
    axis: str
    group: str
    state: Literal["present", "absent", "unknown"]
    value: float | None
    unit: str | None
    note: str
    check: str
    by: str
    at: datetime


class PictureOut(Schema):
    id: int
    words: str
    width: int
    height: int
    by: str
    at: datetime


class LogLine(Schema):
    at: datetime
    who: str
    kind: Literal["reported", "comment", "measured", "turned", "seen", "closed", "picture"]
    words: str


class Step(Schema):
    """The next thing to do. ``check`` and ``repair`` come from the weighing; the rest from where the case stands."""

    kind: Literal["danger", "take", "check", "repair", "pluck", "set", "verify", "close", "done"]
    title: str
    why: str
    minutes: int
    place: str | None = None
    caution: str = ""
    how: list[str] = []
    tools: list[str] = []
    fault: str = ""
    check: str = ""
    after: list[str] = []
    state: str = ""
    then: str = ""


class WeighingOut(Schema):
    """What it may be: the core's result, where its evidence came from, and the causes confirmed on this model so far."""

    result: DiagnoseResult
    sources: list[str]
    confirmed: dict[str, int]


class CaseOut(CaseBrief):
    words: str
    since: str
    cause: str
    taken_by: str | None
    observations: list[ObservationOut]
    pictures: list[PictureOut]
    log: list[LogLine]
    step: Step
    may_work: bool
    fault: str
    fault_axis: str
    weighing: WeighingOut | None


#: Faults that the bench for belts mends, turn by turn.
_SET_AT_BENCH = {"belt_slack", "belt_overtight", "belts_unequal"}
#: Procedures that the bench for belts runs.
_DANGER = "Unplug it, do not only switch it off. Leave it to someone qualified."
_STANDING = "Keep fingers clear of the beam: it can move while motors are on."


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
        if p in case.printer.model.motion().belts()
    }
    if not groups:
        return False
    for places in groups:
        past = rounds(case.printer, list(places), case)
        if not past or past[-1].actions or any(p not in past[-1].readings for p in places):
            return False
        if not set_belts(case.printer, list(places), past[-1]).holds:  # type: ignore[attr-defined]
            return False
    return True


def case_out(case: Case, user: User) -> CaseOut:
    labels = knowledge.findings()
    observations = [
        ObservationOut(
            id=o.pk,
            finding=o.finding,
            label=labels[o.finding].label if o.finding in labels else o.finding,
            axis=o.axis,
            group=labels[o.finding].group if o.finding in labels else "",
            state=o.state,
            value=o.value,
            unit=labels[o.finding].unit if o.finding in labels else None,
            note=o.note,
            check=o.check_name,
            by=person(o.by),
            at=o.at,
        )
        for o in case.observations.filter(withdrawn=False).select_related("by")
    ]
    pictures = [
        PictureOut(id=p.pk, words=p.words, width=p.width, height=p.height, by=person(p.by), at=p.at)
        for p in case.pictures.defer("image").select_related("by")
    ]
    may_work = user.may(Role.TECHNICIAN)
    # Once it is proven, what was seen before has been explained: there is nothing left to weigh.
    weighed = weigh(case) if may_work and case.is_open and not proven(case) else None
    return CaseOut(
        **case_brief(case).model_dump(),
        words=case.words,
        since=case.since,
        cause=case.cause,
        taken_by=person(case.taken_by) if case.taken_by else None,
        observations=observations,
        pictures=pictures,
        log=_log(case, observations, pictures),
        step=_step(case, observations, weighed),
        fault=case.fault,
        fault_axis=case.fault_axis,
        weighing=WeighingOut(result=weighed.result, sources=weighed.sources, confirmed=weighed.confirmed)
        if weighed
        else None,
        may_work=may_work,
    )


def _said(check: str, said: list[ObservationOut]) -> str:
    """One line of the log for what was said at one moment: a single finding, or the outcome of a whole check."""

    def names(state: str) -> str:
        found = dict.fromkeys(o.label + (f", {o.axis.upper()}" if o.axis else "") for o in said if o.state == state)
        notes = [o.note for o in said if o.state == state and o.note]
        return "; ".join(found) + (f" ({'; '.join(notes)})" if notes else "")

    present, absent = names("present"), names("absent")
    if check in knowledge.checks():
        label = knowledge.checks()[check].label
        return f"{label}: {present}" if present else f"{label}: {'all fine' if absent else 'not sure'}"
    return (
        f"Seen: {present}"
        if present
        else f"Looked for, not there: {absent}"
        if absent
        else f"Not sure: {names('unknown')}"
    )


def done_words(a: Action) -> str:
    """What was turned or mended, in words."""
    if a.kind != "repair":
        return f"Belt {a.place.upper()}: {abs(a.turns or 0):.2f} {a.unit} {a.direction}"
    fault = knowledge.faults().get(a.fault)
    label = (fault.label if fault else a.fault) + (f", {a.place.upper()}" if 0 < len(a.place) <= 2 else "")
    how = {True: "it helped", False: "it did not help", None: "not proven yet"}[a.helped]
    return f"Mended: {label}; {how}" + (f" ({a.note})" if a.note else "")


def _log(case: Case, observations: list[ObservationOut], pictures: list[PictureOut]) -> list[LogLine]:
    from .floor import _measured

    lines = [
        LogLine(at=case.reported_at, who=person(case.reported_by), kind="reported", words=case.words or case.title)
    ]
    for (at, who, check), group in itertools.groupby(observations[1:], key=lambda o: (o.at, o.by, o.check)):
        lines.append(LogLine(at=at, who=who, kind="seen", words=_said(check, list(group))))
    lines += [LogLine(at=p.at, who=p.by, kind="picture", words=p.words or "Picture") for p in pictures]
    lines += [
        LogLine(at=c.at, who=person(c.by), kind="comment", words=c.words) for c in case.comments.select_related("by")
    ]
    lines += [
        LogLine(at=c.taken_at, who=person(c.taken_by), kind="measured", words=_measured(c))
        for c in case.captures.defer("data").select_related("taken_by").prefetch_related("results")
    ]
    for a in case.actions.select_related("by"):
        lines.append(LogLine(at=a.at, who=person(a.by), kind="turned", words=done_words(a)))
    if case.closed_at:
        lines.append(
            LogLine(
                at=case.closed_at,
                who=person(case.closed_by),
                kind="closed",
                words=f"{case.get_closing_display()}. {case.cause}",
            )
        )
    return sorted(lines, key=lambda line: line.at)


def _step(case: Case, observations: list[ObservationOut], weighed: Weighed | None) -> Step:
    """The next thing to do: where the case stands first, then what the weighing says."""
    if not case.is_open:
        return Step(kind="done", title="Closed", why=f"{case.get_closing_display()}. {case.cause}", minutes=0)
    if weighed is not None and weighed.result.stop is not None:
        return Step(
            kind="danger",
            title="Stop: unplug and tag out",
            why=f"{weighed.result.stop.reason}. It is not to be powered until somebody qualified has looked at it, and at the others of its model.",
            minutes=2,
            caution=_DANGER,
            how=weighed.result.stop.steps,
        )
    if case.state == State.REPORTED:
        return Step(
            kind="take",
            title="Take this case",
            why="Nobody works on it yet. Taking it shows the members that the machine is in service.",
            minutes=0,
        )
    if proven(case):
        return Step(
            kind="close",
            title="Close the case",
            why="What was looked for after the last change is right. Say what it was, and close it as mended and verified.",
            minutes=1,
        )
    return _belts_begun(case) or _weighed_step(case, weighed)


def _belts_begun(case: Case) -> Step | None:
    """What a sitting at the bench for belts that has begun wants next."""
    belts = case.printer.model.motion().belts()
    places = set(case.captures.filter(procedure__in=tension()).values_list("place", flat=True)) & set(belts)
    for group in dict.fromkeys(tuple(places_of(case.printer, p)) for p in sorted(places)):
        past = rounds(case.printer, list(group), case)
        if not past:
            continue
        names = " and ".join(p.upper() for p in group)
        if past[-1].actions:
            return Step(
                kind="verify",
                title=f"Measure {names} again",
                why="A belt was turned; the same measurement shows whether it helped.",
                minutes=3 * len(group),
                place=group[0],
                caution=_STANDING,
            )
        missing = [p for p in group if p not in past[-1].readings]
        if missing:
            return Step(
                kind="pluck",
                title=f"Pluck belt {missing[0].upper()}, too",
                why="One belt of the pair has been measured; their difference tells as much as their tension.",
                minutes=3,
                place=missing[0],
                caution=_STANDING,
            )
        advice: BeltSetResult = set_belts(case.printer, list(group), past[-1])  # type: ignore[assignment]
        if not advice.holds and any(b.turns for b in advice.belts):
            place = advice.advice[0].target if advice.advice and advice.advice[0].target in group else group[0]
            return Step(
                kind="set",
                title=f"Set {'the belts' if len(group) > 1 else f'belt {names}'}",
                why=advice.advice[0].reason if advice.advice else "The belts are not within their limits.",
                minutes=4,
                place=place,
                caution=_STANDING,
            )
    return None


def _weighed_step(case: Case, weighed: Weighed | None) -> Step:
    """The repair that is cheaper than a check, or the check that saves most; belts go to their bench."""
    if weighed is None:
        return Step(kind="check", title="A technician is on it", why="You will see here how it ends.", minutes=0)
    result = weighed.result
    belts = case.printer.model.motion().belts()
    if result.repair_now:
        best = result.repair_now[0]
        fault = knowledge.faults()[best.fault]
        if fault.id in _SET_AT_BENCH:
            place = best.axis if best.axis in belts else next(iter(belts))
            return _pluck(case, place, best.words, round(best.minutes))
        return Step(
            kind="repair",
            title=f"Mend: {best.label}",
            why=best.words,
            minutes=round(best.minutes),
            place=best.axis,
            caution=fault.caution,
            how=fault.steps,
            tools=[*fault.tools, *fault.parts],
            fault=fault.id,
            after=[knowledge.words_of(p) for p in fault.after],
            state=fault.state,
            then=fault.then,
        )
    if not result.next:
        return Step(
            kind="check",
            title="All checks are used up",
            why="Nothing on the list is left to look at. Write down what you know, or hand it on.",
            minutes=0,
        )
    best_check = result.next[0]
    if best_check.procedure in tension() and best_check.axis in belts:
        return _pluck(case, best_check.axis, best_check.why, round(best_check.minutes))
    return Step(
        kind="check",
        title=best_check.label,
        why=best_check.why,
        minutes=round(best_check.minutes),
        place=best_check.axis,
        caution=best_check.caution,
        how=best_check.how,
        tools=best_check.tools,
        check=best_check.check,
    )


def _pluck(case: Case, place: str, why: str, minutes: int) -> Step:
    both = len(places_of(case.printer, place)) > 1
    return Step(
        kind="pluck",
        title="Pluck both belts" if both else f"Pluck belt {place.upper()}",
        why=why,
        minutes=minutes,
        place=place,
        caution=_STANDING,
    )
