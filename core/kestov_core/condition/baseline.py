"""What may no longer be believed after something was done to a machine, and in which order it is put right again.

Events put figures and stored values in doubt (``knowledge/doubts.toml``); the order is that in which the chain builds
(frame, guides, screws, bed, belts, steps, squareness, resonance, a print). Not here: what was measured when.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import get_args

from .. import procedures
from ..knowledge import cards
from ..knowledge.cards import CHAIN_WORDS, Chain
from ..knowledge.ledger import Upset, upsets
from ..machine import AXES_OF_BELT, WHOLE, Description, Place
from ..procedures.base import Part
from .stored import all_stored

ORDER: tuple[Chain, ...] = get_args(Chain)
#: Minutes to send a script, read what the machine prints, and paste it (typical).
READ_BACK_MINUTES = 4.0


class Doubted(Part):
    """A measurement of a place that says nothing of today, and what has overtaken it, in words."""

    procedure: str
    place: str
    since: str


class DoubtedValue(Part):
    """A stored value that may have been lost (``lost``), or may no longer fit; and what has overtaken it, in words."""

    name: str
    label: str
    lost: bool
    since: str


class PlanStep(Part):
    """One thing to do in the order of the chain: a measurement at a place, or (procedure null) words alone.

    ``values``: stored values that it settles. ``stage``: in words. ``rounds``: it is set in rounds, where belts are.
    """

    stage: str
    title: str
    procedure: str | None
    place: Place | None
    minutes: float
    instruments: list[str] = []
    why: str
    caution: str = ""
    values: list[str] = []
    rounds: bool = False


class Plan(Part):
    """What is to be done after what was done, in order, and in how many minutes; with what in one's hands."""

    steps: list[PlanStep]
    minutes: float
    instruments: list[str]
    by_hand: list[str]


def reaches(upset: Upset, motion: Description, done_at: str, measured_at: str) -> bool:
    """Whether what was done at a place ("" for the whole machine, or nobody said where) reaches another."""
    if not upset.at or done_at in ("", *WHOLE) or measured_at in (done_at, "all"):
        return True
    axes = AXES_OF_BELT[motion.kinematics]
    here = {done_at, *axes.get(done_at, ())}
    there = {measured_at, *axes.get(measured_at, ())}
    # A diagonal of crossed belts is moved by both, and so is each axis.
    return bool(here & there) or (
        motion.kinematics == "corexy" and measured_at in ("x", "y", "a", "b") and done_at in ("a", "b")
    )


Table = Mapping[str, Upset]


def measured_in_doubt(
    event: str, motion: Description, done_at: str, procedure: str, place: str, table: Table | None = None
) -> bool:
    """Whether an event puts a procedure's figure of a place in doubt; by the table as it came, where none is given."""
    upset = (upsets() if table is None else table).get(event)
    return upset is not None and procedure in upset.measured and reaches(upset, motion, done_at, place)


def stored_in_doubt(
    event: str, motion: Description, done_at: str, name: str, table: Table | None = None
) -> bool | None:
    """Whether an event may have lost a stored value (True), or made it unfit (False); None: it leaves it alone."""
    upset, stored = (upsets() if table is None else table).get(event), all_stored().get(name)
    if upset is None or stored is None:
        return None
    if not reaches(upset, motion, done_at, stored.place if stored.kind.at != "plane" else "all"):
        return None
    if stored.kind.id in upset.lost:
        return True
    return False if stored.kind.id in upset.stale else None


def words_of(event: str) -> str:
    """What was done, in words."""
    upset = upsets().get(event)
    return upset.words if upset is not None else event.replace("_", " ")


