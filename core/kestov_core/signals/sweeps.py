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

# Criteria of what is a sweep. Where no other reason is given they were chosen on simulated sweeps (gliding, in octaves, stepped,
# up and down, on sound and loose axes): real ones were not to be had.
#: Least dwell of a sweep at a frequency, of its mean: what it only grazes is not divided by nothing.
_LEAST_DWELL = 1e-3
#: A ridge is looked for from (Hz) up to so far over the highest frequency, and to this at least (Hz).
_RIDGE_FROM_HZ, _RIDGE_OVER, _RIDGE_TO_HZ = 3.0, 1.4, 60.0
#: A frame is loud from this power over its median (13 dB); so many loud frames are needed, so many that follow, and this share.
_LOUD, _LEAST_LOUD, _LEAST_FOLLOWING, _FOLLOWING = 20.0, 12, 10, 0.2
#: A second line with this share of the first's frames is a sweep's way back.
_WAY_BACK = 0.4
#: So many peaks of each frame may be the sweep: an overtone or another answer of a loose axis is often louder. Under this share
#: of the strongest (-30 dB) a peak is nobody's.
_PEAKS, _NOBODYS = 5, 1e-3
#: Lines tried through pairs of frames (drawn with this seed), and how far apart a pair is (frames, one over): for a way back half.
_PAIRS, _SEED, _PAIR_APART, _PAIR_APART_BACK = 300, 2, 8, 16
#: A way back goes as fast within this (relative).
_AS_FAST = 0.2
#: A peak is on a line within this (bins, and of its frequency); a frame whose strongest is not counts so much.
_ON_LINE_BINS, _ON_LINE, _NOT_STRONGEST = 1.5, 0.03, 0.6
#: Two ways meet within this (of the frequency, and Hz), with so many frames each.
_MEET, _MEET_HZ, _EACH_WAY = 0.15, 4.0, 6
#: A sweep's ends: its spectrum ripples over this share of its pace, and the pace's root; so much (Hz) is left out besides, and
#: what lies over this share of the raw rate.
_EDGE, _AFTER_START_HZ, _BEFORE_END_HZ, _OF_RAW_RATE = 0.3, 0.5, 1.0, 0.45
#: Away from the sweep and its multiples: further than this from a whole ratio, or under this ratio.
_AWAY, _UNDER = 0.25, 0.6
#: Length of the frames by which the noise is told (s), and how many quiet cells tell it.
_FRAME_S, _LEAST_QUIET = 0.5, 20
#: Linearity is told from this level over the noise (dB).
_TELLS_FROM_DB = 15.0
#: Stray energy is looked for from here (Hz), and as far as it stands over so many times its own scatter.
_STRAY_FROM_HZ, _STRAY_SIGMAS = 15.0, 4.0
#: What a frequency's own passage is: so many Hz of the sweep to either side and so much time (s); then as long as it rings
#: (periods, from and to, s). And the gain of frames that overlap by three quarters.
_PASSAGE_HZ, _PASSAGE_S, _RINGS_PERIODS, _RINGS_FROM_S, _RINGS_TO_S, _OVERLAP_GAIN = 3.5, 0.4, 30.0, 0.3, 2.0, 1.5
#: Rungs: frames and hop (s), from which frequency on (Hz), so many frames, a peak this near the line (relative); still where it
#: moves less than this share of the mean step, which this share of the frames does, for so many frames.
_RUNG_FRAME_S, _RUNG_HOP_S, _RUNG_FROM_HZ, _RUNG_FRAMES = 0.16, 0.04, 10.0, 40
_RUNG_NEAR, _STILL, _MOSTLY_STILL, _STILL_FRAMES = 0.25, 0.35, 0.4, 4
#: Around what was lost, so much more is left out (Hz, and s of the sweep).
_LOST_HZ, _LOST_S = 0.8, 0.15


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
        return np.asarray(np.maximum(total, _LEAST_DWELL * mean) / mean)


def find_ridge(t: Array, f: Array, power: Array, top_hz: float) -> Ridge | None:
    """The straight line in time and frequency (or its logarithm), or two that meet, that most frames' strongest bin lies on."""
    inside = (f >= _RIDGE_FROM_HZ) & (f <= max(top_hz * _RIDGE_OVER, _RIDGE_TO_HZ))
    peaks, strong = _frame_peaks(f[inside], power[:, inside])
    loud = strong > _LOUD * np.median(power[:, inside], axis=1)
    if loud.sum() < _LEAST_LOUD:
        return None
    best = _line(t, f, peaks, loud)
    if best is None:
        return None
    line, near, octaves = best
    # A loose axis follows for a part of the sweep only.
    if near.sum() < max(_LEAST_FOLLOWING, _FOLLOWING * loud.sum()):
        return None
    second = _line(t, f, peaks, loud, like=(line, octaves))
    if second is not None and second[1].sum() > _WAY_BACK * near.sum():
        turned = _turned(t, line, near, *second[:2])
        if turned is not None:
            return turned
    return Ridge(t, line, near)


