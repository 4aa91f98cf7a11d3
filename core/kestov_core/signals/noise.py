"""An axis shaken by anything that is neither a sweep nor knocks: it is taken for noise, and judged by its spectrum as a whole."""

from __future__ import annotations

import numpy as np

from .response import DRIFT, DRIFT_SIGMAS, LOWEST_HZ, Response, drift_words, frames, note_snr, whole_spectrum
from .sampling import Even

# Criteria of an axis under noise, chosen on simulated axes with and without play.
#: Excess kurtosis from which on an axis is not linear, and so many of its standard uncertainties (the square root of 24 / n
#: for n swings; less, since the level was levelled before).
_TAILS, _TAILS_SIGMAS = 0.33, 4 * 0.4
#: Time (s) over which the level is levelled.
_LEVEL_S = 1.5
#: The noise stands where the model is lowest: this share of its bins.
_LOWEST = 0.02
#: Band round the strongest mode: two half-widths, this share of its frequency at the least.
_HALF_WIDTHS, _LEAST_BAND = 2, 0.08
#: Frames (s) that are told loud or quiet, how far they lie apart, how many frames and bins that takes.
_FRAME_S, _HOP_S, _FEWEST_FRAMES, _FEWEST_BINS = 2.0, 1.0, 12, 4


def shaken(even: Even, top_hz: float) -> Response:
    """The response to noise."""
    high = min(top_hz, 0.45 * even.raw_rate_hz)
    response = whole_spectrum(even, LOWEST_HZ, high, by_chance=True)
    if response.fit is not None and response.fit.modes:
        response.noise = float(np.quantile(response.fit.model, _LOWEST))
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
    half = max(_HALF_WIDTHS * strongest.damping, _LEAST_BAND)
    t, f, power = frames(even.values[0], even.rate_hz, _FRAME_S, _HOP_S)
    near = (f > strongest.hz * (1 - half)) & (f < strongest.hz * (1 + half))
    if near.sum() < _FEWEST_BINS or len(t) < _FEWEST_FRAMES:
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
    if abs(change) > max(DRIFT, DRIFT_SIGMAS * float(np.hypot(spread[0], spread[1])) / strongest.hz):
        response.not_linear.append(drift_words(change))


def _tails(even: Even, half_width_hz: float) -> float | None:
    """Excess kurtosis of the excited direction over its running level, where it is more than chance (a linear axis: none).

    Running level: so that a louder minute is not taken for looseness.
    """
    x = even.values[0][~even.missing]
    width = max(8, int(_LEVEL_S * even.rate_hz))
    level = np.convolve(x**2, np.ones(width) / width, "valid")
    middle = x[width // 2 : width // 2 + len(level)] ** 2 / np.maximum(level, 1e-30)
    if not middle.mean() > 0:
        return None
    excess = float((middle**2).mean() / middle.mean() ** 2 - 3)
    swings = max(4.0, np.pi * half_width_hz * len(x) / even.rate_hz)
    return excess if abs(excess) > max(_TAILS, _TAILS_SIGMAS * float(np.sqrt(24 / swings))) else None
