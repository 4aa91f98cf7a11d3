"""An axis that was knocked: the free decays after each knock, their modes, and whether springs explain them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from . import modes
from .response import DRIFT, DRIFT_SIGMAS, LOWEST_HZ, LOWEST_MODE_HZ, Response, drift_words, periodogram, whole_spectrum
from .sampling import Array, Even

# Criteria of a knock and its decay. Where no other reason is given they were chosen on simulated axes (linear, with play,
# with stick, knocked well and badly): real ones were not to be had.
#: Energy of decays that no sum of springs explains, from which on the axis is not linear; told from this much over the noise (dB).
_UNEXPLAINED, _UNEXPLAINED_FROM_DB = 0.015, 12
#: The blow itself (s): while the hammer touches, the swing is not free.
_BLOW_S = 0.012
#: A decay is used up to this share of the usual time between knocks, and to this time (s).
_OF_GAP, _LONGEST_S = 0.92, 1.0
#: Shortest decay (s) that is fitted: four periods at 33 Hz.
_SHORTEST_S = 0.12
#: The last quarter of a decay is noise.
_TAIL = 0.75
#: The first tenth of a second, against which the noise is held.
_EARLY_S = 0.1
#: A decay that leaves so many times what the others leave was struck twice; and this share of what is unexplained at the least.
_TWICE, _LEAST_TWICE = 3, 0.5
#: The uncertainty of the modes of knocks is widened by this.
_WIDEN = 1.4
#: A mode holds at least this share of the energy.
_LEAST_SHARE = 0.0005
#: A knock: energy within this time (s) rises so many times over the loudest of the time before (s, so that the zero crossings of a
#: slow swing are no quiet), over the strongest's share, and over the usual; the next comes this much later (s).
_WITHIN_S, _LOOK_BACK_S, _RISE, _OF_STRONGEST, _OVER_USUAL, _NEXT_S = 0.01, 0.06, 5, 0.004, 12, 0.12
#: A decay ends where its level over this time (s) is so many times the noise; it is followed a little longer, and this long (s) at least.
_LEVEL_S, _OVER_NOISE, _LONGER, _LEAST_S = 0.04, 2.5, 1.3, 0.15
#: Early is until a swing has fallen to a third (e^-1.2), two and a half periods at the least; late twice as long after it, while
#: it stands so many times over the noise.
_FALL, _LEAST_PERIODS, _LATE_OVER_NOISE = 1.2, 2.5, 3
#: The band round the mode in which both are sought, as shares of its frequency.
_LOWER, _UPPER = 0.6, 1.6
#: A change of frequency with the swing is believed where other modes hold less than this share.
_MOST_OTHERS = 0.15


def knocked(even: Even, top_hz: float) -> Response:
    """The response to knocks; not ``seen`` where there are none in the record."""
    rate = even.rate_hz
    high = min(top_hz, 0.45 * even.raw_rate_hz)
    starts = find_knocks(even.values, rate)
    response = whole_spectrum(even, LOWEST_HZ, high, by_chance=True, fit=False)
    if not len(starts):
        response.seen = False
        return response
    guard = int(_BLOW_S * rate) + 1
    gaps = np.diff(np.append(starts, even.values.shape[1]))
    usual = float(np.median(gaps))
    length = int(min(usual * _OF_GAP, _LONGEST_S * rate)) - guard
    usable = [int(s) + guard for s, g in zip(starts, gaps, strict=True) if g >= length + guard]
    usable = [s for s in usable if not even.missing[s : s + length].any()] or usable
    if length < _SHORTEST_S * rate or not usable:
        response.seen = False
        return response
    decays = np.stack([even.values[0][s : s + length] for s in usable], axis=1)
    # What is left at the end of the decays is noise.
    tail = decays[int(_TAIL * length) :] - decays[int(_TAIL * length) :].mean(0)
    noise = float(np.median(tail.var(0)))
    lasting = _until_quiet(decays, noise, rate)
    decays = decays[:lasting]
    response.fits = modes.fit_decays(decays, rate, LOWEST_HZ, high)
    clean = _without_bounces(decays, response.fits[-1], rate, noise)
    if not clean.all():
        decays, usable = decays[:, clean], [s for s, good in zip(usable, clean, strict=True) if good]
        response.fits = modes.fit_decays(decays, rate, LOWEST_HZ, high)
    chosen = modes.choose(response.fits, decays.size, gain=1.0, least_share=_LEAST_SHARE)
    response.fit = modes.widen(modes.without_background(chosen, LOWEST_MODE_HZ, high), _WIDEN) if chosen else None
    response.noise = noise / (rate / 2)
    energy = float(((decays - decays.mean(0)) ** 2).mean())
    unexplained = max(0.0, min(f.left for f in response.fits) - noise) / max(energy, 1e-12)
    early = decays[: max(8, int(_EARLY_S * rate))]
    response.snr_db = 10 * float(np.log10(max((early**2).mean() / max(noise, 1e-12), 1e-3)))
    if unexplained > _UNEXPLAINED and response.snr_db > _UNEXPLAINED_FROM_DB:
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
    clean: NDArray[np.bool_] = share < max(_TWICE * usual, _LEAST_TWICE * _UNEXPLAINED)
    return clean if clean.sum() >= max(2, 0.5 * len(share)) else np.ones(len(share), bool)


def find_knocks(values: Array, rate: float) -> NDArray[np.intp]:
    """Sample numbers at which something knocked: sudden rises of the short-time energy of all directions together."""
    energy = (values**2).sum(0)
    width = max(2, int(_WITHIN_S * rate))
    sums = np.concatenate([[0.0], np.cumsum(energy)])
    after = (sums[2 * width :] - sums[width:-width]) / width
    back = max(1, round(_LOOK_BACK_S * rate / width))
    level = (sums[width:] - sums[:-width]) / width
    before = np.zeros(len(after))
    for k in range(back):
        shift = k * width
        before[shift:] = np.maximum(before[shift:], level[: len(before) - shift])
    floor = np.median(energy) + 1e-12
    rise = after / (before + floor)
    strong = (rise > _RISE) & (after > _OF_STRONGEST * np.quantile(after, 0.999)) & (after > _OVER_USUAL * floor)
    found: list[int] = []
    for i in np.flatnonzero(strong):
        if not found or i - found[-1] > _NEXT_S * rate:
            found.append(int(i))
        elif rise[i] > rise[found[-1]]:
            found[-1] = int(i)
    return np.array(found, dtype=np.intp) + width


def _until_quiet(decays: Array, noise: float, rate: float) -> int:
    """How many samples until the decays have sunk into the noise."""
    width = max(4, int(_LEVEL_S * rate))
    level = np.convolve((decays**2).mean(1), np.ones(width) / width, "same")
    over = np.flatnonzero(level > _OVER_NOISE * noise)
    least = min(len(decays), int(_LEAST_S * rate))
    return int(np.clip(int(over[-1] * _LONGER) + width if len(over) else least, least, len(decays)))


def _early_against_late(response: Response, decays: Array, noise: float, rate: float, high: float) -> None:
    """The strongest mode's frequency while the decay is strong and after it has fallen to a third."""
    assert response.fit is not None
    strongest = max(response.fit.modes, key=lambda m: m.share)
    fall = int(_FALL / (strongest.damping * 2 * np.pi * strongest.hz) * rate)
    period = rate / strongest.hz
    cut = int(max(fall, _LEAST_PERIODS * period))
    if cut * 2 > len(decays):
        return
    found = []
    for piece in (decays[:cut], decays[cut : 3 * cut]):
        if (piece**2).mean() < _LATE_OVER_NOISE * noise:
            return
        low, top = max(LOWEST_HZ, _LOWER * strongest.hz), min(high, _UPPER * strongest.hz)
        found.append(modes.fit_decays(piece, rate, low, top, most=1)[0].modes[0])
    change = (found[0].hz - found[1].hz) / found[1].hz
    unsure = float(np.hypot(found[0].u_hz, found[1].u_hz)) / found[1].hz
    others = sum(m.share for m in response.fit.modes) - strongest.share
    if abs(change) > max(DRIFT, DRIFT_SIGMAS * unsure) and others < _MOST_OTHERS:
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
