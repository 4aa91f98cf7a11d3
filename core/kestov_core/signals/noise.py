"""An axis shaken by anything that is neither a sweep nor knocks: it is taken for noise, and judged by its spectrum as a whole."""

from __future__ import annotations

import numpy as np

from .response import LOWEST_HZ, Response, drift_words, frames, note_snr, whole_spectrum
from .sampling import Even

#: Excess kurtosis under noise, from which on an axis is not linear (from simulated axes with and without play).
_TAILS = 0.33


def shaken(even: Even, top_hz: float) -> Response:
    """The response to noise."""
    high = min(top_hz, 0.45 * even.raw_rate_hz)
    response = whole_spectrum(even, LOWEST_HZ, high, by_chance=True)
    if response.fit is not None and response.fit.modes:
        response.noise = float(np.quantile(response.fit.model, 0.02))
        note_snr(response)
        _loud_against_quiet(response, even)
    return response


def _loud_against_quiet(response: Response, even: Even) -> None:
    """The strongest mode in the louder and in the quieter half of the record."""
    assert response.fit is not None
    strongest = max(response.fit.modes, key=lambda m: m.share)
    tails = _tails(even, strongest.hz * strongest.damping)
    if tails is not None:
        kind = "hangs loose near rest" if tails > 0 else "gives way when it swings far"
        response.not_linear.append(f"shaken by noise, its swings are not spread as a spring's are: it {kind}")
    half = max(2 * strongest.damping, 0.08)
    t, f, power = frames(even.values[0], even.rate_hz, 2.0, 1.0)
    near = (f > strongest.hz * (1 - half)) & (f < strongest.hz * (1 + half))
    if near.sum() < 4 or len(t) < 12:
        return
    level = power[:, near].sum(1)
    order = np.argsort(level)
    third = len(order) // 3
    centre, spread = [], []
    for rows in (order[:third], order[-third:]):
        mean = power[rows][:, near]
        each = (mean * f[near]).sum(1) / mean.sum(1)
        centre.append(float(each.mean()))
        spread.append(float(each.std() / np.sqrt(len(each))))
    change = (centre[1] - centre[0]) / strongest.hz
    if abs(change) > max(0.025, 4 * float(np.hypot(spread[0], spread[1])) / strongest.hz):
        response.not_linear.append(drift_words(change))


def _tails(even: Even, half_width_hz: float) -> float | None:
    """Excess kurtosis of the excited direction over its running level, where it is more than chance (a linear axis: none).

    Running level: so that a louder minute is not taken for looseness.
    """
    x = even.values[0][~even.missing]
    width = max(8, int(1.5 * even.rate_hz))
    level = np.convolve(x**2, np.ones(width) / width, "valid")
    middle = x[width // 2 : width // 2 + len(level)] ** 2 / np.maximum(level, 1e-30)
    if not middle.mean() > 0:
        return None
    excess = float((middle**2).mean() / middle.mean() ** 2 - 3)
    swings = max(4.0, np.pi * half_width_hz * len(x) / even.rate_hz)
    return excess if abs(excess) > max(_TAILS, 4 * float(np.sqrt(24 / swings)) * 0.4) else None
