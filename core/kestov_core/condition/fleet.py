"""One figure across machines of a kind: the centre that most of them hold, which stands apart, and whether all moved together.

Centre and spread are the median and the median of deviations, which one odd machine does not move. What all machines did (a room
that got cold) is told from what one did by itself. Not here: whether a figure is within its limits.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

from ..quantities import Quantity, quadrature

#: From the median of deviations to a standard deviation, for the normal law.
_SIGMA = 1.4826
#: Of so few nobody can say which is odd.
LEAST = 3
#: How many spreads from the centre the farthest of n lies in 5 % of sound fleets (simulated; the test draws them again).
_FAR = {3: 22.0, 4: 7.9, 5: 7.9, 6: 5.9, 7: 5.9, 8: 5.0, 10: 4.6, 12: 4.4, 15: 4.3, 20: 4.0, 30: 3.85}
#: The median of n is as sure as so many standard deviations over the root of n (normal law), at 95 %.
_MEDIAN = 1.96 * math.sqrt(math.pi / 2)


@dataclass(frozen=True)
class Member:
    """A machine's figure, and the one before it where nothing was done to it in between (``u95``: of one reading, none: not known)."""

    name: str
    value: float
    u95: float | None = None
    before: float | None = None


@dataclass(frozen=True)
class Stands:
    """Where a machine stands among the others. ``apart``: so many spreads from the centre; ``odd``: further than chance has it.

    ``moved``: since the figure before; ``alone``: it moved otherwise than the others did.
    """

    name: str
    apart: float
    odd: bool
    moved: float | None
    alone: bool


@dataclass(frozen=True)
class Across:
    """A figure across machines. ``spread``: a standard deviation, by most of them; ``few``: too few to say which is odd.

    ``together``: what most moved by since the figures before; ``all_moved``: that is more than chance.
    """

    centre: float
    spread: float
    few: bool
    stands: list[Stands]
    together: Quantity | None
    all_moved: bool


def across(members: Sequence[Member], unit: str) -> Across:
    """One figure across machines.

    Parameters
    ----------
    members : sequence of Member
        One for each machine; at least one.
    unit : str
        Of the figures.

    Returns
    -------
    Across
        The centre (median), the spread (scaled median of deviations, no less than what readings can tell), and where each stands.

    Examples
    --------
    >>> found = across([Member(n, v, 1.0) for n, v in zip("abcdef", (54, 55, 56, 55, 54, 31))], "N")
    >>> found.centre, [s.name for s in found.stands if s.odd]
    (54.5, ['f'])
    """
    values = [m.value for m in members]
    centre = median(values)
    seen = [m.u95 / 2 for m in members if m.u95]
    finest = median(seen) if seen else 0.0
    spread = max(_SIGMA * median(abs(v - centre) for v in values), finest)
    few = len(members) < LEAST
    moves = {m.name: m.value - m.before for m in members if m.before is not None}
    together, all_moved, alone = _moved(moves, finest * math.sqrt(2), unit)
    stands = []
    for m in members:
        apart = _over(m.value - centre, spread)
        odd = not few and abs(apart) > _far(len(members))
        stands.append(Stands(m.name, apart, odd, moves.get(m.name), m.name in alone))
    return Across(centre, spread, few, stands, together, all_moved)


def _moved(moves: dict[str, float], finest: float, unit: str) -> tuple[Quantity | None, bool, set[str]]:
    """What most moved by, whether that is more than chance, and which moved otherwise."""
    if len(moves) < LEAST:
        return None, False, set()
    common = median(moves.values())
    spread = max(_SIGMA * median(abs(v - common) for v in moves.values()), finest)
    u95 = quadrature(_MEDIAN * spread / math.sqrt(len(moves)))
    same_way = sum(v * common > 0 for v in moves.values())
    # Of few machines the spread is hardly known: nearly all have to have gone the same way, too.
    all_moved = abs(common) > u95 and same_way >= max(LEAST, math.ceil(0.8 * len(moves)))
    alone = {n for n, v in moves.items() if abs(_over(v - common, spread)) > _far(len(moves))}
    return Quantity(value=common, u95=u95, unit=unit), all_moved, alone


def _over(deviation: float, spread: float) -> float:
    if spread > 0:
        return deviation / spread
    return 0.0 if deviation == 0 else math.copysign(math.inf, deviation)


def _far(n: int) -> float:
    return _FAR[max(k for k in _FAR if k <= max(n, LEAST))]
