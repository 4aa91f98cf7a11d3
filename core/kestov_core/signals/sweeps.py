"""An axis shaken by a sweep: the ridge that the sweep draws in time and frequency, what is the axis's own answer on it, and
whether the answer is linear.

A sweep may glide, go by octaves or by rungs, or up and down again; it is square or trapezoid as often as a sine.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
import scipy.fft as sfft
from numpy.typing import NDArray

from . import linearity, modes
from .linearity import Branch
from .noise import shaken
from .response import LOWEST_HZ, LOWEST_MODE_HZ, Response, frames, note_snr, whole_spectrum
from .sampling import Array, Even

#: A sweep, or each way of one that goes up and down, passes so much at least.
_LEAST_SPAN_HZ = 25.0
#: So many rungs make a stepped sweep.
_LEAST_RUNGS = 24
#: Energy of a sweep's answer away from the sweep and its multiples, from which on the axis is not linear (sound simulated
#: axes: 1.4 % at most).
_STRAY = 0.03


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


def swept(even: Even, top_hz: float) -> Response:
    """The response to a sweep; not ``seen`` where there is none in the record."""
    x, rate = even.values[0], even.rate_hz
    t, f, power = frames(x, rate)
    ridge = find_ridge(t, f, power, top_hz)
    if ridge is None:
        response = shaken(even, top_hz)
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
    response = whole_spectrum(
        even, low, high, by_chance=False, dwell=ridge.dwell, lost=_lost(even, ridge), passes=alone
    )
    # Noise: what the frames hold away from the ridge and its overtones.
    ratio = f[None, :] / np.maximum(ridge.hz[:, None], 1e-9)
    clear = (np.abs(ratio - np.round(ratio)) > 0.25) | (ratio < 0.6)
    quiet = power[clear & (f > low) & (f < high)]
    n = max(16, int(0.5 * rate))
    per_bin = 2 / (rate * (np.hanning(n) ** 2).sum())
    response.stray = _stray(t, f, power, ridge, clear, quiet)
    response.noise = float(np.median(quiet) / np.log(2) * per_bin) if len(quiet) > 20 else 0.0
    response.seen = len(quiet) > 20
    note_snr(response)
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
    response.fit = modes.widen(modes.without_background(chosen, max(low, LOWEST_MODE_HZ), high), 1.15)
    response.others = [np.interp(hz, response.f, other) for other in response.others]
    response.f, response.power = hz, power
    note_snr(response)


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
