"""Input shapers: their impulses, what they leave of a vibration, what they cost in smoothing.

Sources: Singer and Seering 1990 (ZV, ZVD and further derivatives); Singhose, Seering and Singer 1994 and Singhose 2009
(extra-insensitive shapers with one, two and three humps, and the residual vibration V).

A shaper here is a pair of arrays: amplitudes (sum 1) and times (first 0). Times are in seconds, frequencies in Hz
(undamped), damping ratios are fractions.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

#: In the order of their length.
NAMES = ("zv", "zvd", "ei", "zvdd", "ei2", "ei3")


def impulses(name: str, frequency_hz: float, damping_ratio: float, tolerance: float = 0.05) -> tuple[Array, Array]:
    """A shaper for one mode.

    Parameters
    ----------
    name : str
        One of ``NAMES``.
    frequency_hz, damping_ratio : float
        The mode: its frequency in Hz, its damping as a ratio of the critical.
    tolerance : float
        The residual (a fraction) that the ei family allows.

    Returns
    -------
    (n,) ndarray, (n,) ndarray
        Amplitudes, whose sum is 1, and times in s, the first 0.

    Notes
    -----
    Singer and Seering 1990 (zv, zvd); Singhose, Seering and Singer 1994 and Singhose 2009 (ei and its many-hump kin).

    Examples
    --------
    Without damping two equal halves, half a period apart:

    >>> amplitudes, times = impulses("zv", 50.0, 0.0)
    >>> amplitudes.tolist(), times.tolist()
    ([0.5, 0.5], [0.0, 0.01])
    """
    if name.startswith("zv"):
        amplitudes, phases = _zero_vibration(1 + name.count("d"), damping_ratio)
    else:
        amplitudes, phases = _extra_insensitive(int(name[2:] or 1), round(damping_ratio, 6), tolerance)
    return amplitudes, phases / (2 * np.pi * frequency_hz)


def residual(amplitudes: Array, times_s: Array, frequency_hz: Array | float, damping_ratio: Array | float) -> Array:
    """What a shaper leaves of a mode's ringing: V = e^(-z w t_n) sqrt(C^2 + S^2).

    Parameters
    ----------
    amplitudes, times_s : (n,) ndarray
        The shaper; times in s.
    frequency_hz, damping_ratio : float or ndarray
        The mode or modes; broadcast together.

    Returns
    -------
    ndarray
        Of the shape of the modes: the fraction of what the unshaped move leaves (1: no help, 0: nothing left).

    Notes
    -----
    Singhose 2009.

    Examples
    --------
    All gone at its own frequency, all there at twice that:

    >>> shaper = impulses("zv", 50.0, 0.0)
    >>> residual(*shaper, np.array([50.0, 100.0]), 0.0).round(6).tolist()
    [0.0, 1.0]
    """
    w = 2 * np.pi * np.asarray(frequency_hz, dtype=float)[..., None]
    z = np.asarray(damping_ratio, dtype=float)[..., None]
    left = np.exp(z * w * (times_s - times_s[-1])) * np.exp(1j * w * np.sqrt(1 - z**2) * times_s)
    return np.asarray(np.abs((amplitudes * left).sum(-1)))


def smoothing_seconds2(amplitudes: Array, times_s: Array) -> float:
    """How much a shaper rounds a path: the sum of A_i (t_i - mean t)^2.

    Parameters
    ----------
    amplitudes, times_s : (n,) ndarray
        The shaper; times in s.

    Returns
    -------
    float
        In s^2: at a steady acceleration a (mm/s^2) the path is off by a/2 times this (mm).

    Examples
    --------
    >>> round(1e6 * smoothing_seconds2(*impulses("zv", 50.0, 0.0)), 3)
    25.0
    """
    centre = float((amplitudes * times_s).sum())
    return float((amplitudes * (times_s - centre) ** 2).sum())


def insensitivity(
    amplitudes: Array, times_s: Array, frequency_hz: float, damping_ratio: float, at_most: float = 0.05
) -> float:
    """Width of the frequency band round the design frequency in which V <= ``at_most``, over that frequency.

    A shaper that only touches the level (the top of a hump) counts as inside. 0 where even the design frequency is over.
    """
    level = at_most * (1 + 1e-6) + 1e-9
    ratio = np.linspace(0.02, 3.0, 6000)
    over = residual(amplitudes, times_s, frequency_hz * ratio, damping_ratio) > level
    middle = int(np.searchsorted(ratio, 1.0))
    if residual(amplitudes, times_s, frequency_hz, damping_ratio) > level:
        return 0.0
    edges = []
    for step in (-1, 1):
        i = middle
        while 0 < i < len(ratio) - 1 and not over[i]:
            i += step
        inside, outside = ratio[i - step], ratio[i]
        for _ in range(40):
            half = (inside + outside) / 2
            if residual(amplitudes, times_s, frequency_hz * half, damping_ratio) > level:
                outside = half
            else:
                inside = half
        edges.append(inside)
    return float(edges[1] - edges[0])


def _zero_vibration(order: int, z: float) -> tuple[Array, Array]:
    """ZV convolved with itself: binomial amplitudes in powers of K, half a damped period apart. Phases are w t."""
    root = np.sqrt(1 - z**2)
    k = np.exp(-z * np.pi / root)
    amplitudes = np.array([1.0])
    for _ in range(order):
        amplitudes = np.convolve(amplitudes, [1.0, k])
    return amplitudes / amplitudes.sum(), np.arange(order + 1) * np.pi / root


def _undamped(humps: int, v: float) -> Array:
    """Published amplitudes at zero damping, half a period apart."""
    if humps == 1:
        return np.array([(1 + v) / 4, (1 - v) / 2, (1 + v) / 4])
    if humps == 2:
        x = np.cbrt(v**2 * (np.sqrt(1 - v**2) + 1))
        first = (3 * x**2 + 2 * x + 3 * v**2) / (16 * x)
        return np.array([first, 0.5 - first, 0.5 - first, first])
    first = (1 + 3 * v + 2 * np.sqrt(2 * (v**2 + v))) / 16
    second = (1 - v) / 4
    return np.array([first, second, 1 - 2 * (first + second), second, first])


@lru_cache(maxsize=256)
def _extra_insensitive(humps: int, z: float, v: float) -> tuple[Array, Array]:
    """Amplitudes and phases (w t) that meet the shaper's own constraints at the given damping.

    Between humps + 1 frequencies at which V is exactly zero stand the humps, whose tops touch ``v``. One hump: its top
    is at the design frequency; two: the middle zero is; three: the middle top is. Solved by Newton's method, led from
    the published undamped shaper to the damping in small steps.
    """
    amplitudes = _undamped(humps, v)
    times: Array = np.arange(len(amplitudes)) * np.float64(np.pi)
    ratio: Array = np.linspace(0.3, 1.7, 1401)
    curve = residual(amplitudes, times, np.asarray(ratio / (2 * np.pi)), 0.0)
    dips = _local(-curve)
    tops = [i for i in _local(curve) if dips[0] < i < dips[-1]]
    zeros, peaks = list(ratio[dips]), list(ratio[tops])
    # The design frequency itself is the middle top (odd) or the middle zero (even): known, not solved for.
    (peaks if humps % 2 else zeros).pop(humps // 2)
    unknown = np.concatenate([amplitudes[:-1], times[1:], zeros, peaks])
    n, n_zeros = len(amplitudes) - 1, len(zeros)

    def unpack(u: Array) -> tuple[Array, Array, Array, Array]:
        """Amplitudes, phases, frequency ratios of the zeros and of the tops; ``u`` may be a stack of unknowns."""
        one = np.ones((*u.shape[:-1], 1))
        a = np.concatenate([u[..., :n], one - u[..., :n].sum(-1, keepdims=True)], -1)
        t = np.concatenate([0 * one, u[..., n : 2 * n]], -1)
        at_zero, at_top = u[..., 2 * n : 2 * n + n_zeros], u[..., 2 * n + n_zeros :]
        if humps % 2:
            return a, t, at_zero, np.concatenate([at_top, one], -1)
        return a, t, np.concatenate([at_zero, one], -1), at_top

    def wrong(u: Array, damping: float) -> Array:
        """How far each constraint is missed; zero where the shaper is right."""
        a, t, at_zero, at_top = unpack(u)
        pole = damping + 1j * np.sqrt(1 - damping**2)
        shift = 1e-5
        at = np.concatenate([at_zero, at_top - shift, at_top, at_top + shift], -1)
        since = (t - t[..., -1:])[..., None, :]
        left = (a[..., None, :] * np.exp(pole * at[..., None] * since)).sum(-1)
        zero, tops_ = left[..., : at_zero.shape[-1]], np.abs(left[..., at_zero.shape[-1] :])
        below, there, above = np.split(tops_, 3, axis=-1)
        return np.concatenate([zero.real, zero.imag, there - v, (above - below) / (2 * shift)], -1)

    each = 1e-6 * np.eye(len(unknown))
    none = ValueError(f"no extra-insensitive shaper with {humps} humps at a damping ratio of {z:g}")
    if z > 0.35:
        raise none
    for damping in np.linspace(0.0, z, max(1, int(np.ceil(z / 0.05))) + 1):
        for _ in range(20):
            miss = wrong(unknown, damping)
            if np.abs(miss).max() < 1e-11:
                break
            slope = (wrong(unknown + each, damping) - wrong(unknown - each, damping)).T / 2e-6
            unknown = unknown - np.linalg.solve(slope, miss)
    a, t, _, _ = unpack(unknown)
    if not np.abs(wrong(unknown, z)).max() < 1e-6 or a.min() <= 0 or np.diff(t).min() < 0.3:
        raise none
    return a, t


def _local(values: Array) -> list[int]:
    """Indices of the inner local maxima."""
    return [int(i) + 1 for i in np.nonzero((values[1:-1] > values[:-2]) & (values[1:-1] >= values[2:]))[0]]
