"""An axis that was knocked before a slow sensor: which frequency it truly is that few samples a second show.

At r samples a second a swing at f reads just as one at r - f, r + f, 2 r - f … does. Only times that are not even tell them apart: the
same knocks taken at two rates, or a clock that jitters and was read. So the swings are fitted at the very times of their samples,
over the whole band and not only up to half the rate; and whatever explains them about as well is told beside.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from . import modes
from .knocks import find_knocks
from .response import LOWEST_HZ, LOWEST_MODE_HZ, Response
from .sampling import Array, Even, evenly

# Criteria. All were chosen on simulated phones (30 to 100 samples a second, one and two rates, coarse steps, times read to a
# millisecond): real ones were not to be had.
#: Longer than this (usual steps) nothing was read: another stretch begins, maybe at another rate. A stretch has so many rows.
_PAUSE_STEPS, _LEAST_ROWS = 12.0, 64
#: The blow itself (s), with so much of a sample's time, since no more is known of when it was; and what is used of the time after it:
#: so much of the time to the next, this long (s) at the most, so many samples at the least.
_BLOW_S, _AFTER, _OF_GAP, _LONGEST_S, _LEAST_SAMPLES = 0.012, 0.5, 0.92, 0.8, 6
#: A swing of fewer steps of the sensor than this is a step that flickered.
_STEPS_HIGH = 5.0
#: A swing is over when its level in a slice (s) is under so many times the noise.
_SLICE_S, _OVER_NOISE = 0.06, 1.5
#: Frequencies that are tried (Hz apart), with these dampings.
_STEP_HZ, _DAMPINGS, _USUAL_DAMPING = 0.4, (0.02, 0.045, 0.1), (0.045,)
#: So many samples are fitted at the most (of longer records some of the knocks), so many frequencies at once.
_MOST_SAMPLES, _AT_ONCE = 6000, 64
#: Another frequency is as good where it explains this share of what the best one does; and is another from so far off (relative); so many are named.
_AS_GOOD, _APART, _NAMED = 0.95, 0.04, 6
#: The uncertainty that a linear estimate gives is widened by this.
_WIDEN = 2.0
#: Worth of another mode (of ln(rows)), its least share of the energy.
_GAIN, _LEAST_SHARE = 4.0, 0.03
_MOST_MODES = 2


@dataclass(frozen=True)
class Swings:
    """Free swings after knocks, padded to one length. ``t``: (pieces, n) seconds since each began; ``y``: (channels, pieces, n), rest
    taken out; ``there``: (pieces, n) where a sample is.
    """

    t: Array
    y: Array
    there: Array

    @property
    def count(self) -> int:
        """How many samples."""
        return int(self.there.sum())


def rates(time_s: Array) -> list[float]:
    """Samples a second of each stretch between pauses, one for those alike."""
    out: list[float] = []
    for lo, hi in _stretches(time_s):
        rate = (hi - lo - 1) / float(time_s[hi - 1] - time_s[lo])
        if all(abs(rate / r - 1) > _APART for r in out):
            out.append(rate)
    return out


def images(hz: float, rate_hz: float, top_hz: float) -> list[float]:
    """Frequencies (Hz) under ``top_hz`` that evenly spaced samples cannot tell from one.

    Examples
    --------
    >>> images(22.0, 60.0, 150.0)
    [38.0, 82.0, 98.0, 142.0]
    """
    folded = abs((hz + rate_hz / 2) % rate_hz - rate_hz / 2)
    all_of = {round(abs(n * rate_hz + s * folded), 6) for n in range(int(top_hz / rate_hz) + 2) for s in (-1, 1)}
    return sorted(f for f in all_of if LOWEST_MODE_HZ <= f <= top_hz and abs(f / hz - 1) > _APART)


def knocked_slowly(time_s: Array, values: Array, top_hz: float) -> tuple[Response, list[list[float]]]:
    """The response to knocks as few samples a second tell it, and for each of its modes what else it might be (Hz).

    Parameters
    ----------
    time_s : (n,) ndarray
        Times of the rows (s), rising, with a pause between stretches of different rates.
    values : (3, n) ndarray
        Accelerations, the excited direction first.
    top_hz : float
        Highest frequency that is asked for; it may lie far over half the rate.

    Notes
    -----
    Damped swings of free amplitudes are fitted to all decays at once, by least squares over their true times (as Lomb 1976 does for
    steady ones); ``power`` is what each frequency alone explains of them.
    """
    swings = _swings(time_s, values)
    f = np.arange(LOWEST_HZ, top_hz, _STEP_HZ)
    if swings is None:
        return Response(f, np.full(len(f), 1e-12), [np.full(len(f), 1e-12)] * 2, seen=False), []
    own, *others = (Swings(swings.t, y[None], swings.there) for y in swings.y)
    alone = _scan(f, own, np.empty((0, 2)))
    of_all = [_gained(own, alone[0]), *(_gained(s, _scan(f, s, np.empty((0, 2)), _USUAL_DAMPING)[0]) for s in others)]
    seconds = float(np.ptp(swings.t, axis=1).mean())
    # What is explained is a mean square; over the resolution it is a density.
    power = [np.maximum(e * seconds, 1e-12) for e in of_all]
    response = Response(f, power[0], power[1:])
    response.fits = _fits(f, own, alone)
    chosen = modes.choose(response.fits, float(own.count), gain=_GAIN, least_share=_LEAST_SHARE)
    if chosen is None:
        return response, []
    response.fit = modes.widen(modes.without_background(chosen, LOWEST_MODE_HZ, top_hz), _WIDEN)
    energy = float((own.y[0] ** 2 * own.there).sum()) / own.count
    response.noise = chosen.left * 2 * seconds
    response.snr_db = 10 * float(np.log10(max(energy / max(chosen.left, 1e-12) - 1, 1e-3)))
    return response, [_elsewhere(f, own, chosen, m, alone) for m in response.fit.modes]


def _stretches(time_s: Array) -> list[tuple[int, int]]:
    """First and past-the-last row of each stretch that is long enough."""
    steps = np.diff(time_s)
    breaks = np.flatnonzero(steps > _PAUSE_STEPS * float(np.median(steps))) + 1
    ends = zip(np.append(0, breaks), np.append(breaks, len(time_s)), strict=True)
    return [(int(lo), int(hi)) for lo, hi in ends if hi - lo >= _LEAST_ROWS and time_s[hi - 1] - time_s[lo] >= 1.0]


def _swings(time_s: Array, values: Array) -> Swings | None:
    """The free swings of all stretches; None where nothing was knocked."""
    pieces: list[tuple[Array, Array]] = []
    for lo, hi in _stretches(time_s):
        t, v = time_s[lo:hi], values[:, lo:hi]
        v = v - np.median(v, axis=1, keepdims=True)
        even: Even = evenly(t, v, 1e4)
        knocks = t[0] + find_knocks(even.values, even.rate_hz) / even.rate_hz
        least = _STEPS_HIGH * float(np.diff(np.unique(v[0])).min(initial=np.inf))
        ends = np.append(knocks[1:], t[-1] + 1e-9)[: len(knocks)]
        for begin, end in zip(knocks, ends, strict=True):
            first = begin + _BLOW_S + _AFTER / even.rate_hz
            inside = (t > first) & (t < min(begin + _OF_GAP * (end - begin), first + _LONGEST_S))
            if inside.sum() >= _LEAST_SAMPLES and np.abs(v[0, inside]).max() >= least:
                pieces.append((t[inside] - t[inside][0], v[:, inside]))
    pieces = _until_quiet(pieces) if pieces else []
    if not pieces:
        return None
    every = 1 + sum(len(t) for t, _ in pieces) // _MOST_SAMPLES
    pieces = pieces[::every]
    longest = max(len(t) for t, _ in pieces)
    shape = (len(pieces), longest)
    out = Swings(np.zeros(shape), np.zeros((len(values), *shape)), np.zeros(shape))
    for i, (t, v) in enumerate(pieces):
        out.t[i, : len(t)], out.there[i, : len(t)] = t, 1.0
        out.y[:, i, : len(t)] = v
    return out


def _until_quiet(pieces: Sequence[tuple[Array, Array]]) -> list[tuple[Array, Array]]:
    """The pieces as far as they swing: after that they hold noise alone."""
    t = np.concatenate([p[0] for p in pieces])
    y = np.concatenate([p[1][0] for p in pieces])
    slices = (t / _SLICE_S).astype(int)
    level = np.bincount(slices, y**2) / np.maximum(np.bincount(slices), 1)
    noise = float(np.median(level[-max(2, len(level) // 4) :]))
    over = np.flatnonzero(level > _OVER_NOISE * noise)
    end = max((over[-1] + 2 if len(over) else 2) * _SLICE_S, 4 * _SLICE_S)
    cut = [(p[0] <= end, p) for p in pieces]
    return [(t[keep], v[:, keep]) for keep, (t, v) in cut if keep.sum() >= _LEAST_SAMPLES]


def _bases(poles: Array, s: Swings) -> Array:
    """Columns (candidates, pieces, n, 2 k) of swings with ``poles`` (candidates, k, 2: Hz, damping)."""
    w = 2 * np.pi * poles[..., 0][:, :, None, None]
    z = poles[..., 1][:, :, None, None]
    envelope = np.exp(-z * w * s.t) * s.there
    phase = w * np.sqrt(1 - z**2) * s.t
    return np.moveaxis(np.concatenate([envelope * np.cos(phase), envelope * np.sin(phase)], axis=1), 1, -1)


def _left(poles: Array, s: Swings) -> Array:
    """Sum of squares that swings with ``poles`` (candidates, k, 2) leave, amplitudes being free in each piece."""
    basis = _bases(poles, s)
    normal = np.einsum("cpni,cpnj->cpij", basis, basis)
    k = normal.shape[-1]
    normal[..., np.arange(k), np.arange(k)] += 1e-9 * s.t.shape[1]
    right = np.einsum("cpni,pn->cpi", basis, s.y[0])
    gained = (right * np.linalg.solve(normal, right[..., None])[..., 0]).sum((1, 2))
    return np.asarray(np.maximum((s.y[0] ** 2).sum() - gained, 1e-12))


def _scan(f: Array, s: Swings, beside: Array, dampings: tuple[float, ...] = _DAMPINGS) -> tuple[Array, Array]:
    """What is left with one more swing at each frequency beside the poles ``beside`` (k, 2), and with which damping."""
    out = []
    for damping in dampings:
        left = []
        for some in np.array_split(f, max(1, len(f) // _AT_ONCE)):
            more = np.stack([some, np.full(len(some), damping)], axis=1)[:, None]
            left.append(_left(np.concatenate([np.broadcast_to(beside, (len(some), *beside.shape)), more], axis=1), s))
        out.append(np.concatenate(left))
    best = np.argmin(out, axis=0)
    return np.min(out, axis=0), np.array(dampings)[best]


def _gained(s: Swings, left: Array) -> Array:
    """What each frequency alone explains: a mean square."""
    return np.asarray((float((s.y[0] ** 2).sum()) - left) / s.count)


def _fits(f: Array, s: Swings, alone: tuple[Array, Array]) -> list[modes.Fit]:
    """With one and with two modes; ``alone``: what each frequency leaves by itself."""
    out, poles = [], np.empty((0, 2))
    for k in range(_MOST_MODES):
        left, damping = _scan(f, s, poles) if k else alone
        tops = _lowest(left)[:3]
        tried = [_refined(np.vstack([poles, [f[i], damping[i]]]), f, s) for i in tops]
        poles = min(tried, key=lambda p: float(_left(p[None], s)[0]))
        out.append(_fit(poles, s))
    return out


def _lowest(left: Array) -> list[int]:
    """The dips of what is left, the deepest first."""
    dips = np.flatnonzero((left[1:-1] <= left[:-2]) & (left[1:-1] < left[2:])) + 1
    return sorted(dips.tolist() or [int(left.argmin())], key=lambda i: left[i])


def _refined(poles: Array, f: Array, s: Swings) -> Array:
    """The poles moved to where the least is left, in logarithms, near where they began."""
    u = np.log(poles).ravel()
    low = np.tile(np.log([f[0], modes.LEAST_DAMPING]), len(poles))
    high = np.tile(np.log([f[-1], modes.MOST_DAMPING]), len(poles))
    step, now = np.tile([0.01, 0.3], len(poles)), float(_left(poles[None], s)[0])
    for _ in range(40):
        # All points of a star around it at once; the step shrinks where none is better.
        star = np.clip(np.concatenate([u + np.diag(step), u - np.diag(step)]), low, high)
        left = _left(np.exp(star).reshape(len(star), -1, 2), s)
        slope, bend = (left[: len(u)] - left[len(u) :]) / 2, left[: len(u)] + left[len(u) :] - 2 * now
        newton = np.clip(u - np.where(bend > 0, slope / np.maximum(bend, 1e-30), 0.0) * step, u - step, u + step)
        trial = np.clip(newton, low, high)
        then = float(_left(np.exp(trial).reshape(1, -1, 2), s)[0])
        options = [(now, u), (then, trial), (float(left.min()), star[left.argmin()])]
        best, moved = min(options, key=lambda o: o[0])
        if best >= now * (1 - 1e-9):
            step = step / 3
            if step.max() < 1e-4:
                break
        now, u = best, moved
    return np.exp(u).reshape(-1, 2)


def _fit(poles: Array, s: Swings) -> modes.Fit:
    """The poles with their uncertainty, from the curvature of what is left."""
    poles = poles[np.argsort(poles[:, 0])]
    k, pieces = len(poles), s.t.shape[0]
    basis = _bases(poles[None], s)[0]
    normal = np.einsum("pni,pnj->pij", basis, basis) + 1e-9 * np.eye(basis.shape[-1])
    c = np.linalg.solve(normal, np.einsum("pni,pn->pi", basis, s.y[0])[..., None])[..., 0]
    total = float(_left(poles[None], s)[0])
    degrees = max(s.count - 2 * k - c.size, 1)
    u = np.log(poles).ravel()
    step = np.tile([2e-3, 5e-2], k)
    curved = np.empty((2 * k, 2 * k))
    for i in range(2 * k):
        for j in range(i, 2 * k):
            corners = []
            for a, b in ((1, 1), (1, -1), (-1, 1), (-1, -1)):
                at = u.copy()
                at[i] += a * step[i]
                at[j] += b * step[j]
                corners.append(np.exp(at).reshape(-1, 2))
            pp, pm, mp, mm = _left(np.stack(corners), s)
            # On the diagonal the corners are two steps to either side.
            curved[i, j] = curved[j, i] = (pp - pm - mp + mm) / (4 * step[i] * step[j])
    covariance = np.linalg.pinv(curved / 2, rcond=1e-12) * total / degrees
    sigma = np.sqrt(np.maximum(np.diag(covariance), 0.0))
    w = 2 * np.pi * poles[:, 0]
    energy = (c[:, :k] ** 2 + c[:, k : 2 * k] ** 2).sum(0) / (4 * poles[:, 1] * w)
    energy = energy / max(float(energy.sum()), 1e-300)
    found = [
        modes.FoundMode(
            float(poles[i, 0]), float(poles[i, 1]), float(poles[i, 0] * sigma[2 * i]),
            float(poles[i, 1] * sigma[2 * i + 1]), float(energy[i]),
        )
        for i in range(k)
    ]  # fmt: skip
    objective = 0.5 * s.count * float(np.log(total / s.count + 1e-300))
    return modes.Fit(found, np.zeros(0), objective, (2 + 2 * pieces) * k + pieces, 1.0, total / s.count)


def _elsewhere(f: Array, s: Swings, fit: modes.Fit, mode: modes.FoundMode, alone: tuple[Array, Array]) -> list[float]:
    """Other frequencies (Hz) that explain about as much as a mode does, beside the fit's others."""
    others = np.array([[m.hz, m.damping] for m in fit.modes if abs(m.hz / mode.hz - 1) > 1e-6]).reshape(-1, 2)
    without = float(_left(others[None], s)[0]) if len(others) else float((s.y[0] ** 2).sum())
    with_it = fit.left * s.count
    left, _ = _scan(f, s, others) if len(others) else alone
    as_good = without - _AS_GOOD * (without - with_it)
    found = [float(f[i]) for i in _lowest(left) if left[i] < as_good and abs(float(f[i]) / mode.hz - 1) > _APART]
    # The best of them, where there are many.
    return sorted(found[:_NAMED])
