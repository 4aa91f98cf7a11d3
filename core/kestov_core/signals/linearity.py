"""Is a shaken axis linear? Its overtones against its own answer.

Machines shake by moves of constant acceleration: a square or trapezoid wave with overtones of its own. Where an axis is
linear, what is heard at k times the sweep's frequency is what the axis answers at that frequency when the sweep itself
gets there, times one constant for each k (drifting slowly, where the wave's shape or level does). A loose axis answers
another way to a weaker push: the ratio then bends where it resonates. Two passes through one frequency (up and down
again) must agree, too.

Not here: finding the sweep (``sweeps``), what to do about it (``procedures.resonance``).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

#: Overtones that are looked at.
_ORDERS = (2, 3, 5)
#: Half the width of a line in a frame's spectrum (Hz, over the frame's length), and how many periods the ringing goes
#: on that is counted to its passage (down to a few per cent at a damping of 0.03).
_WIDTH, _RINGS_ON = 1.6, 14.0
#: Frames overlap by three quarters: their noise is that of so many times fewer.
_OVERLAP = 3.0
#: Neighbouring rungs that differ by more (nepers of power, 5 dB) lie on a flank that is not resolved.
_STEEP = 1.2
#: A bin so far under one of its four neighbours on either side (power) is not its own.
_SPILL = 0.01
#: Bins to either side that a window spills into.
_NEIGHBOURS = 4
#: Least pace of a sweep (Hz/s); shortest and longest frame (s); and the shortest and longest time (s) that ringing on counts.
_LEAST_PACE, _FRAME_FROM_S, _FRAME_TO_S, _RINGS_FROM_S, _RINGS_TO_S = 1e-3, 0.2, 0.5, 0.1, 0.5
#: A rung's start has died away after this share of it; what is left holds so many periods, and samples.
_DIED_AWAY, _LEAST_PERIODS, _LEAST_SAMPLES = 0.35, 1.5, 40
#: A rung's frequency is looked for within this (of one over its length, s at least), at so many points; multiples up to this
#: share of the rate are fitted along.
_LOOKED_WITHIN, _LEAST_RUNG_S, _LOOKED_AT, _OF_RATE = 0.4, 0.3, 9, 0.45
#: An overtone is heard over so many times its noise, or where its usual share of the axis's own answer would be.
_HEARD, _WOULD_BE_HEARD = 8.0, 16.0
#: An order without a criterion bends as it likes.
_ANY = 99.0


#: Beyond these an axis is not linear: how far an order's answer may bend about its trend (r.m.s. and at most, dB), and
#: how loud it may be beside the axis's own (dB; a square wave's third is a third, its fifth a fifth, and a symmetric
#: command has no second). From simulated axes, sound and loose, under square, trapezoid, stepped and up-and-down sweeps
#: with motor ripple: sound ones bend by 0.8 dB at most at the third, loose ones by 1.1 to 11.
_BENT = {1: (2.5, 4.0), 3: (1.15, 1.2), 5: (2.5, 4.0)}
_LOUD = {2: -22.0, 3: -6.0, 5: -9.0}
#: Fainter than this (dB) an overtone is less and less the command's own, and may bend more.
_FAINT = {1: -99.0, 3: -28.0, 5: -25.0}


@dataclass(frozen=True)
class Bend:
    """How one order's answer bends against the axis's own: ``level_db`` of it, ``rms_db`` about its trend, ``most_db``."""

    order: int
    level_db: float
    rms_db: float
    most_db: float
    at_hz: float
    bins: int


@dataclass(frozen=True)
class Branch:
    """A stretch of the sweep that goes one way: frame times and the frequency in each, in rising frequency."""

    time_s: Array
    hz: Array

    @property
    def pace(self) -> Array:
        """Hz/s at each."""
        if len(self.hz) < 2:
            return np.ones(len(self.hz))
        return np.maximum(np.abs(np.gradient(self.hz, self.time_s)), _LEAST_PACE)


def frame_seconds(branches: list[Branch]) -> float:
    """The length of frame in which a sweep's third order is best told in time and frequency."""
    pace = float(np.median(np.concatenate([b.pace for b in branches])))
    return float(np.clip(1 / np.sqrt(2 * pace), _FRAME_FROM_S, _FRAME_TO_S))


