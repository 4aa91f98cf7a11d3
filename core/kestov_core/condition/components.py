"""The parts of a machine in their positions, and in what state each is: derived from evidence, never typed.

A part's condition comes from what was measured where it sits, what an inspection found, a fault that a case confirmed, and
its age against its life; the worst of these speaks, and all that speak are told. Not here: when it was measured.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..knowledge.part_kinds import PartKind, part_kinds
from ..machine import GUIDED, WHOLE, Description
from . import Condition, worst

#: From this share of its life on a part is watched (vocabulary: past 80 %).
OLD = 0.8
#: An inspection tells of so many days (typical: twice the interval of a monthly round).
INSPECTED_DAYS = 90.0
#: What an axis runs on where nobody said: typical of small machines.
_USUAL_GUIDE = "rods_ball"


@dataclass(frozen=True)
class Position:
    """A part in its position: of which kind, at which place of the machine."""

    kind: PartKind
    place: str

    @property
    def label(self) -> str:
        """In words, with its place."""
        alone = self.place in WHOLE or self.kind.at == "e"
        return self.kind.label if alone else f"{self.kind.label}, {self.place.upper()}"


@dataclass(frozen=True)
class Speaks:
    """One thing that tells of a part: the condition that it means, in words, and how old it is in days (None: of today)."""

    condition: Condition
    words: str
    age_days: float | None = None


@dataclass(frozen=True)
class Known:
    """A part's condition with all that tells of it, what drives it first; ``would_tell``: what would make it known."""

    condition: Condition
    speaks: tuple[Speaks, ...]
    would_tell: str = ""


def positions(motion: Description) -> list[Position]:
    """Every part of a machine by its description, in the order of the kinds."""
    out = []
    for kind in part_kinds().values():
        out += [Position(kind, place) for place in _places(kind, motion)]
    return out


def _places(kind: PartKind, motion: Description) -> tuple[str, ...]:
    if kind.at == "belt":
        return tuple(motion.belts())
    if kind.at == "motor":
        return motion.places("motor")
    if kind.at == "screw":
        return motion.places("screw")
    if kind.at == "guide":
        runs_on = {a: str(motion.guides.get(a, _USUAL_GUIDE)) for a in ("x", "y", "z")}
        axes = GUIDED[motion.kinematics]
        return tuple(a for a in axes if not kind.guides or runs_on.get(a, _USUAL_GUIDE) in kind.guides)
    if kind.at == "e":
        return ("e",)
    return (kind.at,)


def condition_of_part(
    kind: PartKind,
    measured: Sequence[Speaks],
    inspected: Speaks | None,
    confirmed: Sequence[str],
    life_share: float | None,
) -> Known:
    """The condition of one part.

    Parameters
    ----------
    kind : PartKind
    measured : sequence of Speaks
        What measurements say of the place where it sits.
    inspected : Speaks or None
        What was found when it was last looked at.
    confirmed : sequence of str
        Faults in it that an open case has confirmed, in words.
    life_share : float or None
        How much of its expected life it has behind it (1: all); None where its age or its life is not known.

    Returns
    -------
    Known
        The worst of all that speaks; ``not_known`` where nothing does, with what would tell.
    """
    rows = [Speaks("worn", f"A case found: {words}.") for words in confirmed]
    rows += list(measured)
    if inspected is not None:
        fresh = inspected.age_days is None or inspected.age_days <= INSPECTED_DAYS
        rows.append(
            inspected if fresh else Speaks("not_known", f"{inspected.words} That was long ago.", inspected.age_days)
        )
    if life_share is not None and life_share >= OLD:
        past = "past its expected life" if life_share >= 1 else "near the end of its expected life"
        rows.append(Speaks("watch", f"It is {past} ({100 * life_share:.0f} % of it)."))
    known = [r for r in rows if r.condition != "not_known"]
    found = worst([r.condition for r in known]) if known else "not_known"
    if life_share is not None and life_share < OLD and known:
        rows.append(Speaks("sound", f"{100 * life_share:.0f} % of its expected life is behind it."))
    rows.sort(key=lambda r: (r.condition != found, r.age_days or 0.0))
    tell = "" if found != "not_known" else f"A look would tell: {kind.look[:1].lower()}{kind.look[1:]}"
    return Known(found, tuple(rows), tell)
