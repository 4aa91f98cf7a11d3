"""How a shaken axis answers: its spectrum, its modes, and the signs that the answer is not to be believed.

By excitation: a sweep is followed by its ridge in time and frequency, a knock by its free decay, anything else by the
spectrum of the whole. Inputs are `sampling.Even` samples; channel 0 is the excited direction.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
import scipy.fft as sfft
from numpy.typing import NDArray

from . import linearity, modes
from .linearity import Branch
from .sampling import Array, Even

#: Below this the hand, the table and the sensor's drift are seen, not an axis.
LOWEST_HZ = 4.0
#: A sweep, or each way of one that goes up and down, passes so much at least.
_LEAST_SPAN_HZ = 25.0
#: So many rungs make a stepped sweep.
_LEAST_RUNGS = 24
#: No axis rings below this; what fits there is the slope of the band's edge (typical).
_LOWEST_MODE_HZ = 7.0
#: Signs of a response that is not linear, found on simulated axes with and without play: excess kurtosis under noise,
#: energy of decays that no sum of springs explains,
#: energy of a sweep's answer away from the sweep and its multiples (sound axes: 1.4 % at most).
_TAILS, _UNEXPLAINED, _STRAY = 0.33, 0.015, 0.03


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
    bends: list[linearity.Bend] = field(default_factory=list)
    stray: float = 0.0


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
    """A sweep in time and frequency: the frame times, the frequency in each, the frames that follow it.

    ``turns``: the frame at which a sweep that goes up and down again turns, else None.
    """

    time_s: Array
    hz: Array
    follows: NDArray[np.bool_]
    turns: int | None = None

    @property
    def branches(self) -> list[Branch]:
        """The stretches that go one way, in rising frequency."""
        at = np.flatnonzero(self.follows)
        ends = [at[0], at[-1] + 1] if self.turns is None else [at[0], self.turns, at[-1] + 1]
        out = []
        for lo, hi in itertools.pairwise(ends):
            t, hz = self.time_s[lo:hi], self.hz[lo:hi]
            order = np.argsort(hz)
            out.append(Branch(t[order], hz[order]))
        return out

    def dwell(self, f: Array) -> Array:
        """How long it stays at each frequency, in proportion: the same everywhere for a straight sweep, 1/f for one in octaves."""
        total, mean = np.zeros(len(f)), 0.0
        for b in self.branches:
            inside = (f >= b.hz[0] - 1) & (f <= b.hz[-1] + 1)
            total += np.where(inside, 1 / np.interp(f, b.hz, b.pace), 0.0)
            mean += 1 / b.pace.mean()
        return np.asarray(np.maximum(total, 1e-3 * mean) / mean)


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
    """The straight line in time and frequency (or its logarithm), or two that meet, that most frames' strongest bin lies on."""
    inside = (f >= 3.0) & (f <= max(top_hz * 1.4, 60.0))
    peaks, strong = _frame_peaks(f[inside], power[:, inside])
    loud = strong > 20 * np.median(power[:, inside], axis=1)
    if loud.sum() < 12:
        return None
    best = _line(t, f, peaks, loud)
    if best is None:
        return None
    line, near, octaves = best
    # A loose axis follows for a part of the sweep only.
    if near.sum() < max(10, 0.2 * loud.sum()):
        return None
    second = _line(t, f, peaks, loud, like=(line, octaves))
    if second is not None and second[1].sum() > 0.4 * near.sum():
        turned = _turned(t, line, near, *second[:2])
        if turned is not None:
            return turned
    return Ridge(t, line, near)


#: So many peaks of each frame may be the sweep: an overtone or another answer of a loose axis is often louder.
_PEAKS = 5


def _frame_peaks(f: Array, power: Array) -> tuple[Array, Array]:
    """The strongest peaks of each frame (frames, 5), strongest first, NaN where there are fewer; and the strongest's power."""
    top = np.zeros_like(power)
    mid = power[:, 1:-1]
    top[:, 1:-1] = np.where((mid > power[:, :-2]) & (mid >= power[:, 2:]), mid, 0)
    order = np.argsort(top, axis=1)[:, ::-1][:, :_PEAKS]
    level = np.take_along_axis(top, order, axis=1)
    # What is 30 dB under the strongest is nobody's.
    return np.where(level > 1e-3 * level[:, :1], f[order], np.nan), power.max(1)


