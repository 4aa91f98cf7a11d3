"""The next thing to do in a case: where it stands first, then what the weighing says."""

from __future__ import annotations

from typing import Literal

from django.utils import timezone
from kestov_core import knowledge
from measuring.rounds import places_of, rounds, set_belts, tension
from people.clock import now
from pydantic import BaseModel

from .models import Case, State
from .proof import proven
from .weighing import Weighed

#: Faults that the bench for belts mends, turn by turn.
_SET_AT_BENCH = {"belt_slack", "belt_overtight", "belts_unequal"}
_DANGER = "Unplug it, do not only switch it off. Leave it to someone qualified."
_STANDING = "Keep fingers clear of the beam: it can move while motors are on."


class Step(BaseModel):
    """The next thing to do. ``check`` and ``repair`` come from the weighing; the rest from where the case stands.

    ``why_now``: why this before another; ``beside``: a repair that takes hardly longer than to look;
    ``note``: what this workshop knows of it besides; ``warranty``: before a machine under warranty is opened.
    """

    kind: Literal["danger", "take", "check", "repair", "pluck", "set", "verify", "close", "done"]
    title: str
    why: str
    why_now: str = ""
    beside: str = ""
    minutes: int
    place: str | None = None
    caution: str = ""
    how: list[str] = []
    tools: list[str] = []
    note: str = ""
    warranty: str = ""
    fault: str = ""
    check: str = ""
    after: list[str] = []
    state: str = ""
    then: str = ""


def next_step(case: Case, weighed: Weighed | None) -> Step:
    """The next thing to do: where the case stands first, then what the weighing says; of a machine under warranty, that before it is opened."""
    step = _next(case, weighed)
    until = case.printer.warranty_until
    grave = step.kind == "danger" or (
        step.kind == "repair" and weighed is not None and weighed.known.faults[step.fault].parts
    )
    if grave and until is not None and until >= timezone.localdate(now()):
        words = f"Under warranty until {until:%-d %B %Y}: it goes back before it is opened. Ask the lead."
        return step.model_copy(update={"warranty": words})
    return step


def _next(case: Case, weighed: Weighed | None) -> Step:
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
    return _belts_begun(case) or _set_begun(case) or _weighed_step(case, weighed)


def _set_begun(case: Case) -> Step | None:
    """What was turned by a measurement wants the same measurement again."""
    last = case.actions.filter(kind="turn").order_by("-at", "-id").first()
    if last is None:
        return None
    after = case.captures.filter(place=last.place, procedure=last.procedure, taken_at__gt=last.at)
    if after.exists():
        return None
    card = knowledge.cards()[last.procedure].here(last.place)
    return Step(
        kind="check",
        title=f"Measure {card.words} again",
        why=f"{last.target.capitalize()} was turned; the same measurement shows whether it helped.",
        minutes=round(card.minutes),
        place=last.place,
        caution=card.caution,
        how=card.how,
        tools=card.needs,
        check=next((c.id for c in knowledge.checks().values() if c.procedure == last.procedure), ""),
    )


def _belts_begun(case: Case) -> Step | None:
    """What a sitting at the bench for belts that has begun wants next."""
    belts = case.printer.motion().belts()
    places = set(case.captures.filter(procedure__in=tension()).values_list("place", flat=True)) & set(belts)
    for group in dict.fromkeys(tuple(places_of(case.printer, p)) for p in sorted(places)):
        past = rounds(case.printer, list(group), case.pk)
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
        advice = set_belts(case.printer, list(group), past[-1])
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
    if case.unaided:
        why = "You work without the advice: ask, look, measure and mend as you see fit, then close the case with what it was."
        return Step(kind="check", title="What next?", why=why, minutes=0)
    belts = case.printer.motion().belts()
    if result.repair_now and not result.repair_now[0].beside:
        best = result.repair_now[0]
        fault = weighed.known.faults[best.fault]
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
            note=fault.note,
            fault=fault.id,
            after=[knowledge.words_of(p) for p in fault.after],
            state=fault.state,
            then=fault.then,
        )
    if not result.next:
        return Step(
            kind="check",
            title="Nothing left is worth its minutes",
            why="What could still be looked at takes longer than it is expected to save. Say what else is seen, choose a check below, or hand it on.",
            minutes=0,
        )
    best_check = result.next[0]
    # What takes hardly longer to mend than to look at is said beside the check.
    beside = f"{result.repair_now[0].label}. {result.repair_now[0].words}" if result.repair_now else ""
    if best_check.procedure in tension() and best_check.axis in belts:
        step = _pluck(case, best_check.axis, best_check.why, round(best_check.minutes))
        return step.model_copy(update={"why_now": best_check.why_now, "beside": beside})
    return Step(
        kind="check",
        title=best_check.label,
        why=best_check.why,
        why_now=best_check.why_now,
        beside=beside,
        minutes=round(best_check.minutes),
        place=best_check.axis,
        caution=best_check.caution,
        how=best_check.how,
        tools=best_check.tools,
        note=best_check.note,
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
