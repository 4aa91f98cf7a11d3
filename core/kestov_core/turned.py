"""What a result is turned by, what turning taught, and how a screw is turned: shared by the procedures that are set in rounds.

Not here: belts, which are set in pairs (`procedures.belt_set`), and whether a course of rounds holds (`course`).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Literal

import numpy as np
from pydantic import AliasChoices, Field

from .asking import measured
from .machine import Turning
from .procedures.base import Part, Result
from .quantities import Quantity, own_u95, rounded

#: The name of something that is turned, as it stands on the machine.
Named = Annotated[str, Field(min_length=1, max_length=40)]
#: Which way raises, seen from the screw's head; called ``raise`` in a context.
Raises = Annotated[Turning, Field(validation_alias=AliasChoices("raise", "raises"))]
#: The farthest a hand turns in one step, in turns or mm.
MOST_TURNED = 20.0
#: What a turn does by the book is good to this share, until the machine has shown it (typical: play, springs, a hand's turn).
_BOOK_U95 = 0.2
#: Learned from so many steps at the most.
MOST_STEPS = 60


class Turnable(Part):
    """Something that is turned by a result: what it is called, in which unit, and its two ways, of which the first counts
    positive; ``once``: it is done or not, by no amount. ``at``: how high it stands there now (mm); ``per_turn``: what a turn does to that by the book (mm).
    """

    target: str
    title: str
    unit: Literal["turns", "mm", "once"]
    ways: Annotated[list[str], Field(min_length=2, max_length=2)]
    at: Quantity | None = None
    per_turn: float | None = None


class TurnedResult(Result):
    """A result that says what is turned by it. ``answers``: what a turn does on this machine, of what it should by the book."""

    turnables: list[Turnable] = []
    answers: Quantity | None = None


class TurnedStep(Part):
    """One step of an earlier round: how far each was turned (positive raises), and how high each stood before and after (mm)."""

    turned: Annotated[
        dict[Named, Annotated[float, Field(ge=-10 * MOST_TURNED, le=10 * MOST_TURNED)]], Field(max_length=12)
    ]
    before_mm: Annotated[dict[Named, Annotated[float, Field(ge=-500, le=500)]], Field(max_length=12)]
    after_mm: Annotated[dict[Named, Annotated[float, Field(ge=-500, le=500)]], Field(max_length=12)]
    u95_mm: Annotated[float, Field(ge=0, le=500)] = 0.0


History = Annotated[list[TurnedStep], Field(max_length=MOST_STEPS)]
#: What earlier turns did on this machine, from its record.
HISTORY = measured(lambda known: list(known.turned) or None)


def other_way(turning: Turning) -> Turning:
    """The other way round."""
    return "anticlockwise" if turning == "clockwise" else "clockwise"


def ways(raises: Turning) -> list[str]:
    """The two ways of a screw, the one that raises first."""
    return [raises, other_way(raises)]


def answers(history: Sequence[TurnedStep], per_turn: Mapping[str, float]) -> Quantity | None:
    """What turning does on this machine, as a share of what it should by the book; None before anything was turned.

    Parameters
    ----------
    history : sequence of TurnedStep
        Steps with heights before and after.
    per_turn : mapping
        What a turn does by the book, mm, by target.

    Returns
    -------
    Quantity or None
        The share, joined by inverse variance to the book's 1 ± 0.2 (typical).

    Notes
    -----
    Heights are told against each other, so what all screws share drops out: in each step the mean is taken from both sides.
    """
    weights, sums = 1.0 / _BOOK_U95**2, 1.0 / _BOOK_U95**2
    seen = False
    for step in history:
        names = [n for n in per_turn if n in step.before_mm and n in step.after_mm]
        if len(names) < 1:
            continue
        wanted = np.array([step.turned.get(n, 0.0) * per_turn[n] for n in names])
        got = np.array([step.after_mm[n] - step.before_mm[n] for n in names])
        if len(names) > 1:
            wanted, got = wanted - wanted.mean(), got - got.mean()
        power = float(wanted @ wanted)
        if power <= 0:
            continue
        # Two measurements stand behind each difference; a hundredth of a mm is as good as any.
        u = max(step.u95_mm, 0.01) * 2**0.5
        weight = power / u**2
        weights += weight
        sums += weight * float(wanted @ got) / power
        seen = True
    if not seen:
        return None
    return Quantity(value=min(max(sums / weights, 0.2), 3.0), u95=weights**-0.5, unit="1")


def turns_needed(change_mm: Quantity, per_turn: float, learned: Quantity | None) -> Quantity:
    """How far to turn for a change of height; what the machine has shown counts."""
    share = learned.value if learned is not None else 1.0
    turns = change_mm.value / (per_turn * share)
    of_share = (learned.u95 or 0.0) / share if learned is not None else 0.0
    u = own_u95(change_mm) / (per_turn * share)
    return Quantity(value=turns, u95=(u * u + (turns * of_share) ** 2) ** 0.5, unit="turns")


def mm_words(mm: float, u95: float | None) -> str:
    """A height in words, no finer than a hand can set."""
    return rounded(abs(mm), max(u95 or 0.0, 0.01))


#: Fractions of a turn that a hand can follow, in words.
_FRACTIONS = (
    (1 / 8, "an eighth of a turn"),
    (1 / 4, "a quarter turn"),
    (1 / 2, "half a turn"),
    (3 / 4, "three quarters"),
)


def turn_words(turns: float) -> str:
    """How far to turn, as a hand does it: in eighths where it is near one, always in degrees."""
    size = abs(turns)
    near = next((words for share, words in _FRACTIONS if abs(size - share) <= 0.025), None)
    if near is not None:
        return f"{near} ({360 * size:.0f}°)"
    return f"{360 * size:.0f}°" if size < 1 else f"{size:.2f} turns"
