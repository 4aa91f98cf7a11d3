"""The pitch that plucks have in common: each one's votes for the candidates, and what rings along."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .heard import NONE_DB, Heard
from .partials import Array, Peaks, candidates, evidence, unlike_a_pluck

# Criteria of which pitch it is. Where no other reason is given they were chosen on the simulator's recordings
# (plucked belts in rooms, rubs, knocks, talk): real ones were not to be had.
#: The most that one pluck says against a pitch (nats).
_MOST_AGAINST = 6.0
#: Candidates within this (relative) stand for one pitch; those further apart than the second are rivals; and nearer than the
#: last they are one candidate.
_SAME_PITCH, _APART, _ONE_CANDIDATE = 0.007, 0.015, 0.001
#: The few pitches that are heard again.
_HEARD_AGAIN = 10
#: A peak is the first string's own: of the resolution, of its frequency, by its stiffness, and of the pitch.
_OWN_RESOLUTION, _OWN_WAVER, _OWN_STIFFNESS, _OWN_OF_PITCH = 0.7, 0.006, 4e-4, 0.03
#: What rings along: peaks over this share of the strongest (-30 dB), in this share of the plucks (two at least), each telling
#: so much (nats) within so much of one pitch (relative), none telling less than the last against it.
_ALONG, _IN_MOST, _ALONG_TOLD, _ALONG_PITCH, _ALONG_AGAINST = 1e-3, 0.6, 0.8, 0.01, -2.0
#: Partials are looked for up to so far over the highest peak of this share of the strongest (-27 dB).
_BEYOND_HIGHEST, _STRONG = 1.2, 2e-3
#: A pluck's vote: from this excess, over so many decades, from this least; full with so many peaks.
_VOTE_FROM, _VOTE_DECADES, _LEAST_VOTE, _VOTE_PEAKS = 10.0, 1.5, 0.3, 3.0

#: How likely pitches (Hz) are before anything is heard, in nats.
Likely = Callable[[Array], Array]


@dataclass(frozen=True)
class Common:
    """The pitch ``f0_hz``, the candidates ``near`` that stand for it, and the ``rivals`` it was chosen from (it among them) with
    how each ``standing`` was, in nats. ``second_hz``: what rings along in most plucks, ``second_db`` beside the first.
    """

    f0_hz: float
    near: Array
    rivals: Array
    standing: Array
    second_hz: float | None
    second_db: float


def common_pitch(toned: list[Heard], likely: Likely) -> Common | None:
    """The pitch that explains these plucks together best; None where all that rings lies outside a belt's range.

    Parameters
    ----------
    toned : list of Heard
        Those with peaks.
    likely : callable
        How likely pitches (k,) in Hz are before anything is heard, in nats (k,).

    Returns
    -------
    Common or None
    """
    pool = _thin(np.concatenate([candidates(h.peaks) for h in toned if h.peaks is not None]))
    if len(pool) == 0:
        return None
    told = [evidence(h.peaks, pool, h.spectrum.seconds) for h in toned if h.peaks and h.spectrum]
    nats = np.array([t.nats for t in told])
    total = _vote(nats, toned, pool) + likely(pool)
    # The few that place the peaks best are heard again: are their partials as strong as a pluck makes them?
    few = _best_apart(pool, total, _HEARD_AGAIN)
    odd = [[_oddness(h, pool[k], t.b[k]) for k in few] for h, t in zip(toned, told, strict=True)]
    placed = np.array([[_at(t.placed, pool, k) for k in few] for t in told]) - np.array(odd)
    standing = _vote_of(placed, toned) + likely(pool[few])
    chosen = int(few[np.argmax(standing)])
    f0 = _settle(pool, nats, chosen)
    near = pool[np.abs(np.log(pool / pool[chosen])) < _SAME_PITCH]
    return Common(f0, near, pool[few], standing, *_second(toned, f0))


def _vote(scores: Array, toned: list[Heard], pool: Array) -> Array:
    """Votes of all plucks (plucks, c) together: near-equal candidates stand for one pitch, so each gives its best within 0.7 %."""
    log_pool = np.log(pool)
    first = np.searchsorted(log_pool, log_pool - _SAME_PITCH)
    last = np.searchsorted(log_pool, log_pool + _SAME_PITCH, side="right")
    return _vote_of(np.array([[row[a:b].max() for a, b in zip(first, last, strict=True)] for row in scores]), toned)


def _vote_of(votes: Array, toned: list[Heard]) -> Array:
    """Sum over plucks. A bad one must not outvote good ones: what it says against a pitch is bounded."""
    against = np.maximum(votes - votes.max(axis=1, keepdims=True), -_MOST_AGAINST)
    total: Array = (against * np.array([_weight(h) for h in toned])[:, None]).sum(axis=0)
    return total


def _at(scores: Array, pool: Array, k: int) -> float:
    """The best score within 0.7 % of candidate ``k``."""
    return float(scores[np.abs(np.log(pool / pool[k])) < _SAME_PITCH].max())


def _best_apart(pool: Array, total: Array, most: int) -> NDArray[np.intp]:
    """The best candidates that lie more than 1.5 % apart."""
    kept: list[int] = []
    for k in np.argsort(total)[::-1]:
        if all(abs(np.log(pool[k] / pool[j])) > _APART for j in kept):
            kept.append(int(k))
        if len(kept) == most:
            break
    return np.array(kept, dtype=np.intp)


def _second(toned: list[Heard], f0: float) -> tuple[float | None, float]:
    """The pitch of what rings along in most plucks, and how loud it is beside the first (dB)."""
    left: list[Peaks] = []
    loud: list[float] = []
    for h in toned:
        assert h.peaks is not None and h.spectrum is not None
        n = np.maximum(np.rint(h.peaks.hz / f0), 1)
        hz = h.peaks.hz
        reach = _OWN_RESOLUTION / h.spectrum.seconds + _OWN_WAVER * hz + _OWN_STIFFNESS * n**2 * hz
        own = np.abs(hz - n * f0) < reach
        own |= np.abs(h.peaks.hz / f0 - n) < _OWN_OF_PITCH
        rest = ~own & (h.peaks.power > _ALONG * h.peaks.power.max())
        if rest.any() and own.any():
            left.append(Peaks(h.peaks.hz[rest], h.peaks.power[rest], h.peaks.excess[rest]))
            loud.append(10 * float(np.log10(h.peaks.power[rest].sum() / h.peaks.power[own].sum())))
    if len(left) < max(2, _IN_MOST * len(toned)):
        return None, NONE_DB
    seconds = float(np.median([h.spectrum.seconds for h in toned if h.spectrum]))
    pool = _thin(np.concatenate([candidates(p) for p in left]))
    if not len(pool):
        return None, NONE_DB
    total = np.array([evidence(p, pool, seconds).nats for p in left])
    best = int(np.argmax(np.maximum(total, _ALONG_AGAINST).sum(axis=0)))
    with_it = (total[:, np.abs(np.log(pool / pool[best])) < _ALONG_PITCH].max(axis=1) > _ALONG_TOLD).sum()
    if with_it < max(2, _IN_MOST * len(toned)):
        return None, NONE_DB
    return float(pool[best]), float(np.median(loud))


def _oddness(h: Heard, f0: float, b: float) -> float:
    assert h.spectrum is not None and h.peaks is not None
    strong = h.peaks.hz[h.peaks.power > _STRONG * h.peaks.power.max()]
    return unlike_a_pluck(h.spectrum, f0, b, _BEYOND_HIGHEST * float(strong.max()))


def _weight(h: Heard) -> float:
    """How much a pluck's vote counts (0.1 … 1): by how far its peaks stand out and how many there are."""
    assert h.peaks is not None
    clear = float(np.clip(np.log10(h.peaks.excess.max() / _VOTE_FROM) / _VOTE_DECADES, _LEAST_VOTE, 1.0))
    return clear * float(np.clip(len(h.peaks.hz) / _VOTE_PEAKS, 1 / _VOTE_PEAKS, 1.0))


def _thin(pool: Array) -> Array:
    """Candidates in rising order, those within 0.1 % of each other as one."""
    pool = np.sort(pool)
    if len(pool) == 0:
        return pool
    keep = np.ones(len(pool), dtype=bool)
    kept = pool[0]
    for i in range(1, len(pool)):
        keep[i] = pool[i] > kept * (1 + _ONE_CANDIDATE)
        kept = pool[i] if keep[i] else kept
    return pool[keep]


def _settle(pool: Array, scores: Array, chosen: int) -> float:
    """Best-scoring candidate close to the chosen one."""
    near = np.flatnonzero(np.abs(np.log(pool / pool[chosen])) < _SAME_PITCH)
    against = np.maximum(scores[:, near] - scores[:, near].max(axis=1, keepdims=True), -_MOST_AGAINST)
    return float(pool[near[np.argmax(against.sum(axis=0))]])
