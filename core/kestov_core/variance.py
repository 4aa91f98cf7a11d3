"""Where a spread comes from: who measured, what was measured, and the same hand on the same thing again.

Analysis of variance, one-way and crossed, with intervals for what comes of it. Not here: what a study says of it.

Sources: ISO 5725-2:2019, 7.4 (one-way; repeatability and reproducibility); Montgomery, Design and Analysis of Experiments
(crossed, both random); Graybill and Wang 1980 and Ting, Burdick, Graybill, Jeyaratnam and Lu 1990 for intervals.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
#: Half of what a 95 % interval leaves outside.
_TAIL = 0.025


@dataclass(frozen=True)
class MeanSquare:
    """One line of the analysis: its sum of squares, degrees of freedom, and mean square."""

    ss: float
    df: int

    @property
    def ms(self) -> float:
        """The mean square."""
        return self.ss / self.df

    def at_least(self, ms: float) -> MeanSquare:
        """The same line, with a mean square that is not below ``ms`` (what a coarse step hides)."""
        return MeanSquare(max(self.ss, ms * self.df), self.df)


@dataclass(frozen=True)
class OneWay:
    """Readings of one thing by several groups. ``size``: readings a group as they count (n of ISO 5725-2, 7.4.5.3)."""

    between: MeanSquare
    within: MeanSquare
    size: float


@dataclass(frozen=True)
class Crossed:
    """Readings of several things (columns) by several groups (rows), ``size`` times each."""

    groups: MeanSquare
    things: MeanSquare
    together: MeanSquare
    within: MeanSquare
    size: int


def one_way(groups: Sequence[Sequence[float]]) -> OneWay:
    """Sums of squares between and within groups, which may be of unlike size.

    Parameters
    ----------
    groups : sequence of sequence of float
        Two groups or more, in one unit; one of them holds two readings or more.

    Returns
    -------
    OneWay
        Mean squares in the square of that unit.

    Examples
    --------
    >>> found = one_way([[1.0, 3.0], [5.0, 7.0]])
    >>> found.between.ss, found.within.ss, found.size
    (16.0, 4.0, 2.0)
    """
    # What all have in common is taken off first: it would eat the digits that tell them apart.
    zero = groups[0][0]
    rows = [np.asarray(g, dtype=float) - zero for g in groups]
    sizes = np.array([len(r) for r in rows], dtype=float)
    means = np.array([math.fsum(r) / len(r) for r in rows])
    total = float(sizes.sum())
    middle = float(sizes @ means) / total
    between = float(sizes @ (means - middle) ** 2)
    within = math.fsum(float(((r - m) ** 2).sum()) for r, m in zip(rows, means, strict=True))
    size = (total - float(sizes @ sizes) / total) / (len(rows) - 1)
    return OneWay(MeanSquare(between, len(rows) - 1), MeanSquare(within, int(total) - len(rows)), size)


def crossed(readings: Floats) -> Crossed:
    """Sums of squares of a full table.

    Parameters
    ----------
    readings : (p, o, n) array
        ``p`` groups by ``o`` things, ``n`` readings in each cell; two or more of each.

    Returns
    -------
    Crossed
        Mean squares of groups, things, of both together (what one group does with one thing), and within cells.

    Examples
    --------
    >>> found = crossed(np.array([[[1.0, 3.0], [2.0, 4.0]], [[5.0, 7.0], [6.0, 8.0]]]))
    >>> found.groups.ss, found.things.ss, found.together.ss, found.within.ss
    (32.0, 2.0, 0.0, 8.0)
    """
    y = readings - readings[0, 0, 0]
    p, o, n = y.shape
    cell, by_group, by_thing, middle = y.mean(axis=2), y.mean(axis=(1, 2)), y.mean(axis=(0, 2)), float(y.mean())
    left = cell - by_group[:, None] - by_thing[None, :] + middle
    return Crossed(
        MeanSquare(o * n * float(((by_group - middle) ** 2).sum()), p - 1),
        MeanSquare(p * n * float(((by_thing - middle) ** 2).sum()), o - 1),
        MeanSquare(n * float((left**2).sum()), (p - 1) * (o - 1)),
        MeanSquare(float(((y - cell[:, :, None]) ** 2).sum()), p * o * (n - 1)),
        n,
    )


def chance_of_ratio(a: MeanSquare, b: MeanSquare) -> float:
    """How often ``a`` over ``b`` comes out so large where both tell the same variance (Fisher's F, upper tail)."""
    from scipy.special import fdtrc

    return 0.0 if b.ms == 0 else float(fdtrc(a.df, b.df, a.ms / b.ms))


def variance_of_sum(terms: Sequence[tuple[float, MeanSquare]]) -> tuple[float, float, float]:
    """A variance that is a sum of mean squares, each times a factor above zero, and its 95 % interval.

    Returns
    -------
    (float, float, float)
        The variance, its lower and its upper end (Graybill and Wang 1980; for one term the exact one of chi-square).

    Examples
    --------
    >>> variance, low, high = variance_of_sum([(1.0, MeanSquare(10.0, 10))])
    >>> round(variance, 3), round(low, 3), round(high, 3)
    (1.0, 0.488, 3.08)
    """
    value = sum(c * m.ms for c, m in terms)
    below = math.sqrt(sum((_short(m.df) * c * m.ms) ** 2 for c, m in terms))
    above = math.sqrt(sum((_long(m.df) * c * m.ms) ** 2 for c, m in terms))
    return value, value - below, value + above


def variance_between(a: MeanSquare, b: MeanSquare, size: float) -> tuple[float, float, float]:
    """The variance (a - b) / size that ``a`` has beyond ``b``, and its 95 % interval; below zero where there is none.

    Returns
    -------
    (float, float, float)
        The variance, its lower and its upper end (Ting and others 1990).

    Examples
    --------
    >>> variance, low, high = variance_between(MeanSquare(80.0, 8), MeanSquare(20.0, 20), 3)
    >>> round(variance, 2), low < variance < high
    (3.0, True)
    """
    from scipy.special import fdtri

    x, y = a.ms / size, b.ms / size
    f_high, f_low = float(fdtri(a.df, b.df, 1 - _TAIL)), float(fdtri(a.df, b.df, _TAIL))
    g1, h1, g2, h2 = _short(a.df), _long(a.df), _short(b.df), _long(b.df)
    mixed_low = ((f_high - 1) ** 2 - g1**2 * f_high**2 - h2**2) / f_high
    mixed_high = ((1 - f_low) ** 2 - h1**2 * f_low**2 - g2**2) / f_low
    below = (g1 * x) ** 2 + (h2 * y) ** 2 + mixed_low * x * y
    above = (h1 * x) ** 2 + (g2 * y) ** 2 + mixed_high * x * y
    return x - y, x - y - math.sqrt(max(0.0, below)), x - y + math.sqrt(max(0.0, above))


def largest_variance(shares: Sequence[float], df: float) -> float:
    """How often the largest of so many variances takes so large a share of their sum (Cochran's test, by its F form).

    Parameters
    ----------
    shares : sequence of float
        Variances of two groups or more, each of ``df`` degrees of freedom.

    Returns
    -------
    float
        An upper bound of the chance, from 0 to 1.

    Examples
    --------
    >>> round(largest_variance([1.0, 1.0, 20.0], 4), 3), largest_variance([1.0, 1.0, 1.0], 4)
    (0.007, 1.0)
    """
    from scipy.special import fdtrc

    total, most, p = math.fsum(shares), max(shares), len(shares)
    rest = total - most
    if most == 0:
        return 1.0
    if rest == 0:
        return 0.0
    ratio = most * (p - 1) / rest
    return min(1.0, p * float(fdtrc(df, (p - 1) * df, ratio)))


def _short(df: int) -> float:
    """By how much of itself a mean square's lower end falls short of it."""
    from scipy.special import chdtri

    return 1 - df / float(chdtri(df, _TAIL))


def _long(df: int) -> float:
    """By how much of itself a mean square's upper end lies beyond it."""
    from scipy.special import chdtri

    return df / float(chdtri(df, 1 - _TAIL)) - 1