def plan(
    motion: Description,
    doubted: Sequence[Doubted],
    values: Sequence[DoubtedValue],
    happened: Iterable[str],
    table: Table | None = None,
) -> Plan:
    """The way back to a machine of which everything is known, in the order of the chain, nothing twice.

    Parameters
    ----------
    motion : Description
        The machine.
    doubted : sequence of Doubted
        Measurements that were overtaken.
    values : sequence of DoubtedValue
        Stored values that were.
    happened : iterable of str
        Events since: what they ask to be looked at by hand comes before anything moves.
    table : mapping of str to Upset, optional
        What events put in doubt here; as it came, where none is given.

    Returns
    -------
    Plan
        Steps with minutes and instruments; empty where nothing is in doubt.
    """
    known = upsets() if table is None else table
    by_hand = list(dict.fromkeys(line for e in happened if e in known for line in known[e].by_hand))
    steps: list[PlanStep] = []
    lost = [v for v in values if v.lost]
    if lost:
        steps.append(
            PlanStep(
                stage="What it has stored",
                title="Read back what it has stored, and compare",
                procedure=None,
                place=None,
                minutes=READ_BACK_MINUTES,
                why=_because(v.since for v in lost),
                caution="It moves nothing; do not print before it is done.",
                values=[v.name for v in lost],
            )
        )
    steps += _measurements(motion, doubted, values)
    told = [v for v in values if not v.lost and not any(v.name in s.values for s in steps)]
    for v in told:
        steps.append(
            PlanStep(
                stage="What it has stored",
                title=f"{'Write down anew' if _is_words(v.name) else 'See whether it still fits'}: {v.label}",
                procedure=None,
                place=None,
                minutes=1.0 if _is_words(v.name) else READ_BACK_MINUTES,
                why=_because([v.since]),
                values=[v.name],
            )
        )
    instruments = list(dict.fromkeys(i for s in steps for i in s.instruments))
    return Plan(steps=steps, minutes=sum(s.minutes for s in steps), instruments=instruments, by_hand=by_hand)


def _measurements(motion: Description, doubted: Sequence[Doubted], values: Sequence[DoubtedValue]) -> list[PlanStep]:
    """One step for each measurement that is wanted: overtaken itself, or the only way to settle a stored value."""
    wanted: dict[tuple[str, str], PlanStep] = {}
    for d in doubted:
        _add(wanted, motion, d.procedure, d.place, d.since)
    for v in values:
        stored = all_stored()[v.name]
        name = stored.kind.measured_by
        if v.lost or name is None:
            continue
        for place in _where(motion, name, stored.place):
            step = _add(wanted, motion, name, place, v.since)
            if step is not None:
                step.values.append(v.name)
    ranked = sorted(wanted.values(), key=lambda s: (_rank(s.procedure), _instrument(s)))
    return ranked


def _add(
    wanted: dict[tuple[str, str], PlanStep], motion: Description, name: str, place: str, since: str
) -> PlanStep | None:
    card, procedure = cards().get(name), procedures.get(name)
    if card is None or card.chain is None or place not in procedure.places(motion):
        return None
    # What tells the same of a place is measured once.
    key = (procedure.gives or name, place)
    if key not in wanted:
        here = card.here(place)
        wanted[key] = PlanStep(
            stage=CHAIN_WORDS[card.chain],
            title=f"{here.short}: {here.label}" if here.label else here.short,
            procedure=name,
            place=place,  # type: ignore[arg-type]
            minutes=card.minutes,
            instruments=card.needs[:1],
            why=_because([since]),
            caution=here.caution,
            rounds=procedure.rounds,
        )
    return wanted[key]


def _where(motion: Description, procedure: str, place: str) -> list[str]:
    """Where a measurement is taken that settles a value of a place: there, or wherever it is taken on this machine."""
    places = procedures.get(procedure).places(motion)
    if place in places:
        return [place]
    if place and motion.kinematics == "corexy" and {"a", "b"} <= set(places):
        return ["a", "b"]
    return list(places[:1])


def _rank(name: str | None) -> int:
    chain = cards()[name].chain if name is not None else None
    return ORDER.index(chain) if chain is not None else -1


def _instrument(step: PlanStep) -> str:
    """Within a stage what is measured with one instrument stands together."""
    return step.instruments[0] if step.instruments else ""


def _is_words(name: str) -> bool:
    return all_stored()[name].kind.kind == "text"


def _because(since: Iterable[str]) -> str:
    told = list(dict.fromkeys(since))
    joined = "; ".join(told[:3])
    return f"{joined[:1].upper()}{joined[1:]}."