def order_energy(t: Array, f: Array, power: Array, branch: Branch, order: int, frame_s: float) -> tuple[Array, Array]:
    """Energy (len(f),) at each frequency while ``order`` times the sweep passes it, and the seconds counted.

    NaN where the sweep does not pass it, or where another order does at the same time.
    """
    hz, at, pace = branch.hz, branch.time_s, branch.pace
    lowest, highest = hz[0] + 1.0, hz[-1] - 1.0

    rings_on = np.clip(_RINGS_ON / f, _RINGS_FROM_S, _RINGS_TO_S)

    def passage(k: int) -> tuple[Array, Array, NDArray[np.bool_]]:
        when = np.interp(f / k, hz, at)
        room = _WIDTH / frame_s / (k * np.interp(f / k, hz, pace)) + 0.5 * frame_s
        return when, room, (f / k > lowest) & (f / k < highest)

    when, room, passed = passage(order)
    for k in (1, 3, 5, 7) if order % 2 else (1, 3):
        if k == order:
            continue
        other, others_room, there = passage(k)
        # The earlier of the two rings on.
        passed &= ~(there & (np.abs(other - when) < room + others_room + rings_on))
    first = np.searchsorted(t, when - room)
    last = np.searchsorted(t, when + room + rings_on)
    sums = np.concatenate([np.zeros((1, len(f))), np.cumsum(power, axis=0)])
    columns = np.arange(len(f))
    energy = np.where(passed & (last > first), sums[last, columns] - sums[first, columns], np.nan)
    return energy, (last - first).astype(float)


def _overshone(energy: Array) -> NDArray[np.bool_]:
    """Bins that show little but what a strong neighbour spills into them: a frame's window lets so much through."""
    wide = np.pad(energy, _NEIGHBOURS, mode="edge")
    nearby = np.lib.stride_tricks.sliding_window_view(wide, 2 * _NEIGHBOURS + 1).max(axis=1)
    return np.asarray(energy < _SPILL * nearby)


@dataclass(frozen=True)
class Rungs:
    """A stepped sweep, rung by rung: its frequency, the power (amplitude squared) at 1, 2, 3 and 5 times it, and the power
    that noise alone would show.
    """

    hz: Array
    power: dict[int, Array]
    quiet: Array


def rungs_of(x: Array, rate: float, plateaus: list[tuple[float, float, float]], noise: float) -> Rungs:
    """Fit sines to each rung once its start has died away. ``plateaus``: from (s), to (s), about which frequency (Hz).

    ``noise``: power spectral density.
    """
    hz, quiet = [], []
    power: dict[int, list[float]] = {k: [] for k in (1, *_ORDERS)}
    for start, end, about in plateaus:
        piece = x[int((start + _DIED_AWAY * (end - start)) * rate) : int(end * rate)]
        n = len(piece)
        if n < _LEAST_PERIODS * rate / about or n < _LEAST_SAMPLES:
            continue
        t = np.arange(n) / rate
        best = None
        for f in about + np.linspace(-_LOOKED_WITHIN, _LOOKED_WITHIN, _LOOKED_AT) / max((end - start), _LEAST_RUNG_S):
            phase = 2 * np.pi * f * t
            orders = [k for k in range(1, 8) if k * f < _OF_RATE * rate]
            basis = np.column_stack([g(k * phase) for k in orders for g in (np.cos, np.sin)] + [np.ones(n)])
            c, *_ = np.linalg.lstsq(basis, piece, rcond=None)
            left = float(((piece - basis @ c) ** 2).sum())
            if best is None or left < best[0]:
                best = (left, f, orders, c)
        assert best is not None
        _, f, orders, c = best
        hz.append(float(f))
        quiet.append(2 * noise * rate / n)
        for k, row in power.items():
            i = 2 * orders.index(k) if k in orders else None
            row.append(float(c[i] ** 2 + c[i + 1] ** 2) if i is not None else np.nan)
    order = np.argsort(hz)
    return Rungs(np.array(hz)[order], {k: np.array(v)[order] for k, v in power.items()}, np.array(quiet)[order])


def rung_bends(rungs: Rungs, top_hz: float) -> list[Bend]:
    """`bends` for a stepped sweep: the answer at a multiple of a rung against that of the rung at this frequency."""
    found = []
    own = np.log(rungs.power[1] + 1e-30)
    for order in _ORDERS:
        at = order * rungs.hz
        there = (at < min(top_hz, rungs.hz[-1])) & np.isfinite(rungs.power[order])
        # Between rungs that differ much the answer at this frequency is not known.
        steep = np.abs(np.diff(own)) > _STEEP
        gap = np.clip(np.searchsorted(rungs.hz, at) - 1, 0, len(steep) - 1)
        there &= ~steep[gap]
        base = np.exp(np.interp(at[there], rungs.hz, own))
        over = np.maximum(rungs.power[order][there] - rungs.quiet[there], 0)
        bend = _bend(order, at[there], base, over, rungs.quiet[there], least=5)
        if bend is not None:
            found.append(bend)
    return found


