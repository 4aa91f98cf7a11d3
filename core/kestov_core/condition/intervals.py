"""How often a task of service is worth doing, by what its rounds found: one that keeps finding nothing may stretch, one that finds shortens.

What wants seeing to comes at a constant rate: in a share s of the interval it has come with the chance 1 - exp(-rate * s). The rate has
Jeffreys' prior for that chance at one interval, which makes the chance a beta(1/2, 1/2) where every round was on time. A change is proposed
only where the data bear it: stretched by the rate's upper end (95 %), shortened by its lower (5 %).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

#: So often, out of all rounds, a task is meant to find something: less is work for nothing, more is found late. Typical.
WANTED = 0.25
#: Stretched by at most half; shortened to no less than half in one go.
MOST, LEAST = 1.5, 0.5
#: Less than this is not worth changing.
_WORTH = 0.1
_GRID = 4001
#: Above so many intervals a round tells no more.
_LONGEST = 20.0


@dataclass(frozen=True)
class Seen:
    """One round of a task. ``share``: of its interval that had gone since the one before (above zero); ``found``: it was wanted, or in trouble."""

    share: float
    found: bool


@dataclass(frozen=True)
class Learned:
    """What rounds tell of an interval. ``over``: so many intervals they span; ``rate``: finds in an interval, from ``low`` to ``high``
    (5 and 95 %); ``factor``: 1 where nothing is proposed.
    """

    rounds: int
    over: float
    finds: int
    rate: float
    low: float
    high: float
    factor: float
    way: Literal["stretch", "shorten", "keep"]


def learned(rounds: Sequence[Seen], already: float = 1.0, may_stretch: bool = True) -> Learned:
    """What to do with an interval after these rounds.

    Parameters
    ----------
    rounds : sequence of Seen
        The rounds while the interval held, of all machines that share it.
    already : float
        By how much the interval is stretched already, over what it came as: the sum of all stretching stays under ``MOST``.
    may_stretch : bool
        Whether it may: a maker's own interval is not stretched.

    Returns
    -------
    Learned
        With ``factor`` between ``LEAST`` and ``MOST`` on the interval as it is.

    Raises
    ------
    ValueError
        For a share that is not above zero.
    """
    if any(not r.share > 0 for r in rounds):
        raise ValueError("a round has a share of its interval above zero")
    shares = np.minimum([r.share for r in rounds], _LONGEST)
    found = np.array([r.found for r in rounds], dtype=bool)
    # Over the chance at one interval, where Jeffreys' prior is an arcsine: even steps in its angle have even weight.
    angle = (np.arange(_GRID) + 0.5) / _GRID * (np.pi / 2)
    rates = -2.0 * np.log(np.cos(angle))
    # Of what found nothing the sum of the shares is all that counts; of what found, alike ones count together.
    alike, many = np.unique(shares[found], return_counts=True)
    logs = np.log(-np.expm1(-rates[:, None] * alike)) @ many - rates * shares[~found].sum()
    weights = np.exp(logs - logs.max())
    below = np.cumsum(weights) / weights.sum()
    low, middle, high = (float(np.interp(q, below, rates)) for q in (0.05, 0.5, 0.95))
    meant = -float(np.log1p(-WANTED))
    factor, way = 1.0, "keep"
    room = MOST / already
    if may_stretch and meant / high >= 1 + _WORTH and room >= 1 + _WORTH:
        factor, way = min(room, meant / high), "stretch"
    elif meant / low <= 1 - _WORTH:
        factor, way = max(LEAST, meant / low), "shorten"
    return Learned(len(rounds), float(shares.sum()), int(found.sum()), middle, low, high, factor, way)  # type: ignore[arg-type]
