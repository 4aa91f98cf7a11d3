"""What lies in a drawer against what will be wanted of it: until when it lasts, what to order by which day so as not to stand without.

Every part in use may fail on any day, each with a chance of its own; how many do so by a day is a sum of unequal coins (Poisson's binomial),
which is reckoned whole. Not here: how a part's chance follows from its age (`procedures.life`, and `typical_chances` where nothing is known).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..procedures.life import Floats

#: A typical life is from half to double (95 %), about as a lognormal has it.
_SIGMA = math.log(2) / 1.959964
#: No drawer holds more, and nobody orders more.
MOST = 500
#: The demand is told for so many days ahead.
SOON = 91


@dataclass(frozen=True)
class Outlook:
    """What a drawer's stock is good for. Days count from today; ``short_on`` null: not within the days that were looked at.

    ``expected``, ``low``, ``high``: how many are wanted within ``SOON`` days (5 and 95 %). ``short``: the chance of standing without, by day.
    ``short_on``: the first day on which that is over the risk that is borne; ``order_by``: so many days before as delivery takes (0: today);
    ``order``: how many then last until ``cover`` days after they came, and fill up to the minimum.
    """

    expected: float
    low: int
    high: int
    short: Floats
    short_on: int | None
    order_by: int | None
    order: int


def typical_chances(age_hours: Floats, life_hours: Floats, ahead: Floats) -> Floats:
    """The chance that parts fail within so many more hours, where only a typical life is known (half of them by then, half to double).

    Ages and lives in hours; all of a shape that goes with that of ``ahead``.
    """
    from scipy.special import ndtr

    def lasts(hours: Floats) -> Floats:
        z: Floats = (np.log(np.maximum(hours, 1e-9)) - np.log(life_hours)) / _SIGMA
        left: Floats = ndtr(-z)
        return left

    left = lasts(age_hours)
    # Far past any typical life: as long again is as likely as not.
    far: Floats = 1 - 0.5 ** (ahead / np.maximum(age_hours, 1.0))
    near: Floats = 1 - lasts(age_hours + ahead) / np.maximum(left, 1e-300)
    return np.clip(np.where(left < 1e-12, far, near), 0.0, 1.0)


def wanted(chances: Floats, most: int = MOST) -> Floats:
    """How many are wanted: (days, most + 1) chances of each number by each day; the last holds all that are more.

    Parameters
    ----------
    chances : (parts, days) array
        The chance of each part that it is wanted by each day, each between 0 and 1.
    """
    parts, days = chances.shape
    most = min(most, parts)
    out = np.zeros((days, most + 1))
    out[:, 0] = 1.0
    for p in chances:
        p = p[:, None]
        over = out[:, -1:] * p
        out[:, 1:] = out[:, 1:] * (1 - p) + out[:, :-1] * p
        out[:, :1] *= 1 - p
        out[:, -1:] += over
    return out


def outlook(
    chances: Floats,
    stock: int,
    arrivals: Sequence[tuple[int, int]] = (),
    lead_days: int = 14,
    minimum: int = 0,
    risk: float = 0.05,
    cover: int = SOON,
) -> Outlook:
    """What a stock is good for, and what to order by when.

    Parameters
    ----------
    chances : (parts, days) array
        Of each part that may want one from this drawer, the chance that it does so by each day; never falling with the days.
    stock, minimum : int
        How many lie there, and how many are meant to at the least.
    arrivals : sequence of (day, number)
        What is ordered and when it is expected.
    lead_days : int
        From the order to the drawer.
    risk : float
        The chance of standing without that is borne.
    cover : int
        How long an order is meant to last once it has come.

    Raises
    ------
    ValueError
        For chances outside 0 to 1, fewer than two days, or a stock below nothing.
    """
    if chances.ndim != 2 or chances.shape[1] < 2 or stock < 0:
        raise ValueError("(parts, days) chances with two days or more, and no stock below nothing")
    if chances.size and not (chances.min() >= 0 and chances.max() <= 1):
        raise ValueError("a chance is between 0 and 1")
    days = chances.shape[1]
    have = np.full(days, stock)
    for day, number in arrivals:
        have[max(0, day) :] += number
    pmf = wanted(chances)
    by = np.cumsum(pmf, axis=1)
    there = np.minimum(have, pmf.shape[1] - 1)
    short = np.where(have >= chances.shape[0], 0.0, 1 - by[np.arange(days), there])
    over = np.flatnonzero(short > risk)
    short_on = int(over[0]) if over.size else None
    soon = by[min(SOON, days - 1)]
    low, high = (int(np.searchsorted(soon, q - 1e-12)) for q in (0.05, 0.95))
    order_by = None if short_on is None else max(0, short_on - lead_days)
    below = int(have[-1]) < minimum
    if below:
        order_by = 0
    order = 0
    if order_by is not None:
        until = min(days - 1, order_by + lead_days + cover)
        enough = int(np.searchsorted(by[until], 1 - risk - 1e-12))
        order = max(enough - int(have[until]), minimum - int(have[-1]), 1)
    return Outlook(float(chances[:, min(SOON, days - 1)].sum()), low, high, short, short_on, order_by, min(order, MOST))
