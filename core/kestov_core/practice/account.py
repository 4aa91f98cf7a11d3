"""What was done in a lesson, beside what was true and what the weighing would have done."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from .. import procedures
from ..knowledge import checks, faults, findings
from ..machine import Description
from ..quantities import Quantity
from ..simulator.machine import SimMachine
from . import acts, advice
from .advice import Way, WayStep
from .lessons import Begun, named
from .truth import Truth, gone

#: A figure is within what is believed of it where its error is no more than so many times its u95 (GUM: one in twenty lies beyond one).
WITHIN = 1.0
Kind = Literal["asked", "looked", "measured", "turned", "mended", "printed", "stood", "stopped"]


class _Told(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Answered(_Told):
    """A finding that was said to be there or not, after it was met or not."""

    finding: str
    place: str = ""
    state: Literal["present", "absent", "unknown"]


class Done(_Told):
    """One thing done: ``what`` is the check, procedure or fault; ``met``: what was met, with the truth of it; ``answered``: what was said of it.

    ``unsafe``: why it should not have been done so.
    """

    kind: Kind
    what: str = ""
    place: str = ""
    words: str
    minutes: float
    cost: float = 0.0
    met: list[Answered] = []
    answered: list[Answered] = []
    unsafe: str = ""


class Held(_Told):
    """A figure that was measured, against the truth."""

    words: str
    measured: Quantity
    true: float
    within: bool


class Account(_Told):
    """What was true, the way that was gone beside the one that the weighing would have gone, and what is to be learned of it.

    ``unread``: what was at hand and said wrongly, or not at all; ``too_soon``: what was measured before what it rests on; ``unsafe``: cautions
    that were passed over; ``made``: what wrong repairs have brought about.
    """

    truths: list[str]
    found: bool
    right: bool
    made: list[str]
    way: list[WayStep]
    minutes: float
    cost: float
    advised: Way
    advised_minutes: float
    advised_cost: float
    unread: list[str]
    too_soon: list[str]
    unsafe: list[str]
    figures: list[Held]


def account(
    begun: Begun,
    now: Truth,
    done: Sequence[Done],
    figures: Sequence[Held],
    named_fault: str,
    description: Description,
    limits: acts.Limited,
) -> Account:
    """Tell a lesson that has ended. ``named_fault``: what the person says it was ("" where they say nothing).

    The truth is told here and nowhere before.
    """
    way = advice.follow(begun, description, limits, seed=begun.truth.seed)
    return Account(
        truths=[named(f) for f in begun.truth.faults],
        found=named_fault in {f.fault for f in begun.truth.faults},
        right=gone(now) or (_dangerous(begun) and any(d.kind == "stopped" for d in done)),
        made=[named(f) for f in now.made],
        way=[WayStep(words=d.words, minutes=d.minutes, cost=d.cost) for d in done],
        minutes=sum(d.minutes for d in done),
        cost=sum(d.cost for d in done),
        advised=way,
        advised_minutes=way.minutes,
        advised_cost=way.cost,
        unread=_unread(done),
        too_soon=_too_soon(begun, done),
        unsafe=list(dict.fromkeys(d.unsafe for d in done if d.unsafe)),
        figures=list(figures),
    )


def _dangerous(begun: Begun) -> bool:
    return any(faults()[f.fault].kind == "danger" for f in begun.truth.faults)


def _unread(done: Sequence[Done]) -> list[str]:
    """What was met and then said to be otherwise, or left unsaid."""
    said: dict[tuple[str, str], str] = {}
    for d in done:
        said |= {(a.finding, a.place): a.state for a in d.answered}
    out = []
    for d in done:
        for m in d.met:
            answer = said.get((m.finding, m.place)) or said.get((m.finding, ""))
            label = findings()[m.finding].label
            where = f", {m.place.upper()}" if m.place else ""
            if m.state == "present" and answer != "present":
                out.append(
                    f"{label}{where}: it was there, and {'was said not to be' if answer == 'absent' else 'nobody said so'}."
                )
            elif m.state == "absent" and answer == "present":
                out.append(f"{label}{where}: it was said to be there, and was not.")
    return list(dict.fromkeys(out))


def _too_soon(begun: Begun, done: Sequence[Done]) -> list[str]:
    """What was measured while something that it rests on was loose or stiff, and nobody had looked."""
    shown, out = begun.truth.signs(), []
    looked: set[str] = set()
    for d in done:
        check = checks().get(d.what) if d.kind == "looked" else acts.check_of(d.what) if d.kind == "measured" else None
        if check is None:
            continue
        if d.kind == "measured":
            for before in check.before:
                wrong = [f for f in checks()[before].answers if shown.there(f)]
                if before not in looked and wrong:
                    out.append(
                        f"{check.label} before {checks()[before].label.lower()}: {findings()[wrong[0]].label.lower()}, so the figure was not the machine's."
                    )
        looked.add(check.id)
    return list(dict.fromkeys(out))


def held(procedure: str, place: str, found: Mapping[str, Any], true: float) -> Held | None:
    """A result (as a dictionary) against the true figure of what was measured; None where it has no figure of the kind."""
    declared = procedures.get(procedure).true
    told = found.get(declared[0]) if declared is not None else None
    if not isinstance(told, dict):
        return None
    q = Quantity.model_validate(told)
    within = abs(q.value - true) <= WITHIN * max(q.u95 or 0.0, 1e-9)
    return Held(words=f"{procedures.get(procedure).title}, {place.upper()}", measured=q, true=true, within=within)


def true_figure(sim: SimMachine, procedure: str, place: str) -> float | None:
    """The one true figure of what a procedure measures there; None where there is none."""
    declared = procedures.get(procedure).true
    return None if declared is None else declared[1](sim, place)