def bends(
    t: Array, f: Array, power: Array, branches: list[Branch], noise: float, top_hz: float, frame_s: float
) -> list[Bend]:
    """How each overtone's answer bends against the axis's own (the sweep itself); order 1: the way down against the way up.

    ``power`` (frames, bins) of frames of ``frame_s``; ``noise``: of one frame's bin.
    """
    inside = (f > 6.0) & (f < top_hz)
    f, power = f[inside], power[:, inside]
    found = []
    for order in _ORDERS:
        own, over, quiet = np.zeros(len(f)), np.zeros(len(f)), np.zeros(len(f))
        seen = np.zeros(len(f), bool)
        for branch in branches:
            if len(branch.hz) < 8:
                continue
            base, _ = order_energy(t, f, power, branch, 1, frame_s)
            high, frames = order_energy(t, f, power, branch, order, frame_s)
            both = np.isfinite(base) & np.isfinite(high)
            own[both] += base[both]
            over[both] += np.maximum(high - noise * frames, 0)[both]
            quiet[both] += (noise * np.sqrt(_OVERLAP * frames))[both]
            seen |= both
        seen &= ~_overshone(own) & ~_overshone(over)
        bend = _bend(order, f[seen], own[seen], over[seen], quiet[seen])
        if bend is not None:
            found.append(bend)
    if len(branches) == 2:
        up, down = (order_energy(t, f, power, b, 1, frame_s) for b in branches)
        seen = np.isfinite(up[0]) & np.isfinite(down[0])
        seen &= ~_overshone(np.nan_to_num(up[0])) & ~_overshone(np.nan_to_num(down[0]))
        bend = _bend(1, f[seen], up[0][seen], down[0][seen], (noise * np.sqrt(_OVERLAP * up[1]))[seen])
        if bend is not None:
            found.append(bend)
    return found


def not_linear(found: list[Bend]) -> str:
    """Words for the plainest sign that the axis is not linear; empty where there is none."""
    worst, words = 0.0, ""
    for b in found:
        rms, most = _BENT.get(b.order, (_ANY, _ANY))
        # A faint overtone is as much the motor's ripple as the command's.
        faint = 1 + max(0.0, _FAINT.get(b.order, 0.0) - b.level_db) / 6
        bent = min(b.rms_db / rms, b.most_db / most) / faint
        loud = 10 ** ((b.level_db - _LOUD.get(b.order, _ANY)) / 20)
        if max(bent, loud) > max(1.0, worst):
            worst = max(bent, loud)
            if b.order == 1:
                words = f"on the way down it answers otherwise than on the way up (by {b.most_db:.0f} dB about {b.at_hz:.0f} Hz)"
            elif bent >= loud:
                words = (
                    f"what it answers to the command's own overtones is not what it answers to the sweep: "
                    f"at {b.order} times the sweep it differs by up to {b.most_db:.0f} dB, most at {b.at_hz:.0f} Hz"
                )
            else:
                words = f"it answers at {b.order} times the sweep more loudly than any such command can ask for"
    return words


def _bend(order: int, f: Array, own: Array, over: Array, quiet: Array, least: int = 8) -> Bend | None:
    if len(f) < least:
        return None
    # Where neither it nor its constant share of the axis's own answer would stand over the noise, nothing is said.
    share = float(np.median(over / own))
    for _ in range(3):
        heard = (over > _HEARD * quiet) | (share * own > _WOULD_BE_HEARD * quiet)
        if heard.sum() < least:
            return None
        share = float(np.exp(np.average(np.log((over + quiet) / own)[heard], weights=np.sqrt(own[heard]))))
    ratio = 10 * np.log10((over + quiet)[heard] / own[heard])
    x = np.log(f[heard])
    weight = np.sqrt(own[heard] / own[heard].max())
    trend = np.polynomial.Polynomial.fit(x, ratio, 1, w=np.sqrt(weight))
    off = ratio - trend(x)
    near = np.convolve(off, [0.25, 0.5, 0.25], "same")
    near[[0, -1]] = off[[0, -1]]
    k = int(np.argmax(np.abs(near)))
    return Bend(
        order,
        10 * float(np.log10(share)),
        float(np.sqrt(np.average(off**2, weights=weight))),
        float(np.abs(near[k])),
        float(f[heard][k]),
        int(heard.sum()),
    )
