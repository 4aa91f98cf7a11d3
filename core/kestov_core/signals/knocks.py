"""An axis that was knocked: the free decays after each knock, their modes, and whether springs explain them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from . import modes
from .response import LOWEST_HZ, LOWEST_MODE_HZ, Response, drift_words, periodogram, whole_spectrum
from .sampling import Array, Even

#: Energy of decays that no sum of springs explains, from which on the axis is not linear (from simulated axes).
_UNEXPLAINED = 0.015


def knocked(even: Even, top_hz: float) -> Response:
    """The response to knocks; not ``seen`` where there are none in the record."""
    rate = even.rate_hz
    high = min(top_hz, 0.45 * even.raw_rate_hz)
    starts = find_knocks(even.values, rate)
    response = whole_spectrum(even, LOWEST_HZ, high, by_chance=True, fit=False)
    if not len(starts):
        response.seen = False
        return response
    guard = int(0.012 * rate) + 1
    gaps = np.diff(np.append(starts, even.values.shape[1]))
    usual = float(np.median(gaps))
    length = int(min(usual * 0.92, 1.0 * rate)) - guard
    usable = [int(s) + guard for s, g in zip(starts, gaps, strict=True) if g >= length + guard]
    usable = [s for s in usable if not even.missing[s : s + length].any()] or usable
    if length < 0.12 * rate or not usable:
        response.seen = False
        return response
    decays = np.stack([even.values[0][s : s + length] for s in usable], axis=1)
    # What is left at the end of the decays is noise.
    tail = decays[int(0.75 * length) :] - decays[int(0.75 * length) :].mean(0)
    noise = float(np.median(tail.var(0)))
    lasting = _until_quiet(decays, noise, rate)
    decays = decays[:lasting]
    response.fits = modes.fit_decays(decays, rate, LOWEST_HZ, high)
    clean = _without_bounces(decays, response.fits[-1], rate, noise)
    if not clean.all():
        decays, usable = decays[:, clean], [s for s, good in zip(usable, clean, strict=True) if good]
        response.fits = modes.fit_decays(decays, rate, LOWEST_HZ, high)
    chosen = modes.choose(response.fits, decays.size, gain=1.0, least_share=0.0005)
    response.fit = modes.widen(modes.without_background(chosen, LOWEST_MODE_HZ, high), 1.4) if chosen else None
    response.noise = noise / (rate / 2)
    energy = float(((decays - decays.mean(0)) ** 2).mean())
    unexplained = max(0.0, min(f.left for f in response.fits) - noise) / max(energy, 1e-12)
    early = decays[: max(8, int(0.1 * rate))]
    response.snr_db = 10 * float(np.log10(max((early**2).mean() / max(noise, 1e-12), 1e-3)))
    if unexplained > _UNEXPLAINED and response.snr_db > 12:
        response.not_linear.append(
            f"{unexplained:.0%} of the swing after a knock is not what springs do, however many one allows"
        )
    if response.fit is not None and response.fit.modes:
        _early_against_late(response, decays, noise, rate, high)
    f, power = periodogram(decays.T, rate)
    _put_spectrum(response, even, f, power.mean(0), usable, lasting, high)
    return response


def _without_bounces(decays: Array, fit: modes.Fit, rate: float, noise: float) -> NDArray[np.bool_]:
    """Which decays (n, pieces) are of one blow: a second one in the swing leaves what the swings of the others do not.

    Where a half or more of them leave as much, it is no blow but the axis: then all are kept.
    """
    left = modes.left_of_each(decays, fit, rate) - noise
    share = np.maximum(left, 0) / np.maximum(((decays - decays.mean(0)) ** 2).mean(0), 1e-12)
    usual = float(np.sort(share)[(len(share) - 1) // 3])
    clean: NDArray[np.bool_] = share < max(3 * usual, 0.5 * _UNEXPLAINED)
    return clean if clean.sum() >= max(2, 0.5 * len(share)) else np.ones(len(share), bool)


def find_knocks(values: Array, rate: float) -> NDArray[np.intp]:
    """Sample numbers at which something knocked: sudden rises of the short-time energy of all directions together."""
    energy = (values**2).sum(0)
    width = max(2, int(0.01 * rate))
    sums = np.concatenate([[0.0], np.cumsum(energy)])
    after = (sums[2 * width :] - sums[width:-width]) / width
    # Before: the loudest of the last 60 ms, so that a slow swing's own zero crossings are no quiet.
    back = max(1, round(0.06 * rate / width))
    level = (sums[width:] - sums[:-width]) / width
    before = np.zeros(len(after))
    for k in range(back):
        shift = k * width
        before[shift:] = np.maximum(before[shift:], level[: len(before) - shift])
    floor = np.median(energy) + 1e-12
    rise = after / (before + floor)
    strong = (rise > 5) & (after > 0.004 * np.quantile(after, 0.999)) & (after > 12 * floor)
    found: list[int] = []
    for i in np.flatnonzero(strong):
        if not found or i - found[-1] > 0.12 * rate:
            found.append(int(i))
        elif rise[i] > rise[found[-1]]:
            found[-1] = int(i)
    return np.array(found, dtype=np.intp) + width


def _until_quiet(decays: Array, noise: float, rate: float) -> int:
    """How many samples until the decays have sunk into the noise, 0.15 s at the least."""
    width = max(4, int(0.04 * rate))
    level = np.convolve((decays**2).mean(1), np.ones(width) / width, "same")
    over = np.flatnonzero(level > 2.5 * noise)
    least = min(len(decays), int(0.15 * rate))
    return int(np.clip(int(over[-1] * 1.3) + width if len(over) else least, least, len(decays)))


def _early_against_late(response: Response, decays: Array, noise: float, rate: float, high: float) -> None:
    """The strongest mode's frequency while the decay is strong and after it has fallen to a third."""
    assert response.fit is not None
    strongest = max(response.fit.modes, key=lambda m: m.share)
    fall = int(1.2 / (strongest.damping * 2 * np.pi * strongest.hz) * rate)
    period = rate / strongest.hz
    cut = int(max(fall, 2.5 * period))
    if cut * 2 > len(decays):
        return
    found = []
    for piece in (decays[:cut], decays[cut : 3 * cut]):
        if (piece**2).mean() < 3 * noise:
            return
        fit = modes.fit_decays(piece, rate, max(LOWEST_HZ, strongest.hz * 0.6), min(high, strongest.hz * 1.6), most=1)[
            0
        ].modes[0]
        found.append(fit)
    change = (found[0].hz - found[1].hz) / found[1].hz
    unsure = float(np.hypot(found[0].u_hz, found[1].u_hz)) / found[1].hz
    others = sum(m.share for m in response.fit.modes) - strongest.share
    if abs(change) > max(0.025, 4 * unsure) and others < 0.15:
        response.not_linear.append(drift_words(change))


def _put_spectrum(
    response: Response, even: Even, f: Array, power: Array, usable: list[int], length: int, high: float
) -> None:
    response.f, response.power, _ = modes.bins(f, power, LOWEST_HZ, high)
    others = []
    for channel in (1, 2):
        pieces = np.stack([even.values[channel][s : s + length] for s in usable])
        others.append(
            modes.bins(
                f, periodogram(pieces - pieces.mean(1, keepdims=True), even.rate_hz)[1].mean(0), LOWEST_HZ, high
            )[1]
        )
    response.others = others
