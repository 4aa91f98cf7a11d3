"""How a shaken axis answers: its spectrum, its modes, and the signs that the answer is not to be believed.

By excitation: a sweep is followed by its ridge in time and frequency, a knock by its free decay, anything else by the
spectrum of the whole. Inputs are `sampling.Even` samples; channel 0 is the excited direction.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
import scipy.fft as sfft
from numpy.typing import NDArray

from . import modes
from .sampling import Array, Even

#: Below this the hand, the table and the sensor's drift are seen, not an axis.
LOWEST_HZ = 4.0
#: No axis rings below this; what fits there is the slope of the band's edge (typical).
_LOWEST_MODE_HZ = 7.0
#: Signs of a response that is not linear, found on simulated axes with and without play: excess kurtosis under noise,
#: overtones of a sweep over the sweep, energy of decays that no sum of springs explains.
_TAILS, _OVERTONES, _UNEXPLAINED = 0.33, 0.05, 0.015


@dataclass
class Response:
    """``f``, ``power``: binned spectrum (mm/s2)^2/Hz of the excited direction; ``others``: of the two others at ``f``.

    ``fit``: the chosen modes; ``fits``: with one, two, three. ``not_linear``: reasons, in words, empty where none.
    ``seen``: whether the kind of excitation was to be found at all.
    """

    f: Array
    power: Array
    others: list[Array]
    fit: modes.Fit | None = None
    fits: list[modes.Fit] = field(default_factory=list)
    noise: float = 0.0
    snr_db: float = 0.0
    not_linear: list[str] = field(default_factory=list)
    seen: bool = True


def listen(even: Even, excitation: str, top_hz: float) -> Response:
    """The response of channel 0, the others beside it."""
    if excitation == "impulse":
        return _knocked(even, top_hz)
    return _swept(even, top_hz) if excitation == "sweep" else _ambient(even, top_hz)


def periodogram(x: Array, rate: float) -> tuple[Array, Array]:
    """Power spectral density of whole records (channels, n), one-sided, no taper."""
    n = x.shape[-1]
    size = sfft.next_fast_len(n, real=True)
    power = np.abs(sfft.rfft(x, size, axis=-1)) ** 2 * (2 / (rate * n))
    return np.arange(size // 2 + 1) * rate / size, power


# --- sweep


@dataclass(frozen=True)
class Ridge:
    """A sweep in time and frequency: the frame times, the frequency in each, the frames that follow it."""

    time_s: Array
    hz: Array
    follows: NDArray[np.bool_]

    def dwell(self, f: Array) -> Array:
        """How long it stays at each frequency, in proportion: the same everywhere for a straight sweep, 1/f for one in octaves."""
        hz, pace = _by_hz(self)
        return np.asarray(pace.mean() / np.interp(f, hz, pace))


def frames(x: Array, rate: float, seconds: float = 0.5, hop_s: float = 0.125) -> tuple[Array, Array, Array]:
    """Short-time power: frame middles (s), frequencies (Hz), power (frames, bins)."""
    n = max(16, int(seconds * rate))
    hop = max(1, int(hop_s * rate))
    pieces = np.lib.stride_tricks.sliding_window_view(x, n)[::hop]
    power = np.abs(sfft.rfft(pieces * np.hanning(n), axis=1)) ** 2
    return (
        np.asarray((np.arange(len(pieces)) * hop + n / 2) / rate, dtype=np.float64),
        np.arange(n // 2 + 1) * rate / n,
        power,
    )


def find_ridge(t: Array, f: Array, power: Array, top_hz: float) -> Ridge | None:
    """The straight line in time and frequency (or its logarithm) that most frames' strongest bin lies on."""
    inside = (f >= 3.0) & (f <= max(top_hz * 1.4, 60.0))
    peak = f[inside][power[:, inside].argmax(1)]
    strong = power[:, inside].max(1)
    loud = strong > 20 * np.median(power[:, inside], axis=1)
    if loud.sum() < 12:
        return None
    rng = np.random.default_rng(2)
    pairs = rng.choice(np.flatnonzero(loud), (300, 2))
    pairs = pairs[np.abs(pairs[:, 0] - pairs[:, 1]) > len(t) // 8]
    best: tuple[int, Array, NDArray[np.bool_]] | None = None
    for y, back in ((peak, lambda v: v), (np.log(peak), np.exp)):
        slope = (y[pairs[:, 1]] - y[pairs[:, 0]]) / (t[pairs[:, 1]] - t[pairs[:, 0]])
        start = y[pairs[:, 0]] - slope * t[pairs[:, 0]]
        lines = back(start[:, None] + slope[:, None] * t)
        near = (np.abs(lines - peak) < 1.5 * f[1] + 0.03 * peak) & loud
        first, last = near.argmax(1), near.shape[1] - 1 - near[:, ::-1].argmax(1)
        rows = np.arange(len(lines))
        # A loose axis answers at a third of the sweep, too, but that line is short.
        votes = near.sum(1) * (np.abs(lines[rows, last] - lines[rows, first]) >= 15)
        if not len(votes):
            continue
        k = int(votes.argmax())
        if best is None or votes[k] > best[0]:
            best = (int(votes[k]), lines[k], near[k])
    if best is None:
        return None
    votes_, line, near_ = best
    # A loose axis follows for a part of the sweep only.
    if votes_ < max(10, 0.2 * loud.sum()):
        return None
    return Ridge(t, line, near_)


def _swept(even: Even, top_hz: float) -> Response:
    x, rate = even.values[0], even.rate_hz
    t, f, power = frames(x, rate)
    ridge = find_ridge(t, f, power, top_hz)
    if ridge is None:
        response = _ambient(even, top_hz)
        response.seen = False
        return response
    at = np.flatnonzero(ridge.follows)
    ends = sorted((ridge.hz[at[0]], ridge.hz[at[-1]]))
    # Where a sweep begins and ends its own spectrum ripples (over the root of its pace).
    pace = [float(np.interp(e, *_by_hz(ridge))) for e in ends]
    edge = [0.3 * p + float(np.sqrt(p)) for p in pace]
    low = max(LOWEST_HZ, ends[0] + 0.5 + edge[0])
    high = min(top_hz, 0.45 * even.raw_rate_hz, ends[1] - 1.0 - edge[1])
    response = _spectrum(even, low, high, by_chance=False, dwell=ridge.dwell, lost=_lost(even, ridge))
    # Noise: what the frames hold away from the ridge and its overtones.
    ratio = f[None, :] / np.maximum(ridge.hz[:, None], 1e-9)
    clear = (np.abs(ratio - np.round(ratio)) > 0.25) | (ratio < 0.6)
    clear &= (f > low) & (f < high)
    n = max(16, int(0.5 * rate))
    per_bin = 2 / (rate * (np.hanning(n) ** 2).sum())
    quiet = power[clear]
    response.noise = float(np.median(quiet) / np.log(2) * per_bin) if len(quiet) > 20 else 0.0
    _snr(response)
    overtones = _overtones(ridge, f, power, even)
    if overtones is not None and response.snr_db > 15 and overtones > _OVERTONES:
        response.not_linear.append(
            f"it answers with overtones of the sweep ({overtones:.0%} of the answer, where a spring has none)"
        )
    return response


def _by_hz(ridge: Ridge) -> tuple[Array, Array]:
    """The ridge's frequencies in order, and its pace (Hz/s) at each."""
    order = np.argsort(ridge.hz)
    return ridge.hz[order], np.abs(np.gradient(ridge.hz, ridge.time_s))[order]


def _lost(even: Even, ridge: Ridge) -> list[tuple[float, float]]:
    """The frequencies (from, to) that the sweep passed while samples were lost."""
    edges = (
        np.flatnonzero(np.diff(np.concatenate([[0], even.missing.view(np.int8), [0]]))).reshape(-1, 2) / even.rate_hz
    )
    pace = np.abs(np.gradient(ridge.hz, ridge.time_s))
    out = []
    for start, end in edges:
        at = np.interp([start, end], ridge.time_s, ridge.hz)
        room = 0.8 + 0.15 * float(np.interp(start, ridge.time_s, pace))
        out.append((float(at.min()) - room, float(at.max()) + room))
    return out


def _overtones(ridge: Ridge, f: Array, power: Array, even: Even) -> float | None:
    """Amplitude of twice and three times the sweep's frequency over that of the sweep, noise taken off."""
    step = f[1]
    # Lower down, an overtone and its fundamental share their bins.
    on = np.flatnonzero(ridge.follows & (ridge.hz > 7 * step))
    if len(on) < 8:
        return None
    top = 0.45 * min(even.rate_hz, even.raw_rate_hz)

    def along(times: float) -> tuple[Array, NDArray[np.bool_]]:
        hz = ridge.hz[on] * times
        ok = hz < top
        i = np.clip(np.round(hz / step).astype(int), 2, power.shape[1] - 3)
        near = np.stack([power[on, i + d] for d in (-2, -1, 0, 1, 2)]).sum(0)
        return near, ok

    base, _ = along(1.0)
    found, chance = [], []
    for times in (2.0, 3.0):
        over, ok = along(times)
        if ok.sum() > 8:
            # What lies half-way between overtones is none: it stands for the noise.
            beside, _ = along(times + 0.5)
            below, _ = along(times - 0.5)
            noise = np.minimum(beside, below)[ok]
            found.append((over[ok] - noise).sum() / base[ok].sum())
            chance.append(float(np.sqrt((noise**2).sum())) / base[ok].sum())
    power_share, unsure = sum(found), 4 * float(np.hypot(chance[0], chance[1])) if len(chance) == 2 else 0.0
    return float(np.sqrt(power_share)) if power_share > unsure else (0.0 if found else None)


# --- any other noise


def _ambient(even: Even, top_hz: float) -> Response:
    high = min(top_hz, 0.45 * even.raw_rate_hz)
    response = _spectrum(even, LOWEST_HZ, high, by_chance=True)
    if response.fit is not None and response.fit.modes:
        response.noise = float(np.quantile(response.fit.model, 0.02))
        _snr(response)
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
        response.not_linear.append(_drift_words(change))


def _tails(even: Even, half_width_hz: float) -> float | None:
    """Excess kurtosis of the excited direction over its running level, where it is more than chance (a linear axis: none).

    Running level: so that a louder minute is not taken for looseness.
    """
    x = even.values[0][~even.missing]
    width = max(8, int(1.5 * even.rate_hz))
    level = np.convolve(x**2, np.ones(width) / width, "valid")
    middle = x[width // 2 : width // 2 + len(level)] ** 2 / np.maximum(level, 1e-30)
    excess = float((middle**2).mean() / middle.mean() ** 2 - 3)
    swings = max(4.0, np.pi * half_width_hz * len(x) / even.rate_hz)
    return excess if abs(excess) > max(_TAILS, 4 * float(np.sqrt(24 / swings)) * 0.4) else None


def _drift_words(change: float) -> str:
    way = "higher" if change > 0 else "lower"
    kind = "a plain dead band" if change > 0 else "a preloaded one that opens"
    return f"the mode lies {abs(change):.0%} {way} when it swings more, as with {kind}"


# --- knocks


def _knocked(even: Even, top_hz: float) -> Response:
    rate = even.rate_hz
    high = min(top_hz, 0.45 * even.raw_rate_hz)
    starts = find_knocks(even.values, rate)
    response = _spectrum(even, LOWEST_HZ, high, by_chance=True, fit=False)
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
    chosen = modes.choose(response.fits, decays.size, gain=1.0, least_share=0.0005)
    response.fit = modes.widen(modes.without_background(chosen, _LOWEST_MODE_HZ, high), 1.4) if chosen else None
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
        response.not_linear.append(_drift_words(change))


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


# --- common


def _spectrum(
    even: Even,
    low: float,
    high: float,
    by_chance: bool,
    fit: bool = True,
    dwell: Callable[[Array], Array] | None = None,
    lost: list[tuple[float, float]] | None = None,
) -> Response:
    f, power = periodogram(even.values, even.rate_hz)
    if dwell is not None:
        power = power / dwell(f)
    centre, binned, count = modes.bins(f, power[0], low, high)
    others = [modes.bins(f, p, low, high)[1] for p in power[1:]]
    keep = np.ones(len(centre), bool)
    for start, end in lost or ():
        keep &= (centre < start) | (centre > end)
    if keep.sum() > 0.7 * len(keep):
        centre, binned, count = centre[keep], binned[keep], count[keep]
        others = [p[keep] for p in others]
    response = Response(centre, binned, others)
    if fit and len(centre) > 24:
        response.fits = modes.fit_spectrum(centre, binned, count, by_chance)
        chosen = modes.choose(response.fits, float(len(centre)), *((1.0, 0.01) if by_chance else (3.0, 0.003)))
        response.fit = (
            modes.widen(modes.without_background(chosen, max(low, _LOWEST_MODE_HZ), high), 1.15) if chosen else None
        )
    return response


def _snr(response: Response) -> None:
    if response.fit is None:
        return
    top = float(response.fit.model.max()) if response.fit.modes else float(np.quantile(response.power, 0.97))
    response.snr_db = 10 * float(np.log10(max(top / max(response.noise, 1e-30), 1e-3)))


def cross_talk(response: Response) -> tuple[float, int]:
    """Largest amplitude of another direction over the excited one's within the modes' bands, and which (1 or 2)."""
    assert response.fit is not None
    near = np.zeros(len(response.f), bool)
    for m in response.fit.modes:
        reach = max(1.5 * m.damping, 0.04)
        near |= np.abs(response.f / m.hz - 1) < reach
    own = float(response.power[near].sum()) if near.any() else 0.0
    ratios = []
    for other in response.others:
        floor = float(np.quantile(other, 0.1))
        ratios.append(np.sqrt(max(float((other[near] - floor).sum()), 0.0) / max(own, 1e-30)))
    return float(max(ratios)), 1 + int(np.argmax(ratios))