def _line(
    t: Array, f: Array, peaks: Array, loud: NDArray[np.bool_], like: tuple[Array, bool] | None = None
) -> tuple[Array, NDArray[np.bool_], bool] | None:
    """The line that most loud frames have a peak on, which do, and whether it is straight in octaves.

    With ``like``: one that goes the other way as fast as that one, and is as straight.
    """
    strongest = peaks[:, 0]
    usable = np.flatnonzero(loud & np.isfinite(strongest))
    if len(usable) < 8:
        return None
    pairs = np.random.default_rng(2).choice(usable, (300, 2))
    pairs = pairs[np.abs(pairs[:, 0] - pairs[:, 1]) > len(t) // (8 if like is None else 16)]
    if not len(pairs):
        return None
    best: tuple[float, Array, NDArray[np.bool_], bool] | None = None
    for octaves, y in ((False, strongest), (True, np.log(strongest))):
        if like is not None and like[1] != octaves:
            continue
        slope = (y[pairs[:, 1]] - y[pairs[:, 0]]) / (t[pairs[:, 1]] - t[pairs[:, 0]])
        if like is not None:
            wanted = -float(np.median(np.diff(np.log(like[0]) if octaves else like[0]))) / (t[1] - t[0])
            slope = np.where(np.abs(slope / wanted - 1) < 0.2, slope, np.nan) if wanted else slope * np.nan
        start = y[pairs[:, 0]] - slope * t[pairs[:, 0]]
        with np.errstate(over="ignore", invalid="ignore"):
            lines = start[:, None] + slope[:, None] * t
            lines = np.exp(lines) if octaves else lines
            reach = 1.5 * f[1] + 0.03 * lines
            on = [np.abs(lines - peaks[:, k]) < reach for k in range(_PEAKS)]
        on_any = np.logical_or.reduce(on) & loud
        first, last = on_any.argmax(1), on_any.shape[1] - 1 - on_any[:, ::-1].argmax(1)
        rows = np.arange(len(lines))
        # A loose axis answers at a third of the sweep, too, but that line is short.
        with np.errstate(invalid="ignore"):
            votes = (on[0] & loud).sum(1) + 0.6 * (on_any & ~on[0]).sum(1)
            votes = np.nan_to_num(votes * (np.abs(lines[rows, last] - lines[rows, first]) >= _LEAST_SPAN_HZ))
        k = int(votes.argmax())
        if votes[k] and (best is None or votes[k] > best[0]):
            best = (float(votes[k]), lines[k], on_any[k], octaves)
    return best and best[1:]


def _turned(t: Array, one: Array, on_one: NDArray[np.bool_], two: Array, on_two: NDArray[np.bool_]) -> Ridge | None:
    """Two lines that meet: a sweep up and down again (or down and up)."""
    at_one, at_two = float(np.median(t[on_one])), float(np.median(t[on_two]))
    (early, on_early), (late, on_late) = (
        ((one, on_one), (two, on_two)) if at_one < at_two else ((two, on_two), (one, on_one))
    )
    between = np.flatnonzero((t > min(at_one, at_two)) & (t < max(at_one, at_two)))
    if not len(between):
        return None
    turn = int(between[np.argmin(np.abs(early - late)[between])])
    if abs(early[turn] - late[turn]) > 0.15 * early[turn] + 4:
        return None
    before = np.arange(len(t)) < turn
    follows = np.where(before, on_early, on_late)
    if follows[:turn].sum() < 6 or follows[turn:].sum() < 6:
        return None
    return Ridge(t, np.where(before, early, late), follows, turns=turn)


def _swept(even: Even, top_hz: float) -> Response:
    x, rate = even.values[0], even.rate_hz
    t, f, power = frames(x, rate)
    ridge = find_ridge(t, f, power, top_hz)
    if ridge is None:
        response = _ambient(even, top_hz)
        response.seen = False
        return response
    at = np.flatnonzero(ridge.follows)
    ends = [float(ridge.hz[at].min()), float(ridge.hz[at].max())]
    # Where a sweep begins and ends its own spectrum ripples (over the root of its pace).
    widest = max(ridge.branches, key=lambda b: np.ptp(b.hz))
    pace = [float(np.interp(e, widest.hz, widest.pace)) for e in ends]
    edge = [0.3 * p + float(np.sqrt(p)) for p in pace]
    low = max(LOWEST_HZ, ends[0] + 0.5 + edge[0])
    high = min(top_hz, 0.45 * even.raw_rate_hz, ends[1] - 1.0 - edge[1])
    alone = _own_order(even.values, rate, ridge)
    response = _spectrum(even, low, high, by_chance=False, dwell=ridge.dwell, lost=_lost(even, ridge), passes=alone)
    # Noise: what the frames hold away from the ridge and its overtones.
    ratio = f[None, :] / np.maximum(ridge.hz[:, None], 1e-9)
    clear = (np.abs(ratio - np.round(ratio)) > 0.25) | (ratio < 0.6)
    quiet = power[clear & (f > low) & (f < high)]
    n = max(16, int(0.5 * rate))
    per_bin = 2 / (rate * (np.hanning(n) ** 2).sum())
    response.stray = _stray(t, f, power, ridge, clear, quiet)
    response.noise = float(np.median(quiet) / np.log(2) * per_bin) if len(quiet) > 20 else 0.0
    response.seen = len(quiet) > 20
    _snr(response)
    branches = ridge.branches
    plateaus = _plateaus(x, rate, branches)
    if plateaus:
        rungs = linearity.rungs_of(x, rate, plateaus, response.noise)
        response.bends = linearity.rung_bends(rungs, high)
        if len(rungs.hz) >= _LEAST_RUNGS:
            _by_rungs(response, rungs, low, high)
        return _linear_or_not(response)
    seconds = linearity.frame_seconds(branches)
    t, f, power = frames(x, rate, seconds, seconds / 4)
    # What one frame's bin holds by chance: the quiet of the first frames' bins, by the window's own energy.
    in_frame = response.noise * rate * (np.hanning(max(16, int(seconds * rate))) ** 2).sum() / 2
    response.bends = linearity.bends(t, f, power, branches, in_frame, high, seconds)
    return _linear_or_not(response)


def _by_rungs(response: Response, rungs: linearity.Rungs, low: float, high: float) -> None:
    """The modes of a stepped sweep from its rungs: between them a spectrum of the whole has holes."""
    inside = (rungs.hz > low) & (rungs.hz < high)
    if inside.sum() < _LEAST_RUNGS:
        return
    hz, power = rungs.hz[inside], rungs.power[1][inside]
    # In the unit of the whole's spectrum, which noise and the other directions are told in.
    power = power * float(np.median(np.interp(hz, response.f, response.power) / power))
    response.fits = modes.fit_spectrum(hz, power, np.ones(len(hz)), by_chance=False)
    chosen = modes.choose(response.fits, float(len(hz)), 3.0, 0.003)
    if chosen is None:
        return
    response.fit = modes.widen(modes.without_background(chosen, max(low, _LOWEST_MODE_HZ), high), 1.15)
    response.others = [np.interp(hz, response.f, other) for other in response.others]
    response.f, response.power = hz, power
    _snr(response)


def _linear_or_not(response: Response) -> Response:
    """Note the plainest sign that it is not linear."""
    if response.snr_db > 15:
        words = linearity.not_linear(response.bends)
        if response.stray > _STRAY:
            words = words or (
                f"{response.stray:.0%} of its swing lies neither at the sweep's frequency nor at a multiple of it"
            )
        if words:
            response.not_linear.append(words)
    return response


def _stray(t: Array, f: Array, power: Array, ridge: Ridge, clear: NDArray[np.bool_], quiet: Array) -> float:
    """Share of the energy that lies neither on the sweep nor on a multiple of it, noise taken off."""
    on = np.zeros(len(t), bool)
    for b in ridge.branches:
        on |= (t >= b.time_s.min()) & (t <= b.time_s.max())
    rows = on & (ridge.hz > 15)
    if rows.sum() < 8 or len(quiet) < 20:
        return 0.0
    noise = float(np.median(quiet) / np.log(2))
    inside = (f > 3)[None, :] & rows[:, None]
    away = clear & inside
    # Summed first: noise taken off cell by cell would leave its tops standing.
    stray, whole = (float(power[cells].sum() - noise * cells.sum()) for cells in (away, inside))
    unsure = 4 * noise * float(np.sqrt(away.sum()))
    return max(0.0, stray - unsure) / max(whole, 1e-30)


def _own_order(values: Array, rate: float, ridge: Ridge) -> list[Array]:
    """The samples (channels, n) without what the command's overtones made of them, for each way of the sweep by itself:
    up and down together would beat with each other.

    At each frequency that is kept which sounds from when the sweep comes to it on, as long as it rings; overtones pass
    it before (on the way up) or long after (on the way down).
    """
    n = int(0.5 * rate) // 2 * 2
    hop = n // 4
    window = np.hanning(n + 1)[:-1]
    length = values.shape[1]
    padded = np.pad(values, ((0, 0), (n, 2 * n)))
    pieces = np.lib.stride_tricks.sliding_window_view(padded, n, axis=1)[:, ::hop]
    spectra = sfft.rfft(pieces * window, axis=2)
    t = (np.arange(pieces.shape[1]) * hop + n / 2 - n) / rate
    f = np.arange(n // 2 + 1) * rate / n
    ways = []
    for b in ridge.branches:
        when = np.interp(f, b.hz, b.time_s)
        room = 3.5 / np.interp(f, b.hz, b.pace) + 0.4
        keep = (t[:, None] > when - room) & (t[:, None] < when + room + np.clip(30 / np.maximum(f, 1), 0.3, 2.0))
        back = sfft.irfft(spectra * keep, n, axis=2) * window
        out = np.zeros_like(padded)
        for i in range(back.shape[1]):
            out[:, i * hop : i * hop + n] += back[:, i]
        ways.append(out[:, n : n + length] / 1.5)
    return ways


def _plateaus(x: Array, rate: float, branches: list[Branch]) -> list[tuple[float, float, float]]:
    """The rungs of a stepped sweep: from (s), to (s), frequency (Hz); none where it glides, or steps so finely that it
    is as good as gliding.
    """
    t, f, power = frames(x, rate, 0.16, 0.04)
    found: list[tuple[float, float, float]] = []
    for b in branches:
        order = np.argsort(b.time_s)
        at = (t > b.time_s.min()) & (t < b.time_s.max())
        line = np.interp(t[at], b.time_s[order], b.hz[order])
        rows = np.flatnonzero(at)[line > 10]
        line = line[line > 10]
        if len(rows) < 40:
            continue
        near = np.abs(f[None, :] / line[:, None] - 1) < 0.25
        k = np.clip(np.argmax(np.where(near, power[rows], 0), axis=1), 1, len(f) - 2)
        a, m, c = (np.log(power[rows, k + d] + 1e-30) for d in (-1, 0, 1))
        curve = a - 2 * m + c
        hz = (k + np.where(curve < 0, 0.5 * (a - c) / np.where(curve < 0, curve, -1), 0)) * f[1]
        moved = np.abs(np.diff(np.convolve(hz, np.ones(3) / 3, "same")))
        still = np.concatenate([[False], moved < 0.35 * float(np.ptp(line)) / len(line), [False]])
        if still.mean() < 0.4:
            continue
        edges = np.flatnonzero(np.diff(still.view(np.int8))).reshape(-1, 2)
        found += [
            (
                float(t[rows[lo]]) - 0.04,
                float(t[rows[min(hi, len(rows) - 1)]]) + 0.04,
                float(np.median(hz[lo : hi + 1])),
            )
            for lo, hi in edges
            if hi - lo >= 4
        ]
    return found if len(found) >= _LEAST_RUNGS else []


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
    if not middle.mean() > 0:
        return None
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
    clean = _without_bounces(decays, response.fits[-1], rate, noise)
    if not clean.all():
        decays, usable = decays[:, clean], [s for s, good in zip(usable, clean, strict=True) if good]
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
    passes: list[Array] | None = None,
) -> Response:
    """Binned spectrum and fit of the whole record, or of ``passes``, whose powers are added."""
    f, power = periodogram((passes or [even.values])[0], even.rate_hz)
    for more in (passes or [])[1:]:
        power = power + periodogram(more, even.rate_hz)[1]
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