def _frame_peaks(f: Array, power: Array) -> tuple[Array, Array]:
    """The strongest peaks of each frame (frames, 5), strongest first, NaN where there are fewer; and the strongest's power."""
    top = np.zeros_like(power)
    mid = power[:, 1:-1]
    top[:, 1:-1] = np.where((mid > power[:, :-2]) & (mid >= power[:, 2:]), mid, 0)
    order = np.argsort(top, axis=1)[:, ::-1][:, :_PEAKS]
    level = np.take_along_axis(top, order, axis=1)
    # What is 30 dB under the strongest is nobody's.
    return np.where(level > _NOBODYS * level[:, :1], f[order], np.nan), power.max(1)


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
    pairs = np.random.default_rng(_SEED).choice(usable, (_PAIRS, 2))
    pairs = pairs[np.abs(pairs[:, 0] - pairs[:, 1]) > len(t) // (_PAIR_APART if like is None else _PAIR_APART_BACK)]
    if not len(pairs):
        return None
    best: tuple[float, Array, NDArray[np.bool_], bool] | None = None
    for octaves, y in ((False, strongest), (True, np.log(strongest))):
        if like is not None and like[1] != octaves:
            continue
        slope = (y[pairs[:, 1]] - y[pairs[:, 0]]) / (t[pairs[:, 1]] - t[pairs[:, 0]])
        if like is not None:
            wanted = -float(np.median(np.diff(np.log(like[0]) if octaves else like[0]))) / (t[1] - t[0])
            slope = np.where(np.abs(slope / wanted - 1) < _AS_FAST, slope, np.nan) if wanted else slope * np.nan
        start = y[pairs[:, 0]] - slope * t[pairs[:, 0]]
        with np.errstate(over="ignore", invalid="ignore"):
            lines = start[:, None] + slope[:, None] * t
            lines = np.exp(lines) if octaves else lines
            reach = _ON_LINE_BINS * f[1] + _ON_LINE * lines
            on = [np.abs(lines - peaks[:, k]) < reach for k in range(_PEAKS)]
        on_any = np.logical_or.reduce(on) & loud
        first, last = on_any.argmax(1), on_any.shape[1] - 1 - on_any[:, ::-1].argmax(1)
        rows = np.arange(len(lines))
        # A loose axis answers at a third of the sweep, too, but that line is short.
        with np.errstate(invalid="ignore"):
            votes = (on[0] & loud).sum(1) + _NOT_STRONGEST * (on_any & ~on[0]).sum(1)
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
    if abs(early[turn] - late[turn]) > _MEET * early[turn] + _MEET_HZ:
        return None
    before = np.arange(len(t)) < turn
    follows = np.where(before, on_early, on_late)
    if follows[:turn].sum() < _EACH_WAY or follows[turn:].sum() < _EACH_WAY:
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
    edge = [_EDGE * p + float(np.sqrt(p)) for p in pace]
    low = max(LOWEST_HZ, ends[0] + _AFTER_START_HZ + edge[0])
    high = min(top_hz, _OF_RAW_RATE * even.raw_rate_hz, ends[1] - _BEFORE_END_HZ - edge[1])
    alone = _own_order(even.values, rate, ridge)
    response = whole_spectrum(
        even, low, high, by_chance=False, dwell=ridge.dwell, lost=_lost(even, ridge), passes=alone
    )
    # Noise: what the frames hold away from the ridge and its overtones.
    ratio = f[None, :] / np.maximum(ridge.hz[:, None], 1e-9)
    clear = (np.abs(ratio - np.round(ratio)) > _AWAY) | (ratio < _UNDER)
    quiet = power[clear & (f > low) & (f < high)]
    n = max(16, int(_FRAME_S * rate))
    per_bin = 2 / (rate * (np.hanning(n) ** 2).sum())
    response.stray = _stray(t, f, power, ridge, clear, quiet)
    response.noise = float(np.median(quiet) / np.log(2) * per_bin) if len(quiet) > _LEAST_QUIET else 0.0
    response.seen = len(quiet) > _LEAST_QUIET
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
    chosen = modes.choose(response.fits, float(len(hz)))
    if chosen is None:
        return
    response.fit = modes.widen(modes.without_background(chosen, max(low, LOWEST_MODE_HZ), high), modes.SPECTRUM_WIDER)
    response.others = [np.interp(hz, response.f, other) for other in response.others]
    response.f, response.power = hz, power
    note_snr(response)


def _linear_or_not(response: Response) -> Response:
    """Note the plainest sign that it is not linear."""
    if response.snr_db > _TELLS_FROM_DB:
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
    rows = on & (ridge.hz > _STRAY_FROM_HZ)
    if rows.sum() < 8 or len(quiet) < _LEAST_QUIET:
        return 0.0
    noise = float(np.median(quiet) / np.log(2))
    inside = (f > 3)[None, :] & rows[:, None]
    away = clear & inside
    # Summed first: noise taken off cell by cell would leave its tops standing.
    stray, whole = (float(power[cells].sum() - noise * cells.sum()) for cells in (away, inside))
    unsure = _STRAY_SIGMAS * noise * float(np.sqrt(away.sum()))
    return max(0.0, stray - unsure) / max(whole, 1e-30)


def _own_order(values: Array, rate: float, ridge: Ridge) -> list[Array]:
    """The samples (channels, n) without what the command's overtones made of them, for each way of the sweep by itself:
    up and down together would beat with each other.

    At each frequency that is kept which sounds from when the sweep comes to it on, as long as it rings; overtones pass
    it before (on the way up) or long after (on the way down).
    """
    n = int(_FRAME_S * rate) // 2 * 2
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
        room = _PASSAGE_HZ / np.interp(f, b.hz, b.pace) + _PASSAGE_S
        keep = (t[:, None] > when - room) & (
            t[:, None] < when + room + np.clip(_RINGS_PERIODS / np.maximum(f, 1), _RINGS_FROM_S, _RINGS_TO_S)
        )
        back = sfft.irfft(spectra * keep, n, axis=2) * window
        out = np.zeros_like(padded)
        for i in range(back.shape[1]):
            out[:, i * hop : i * hop + n] += back[:, i]
        ways.append(out[:, n : n + length] / _OVERLAP_GAIN)
    return ways


def _plateaus(x: Array, rate: float, branches: list[Branch]) -> list[tuple[float, float, float]]:
    """The rungs of a stepped sweep: from (s), to (s), frequency (Hz); none where it glides, or steps so finely that it
    is as good as gliding.
    """
    t, f, power = frames(x, rate, _RUNG_FRAME_S, _RUNG_HOP_S)
    found: list[tuple[float, float, float]] = []
    for b in branches:
        order = np.argsort(b.time_s)
        at = (t > b.time_s.min()) & (t < b.time_s.max())
        line = np.interp(t[at], b.time_s[order], b.hz[order])
        rows = np.flatnonzero(at)[line > _RUNG_FROM_HZ]
        line = line[line > _RUNG_FROM_HZ]
        if len(rows) < _RUNG_FRAMES:
            continue
        near = np.abs(f[None, :] / line[:, None] - 1) < _RUNG_NEAR
        k = np.clip(np.argmax(np.where(near, power[rows], 0), axis=1), 1, len(f) - 2)
        a, m, c = (np.log(power[rows, k + d] + 1e-30) for d in (-1, 0, 1))
        curve = a - 2 * m + c
        hz = (k + np.where(curve < 0, 0.5 * (a - c) / np.where(curve < 0, curve, -1), 0)) * f[1]
        moved = np.abs(np.diff(np.convolve(hz, np.ones(3) / 3, "same")))
        still = np.concatenate([[False], moved < _STILL * float(np.ptp(line)) / len(line), [False]])
        if still.mean() < _MOSTLY_STILL:
            continue
        edges = np.flatnonzero(np.diff(still.view(np.int8))).reshape(-1, 2)
        found += [
            (
                float(t[rows[lo]]) - _RUNG_HOP_S,
                float(t[rows[min(hi, len(rows) - 1)]]) + _RUNG_HOP_S,
                float(np.median(hz[lo : hi + 1])),
            )
            for lo, hi in edges
            if hi - lo >= _STILL_FRAMES
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
        room = _LOST_HZ + _LOST_S * float(np.interp(start, ridge.time_s, pace))
        out.append((float(at.min()) - room, float(at.max()) + room))
    return out
