"""The pitch of a struck string from its partials: spectrum of a stretch of sound, peaks, and the harmonic fit.

f_n = n f_0 sqrt(1 + B n^2). The fundamental may be missing; partials may be missing where the string was plucked.
"""

from __future__ import annotations

import functools
from dataclasses import dataclass

import numpy as np
import scipy.fft as sfft
from numpy.typing import NDArray

from .conditioning import BAND_HZ

Array = NDArray[np.float64]

#: Accepted range of f_0 (Hz).
LOWEST_HZ, HIGHEST_HZ = 15.0, 500.0
#: Highest partial that is used.
MOST_PARTIALS = 14
#: Spread of inharmonicity before anything is heard (half-normal); belts lie between 1e-5 and 2e-3.
_B_PRIOR = 8e-4
#: Share of a stretch in which its window rises.
_RISE = 0.2
_B_GRID = np.array([0.0, 1e-4, 3e-4, 6e-4, 1e-3, 1.4e-3, 1.9e-3])
#: Of a peak's power, for its weight: 20 dB down counts a third. Cost (nats) of a peak that is none of the string's,
#: and of a partial that should be there. Small microphones hear nothing below some 200 Hz. By trial on simulated belts
#: of which others ring along.
_LEVEL_POWER, _STRANGE, _ABSENT, _DEAF_BELOW_HZ = 0.25, 1.0, 0.7, 200.0
#: How far levels scatter about the plain law (dB), and what one that lies far off costs at most (nats).
_LEVEL_SPREAD_DB, _MOST_STRANGE = 6.0, 2.0

# Criteria of peaks, candidates and the fit. Where no other reason is given they were chosen on the simulator's recordings
# (belts of which others ring along, rooms, rubs, talk): real ones were not to be had.
#: Padding of a spectrum: at least so many points, and so many times the stretch, so that a peak's top is not missed.
_LEAST_POINTS, _PADDING = 16384, 6
#: The sound before a pluck counts as its floor from this length (s), and with this share: the string may still ring.
_LEAST_BEFORE_S, _SHARE_OF_BEFORE = 0.06, 0.15
#: Width in which the floor is taken as even (Hz), and the lower quartile of a power that is chance (exponential: -ln 0.75).
_FLOOR_HZ, _QUARTILE_OF_CHANCE = 60.0, 0.288
#: Peaks: kept at most, power over the floor, share of the strongest (-55 dB), how far under the lowest pitch they are still
#: looked for, and how many tops are looked at.
_MOST_PEAKS, _LEAST_EXCESS, _LEAST_OF_STRONGEST, _UNDER_LOWEST, _MOST_TOPS = 18, 12.0, 3e-6, 0.9, 120
#: A Hann window's main lobe and first side lobes (bins of the stretch): nearer to a stronger peak than these times it, a top
#: is none; between the two it is one if it is over this share of the stronger (-27 dB; the window's side lobes are at -31).
_LOBE, _NEAR_LOBE, _FAR_LOBE, _SIDE_LOBE = 3.2, 0.75, 2.2, 2e-3
#: The strongest peaks that are divided by 1 to so many, those whose spacing is taken, and how far over the highest pitch a
#: candidate may lie (its own fit then comes down).
_DIVIDED, _LARGEST_DIVISOR, _SPACED, _OVER_HIGHEST = 10, 10, 12, 1.02
#: A peak's weight: this power of its level, and full from 20 dB over the floor down to this least.
_WEIGHT_POWER, _CLEAR_DECADES, _LEAST_WEIGHT = 0.2, 2.0, 0.1
#: How far a peak may lie from its partial: of the stretch's own resolution, of its frequency (what a belt wavers), and at most
#: of the pitch; a hit is within twice that, under this share of the pitch, and no higher than this times the partials used.
_RESOLUTION, _WAVER, _MOST_OF_PITCH, _HIT_OF_PITCH, _HIGHEST_HIT = 0.55, 0.004, 0.1, 0.22, 2.5
#: What harmonicity takes off: for what is not explained, for what is missing, and for each partial missing at the low end.
_UNEXPLAINED, _MISSING, _LOW_MISSING = 0.3, 0.8, 0.03
#: A partial is heard from this weight; at most so many missing in a row count (a plucking node makes no more).
_HEARD_WEIGHT, _MOST_GAP = 0.02, 3
#: No candidate says less than this (nats, or a score), and a number that no partial has.
_NOTHING, _LEAST_TOLD, _NO_PARTIAL = -9.0, -99.0, 99
#: Spread of a peak about its partial: of the resolution, and of its frequency; and the square root of 2 pi.
_SPREAD_RESOLUTION, _SPREAD_WAVER, _ROOT_2_PI = 0.35, 0.003, 2.507
#: Cost of partials missing below the lowest heard, each, beyond those that a microphone does not hear.
_LOW_COST, _MOST_LOW = 0.12, 8
#: Levels within so much of the loudest set the offset of a pluck's plain law (dB).
_LEVELS_WITHIN_DB = 25.0
#: Plucks as they may be: places on the string, silence at a node (-24 dB), falls with n (powers), losses (dB a partial), and
#: the low ends of microphones (Hz).
_PLACES = np.concatenate([np.linspace(0.04, 0.2, 8), np.linspace(0.22, 0.5, 12)])
_AT_NODE = 0.06
_FALLS, _LOSSES_DB, _CORNERS_HZ = np.array([0.8, 1.3, 2.0]), np.array([0.0, 1.2, 3.0]), np.array([1.0, 120.0, 300.0])
#: Where the fit looks for a partial: within this of it, of the resolution, and of the pitch at most.
_REACH, _REACH_RESOLUTION, _REACH_OF_PITCH = 0.012, 1.4, 0.3
#: A partial of the fit stands this much over the floor, and over this share of the strongest (-60 dB).
_STANDS_OVER, _FIT_OF_STRONGEST = 6.0, 1e-6
#: Spread of a Hann peak in noise (of 1 over length and root of the excess), and what a belt itself wavers.
_PEAK_SPREAD, _BELT_WAVER = 0.55, 4e-4
#: A partial further off than so many of its own spreads (and of this share of its frequency) is left out.
_OFF_SPREADS, _OFF_WAVER = 3.5, 1e-3
#: Following the pitch: blocks of two periods, of this length at least (s); a block counts over this share of the first's
#: energy (-27 dB); the times with which a pitch settles (s); least slope of a course that is taken out; and what is not known
#: of it.
_BLOCK_S, _BLOCK_ENERGY, _SETTLING_S, _LEAST_SLOPE, _SETTLING_UNKNOWN = 0.025, 2e-3, (0.08, 0.15, 0.3, 0.6), 1e-3, 0.15


@dataclass(frozen=True)
class Spectrum:
    """Power spectrum of a stretch. ``power`` (m,), ``floor`` (m,) what would be there without the pluck; bins of ``df`` Hz.

    ``seconds``: length of the stretch, which sets how finely frequencies can be told apart.
    """

    power: Array
    floor: Array
    df: float
    seconds: float


@dataclass(frozen=True)
class Peaks:
    """``hz`` (k,), ``power`` (k,), ``excess`` (k,) power over the floor; strongest first."""

    hz: Array
    power: Array
    excess: Array


@dataclass(frozen=True)
class Partial:
    """One partial: its number, frequency, standard uncertainty (Hz) and level (dB under the strongest)."""

    n: int
    hz: float
    sigma_hz: float
    level_db: float


@dataclass(frozen=True)
class StringFit:
    """The fit of one stretch: ``f0_hz`` freed of stiffness with its standard uncertainty, B, and the partials used."""

    f0_hz: float
    sigma_hz: float
    b: float
    partials: list[Partial]


def stretch_power(x: Array, rate_hz: float, size: int) -> Array:
    """Power spectrum of ``x`` (n,) padded to ``size``, scaled by window energy.

    The window rises at once and falls slowly, as a pluck does: a belt rings for a tenth of a second, and the higher
    its pitch the shorter. An even window would hear what rings along lower and longer.
    """
    rise = max(2, int(_RISE * len(x)))
    window = np.concatenate(
        [
            0.5 - 0.5 * np.cos(np.pi * np.arange(1, rise + 1) / rise),
            0.5 + 0.5 * np.cos(np.pi * np.linspace(0, 1, len(x) - rise)),
        ]
    )
    power: Array = np.abs(sfft.rfft(x * window, size)) ** 2 / (window @ window)
    return power


def spectrum_of(x: Array, before: Array | None, rate_hz: float) -> Spectrum:
    """Spectrum of a stretch after a pluck, with the floor from its own neighbourhood and from the sound before."""
    size = sfft.next_fast_len(max(_LEAST_POINTS, _PADDING * len(x)), real=True)
    power = stretch_power(x, rate_hz, size)
    df = rate_hz / size
    floor = _local_floor(power, df)
    if before is not None and len(before) >= _LEAST_BEFORE_S * rate_hz:
        # A tone's peak grows with the length of the stretch: bring the shorter look to the same length.
        reference = stretch_power(before[-len(x) :], rate_hz, size) * max(1.0, len(x) / len(before))
        # Not in full: the string itself may still ring from the pluck before; steady tones are already gone.
        floor = np.maximum(floor, _SHARE_OF_BEFORE * reference)
    return Spectrum(power, floor, df, len(x) / rate_hz)


def _local_floor(power: Array, df: float) -> Array:
    """Lower quartile of the power in blocks of 60 Hz, joined by lines; raised to the mean that noise would have."""
    width = max(8, int(_FLOOR_HZ / df))
    m = len(power) // width
    blocks = np.quantile(power[: m * width].reshape(m, width), 0.25, axis=1) / _QUARTILE_OF_CHANCE
    centres = (np.arange(m) + 0.5) * width
    floor: Array = np.exp(np.interp(np.arange(len(power)), centres, np.log(blocks + 1e-30)))
    return floor


def find_peaks(s: Spectrum, most: int = _MOST_PEAKS, least_excess: float = _LEAST_EXCESS) -> Peaks:
    """The strongest peaks that stand over the floor and are no side lobe of a stronger one.

    Parameters
    ----------
    s : Spectrum
        Of a stretch after a pluck.
    most : int
        How many are kept.
    least_excess : float
        Power over the floor from which on a peak is one.

    Returns
    -------
    Peaks
        Strongest first; frequencies by a parabola through the logarithm of three bins.

    Examples
    --------
    >>> x = np.sin(2 * np.pi * 200 * np.arange(8000) / 8000) + 1e-3 * np.random.default_rng(1).standard_normal(8000)
    >>> [round(float(hz)) for hz in find_peaks(spectrum_of(x, None, 8000.0), most=1).hz]
    [200]
    """
    p = s.power
    top = np.flatnonzero((p[1:-1] > p[:-2]) & (p[1:-1] >= p[2:])) + 1
    top = top[
        (top * s.df > _UNDER_LOWEST * LOWEST_HZ)
        & (top * s.df < BAND_HZ)
        & (p[top] > least_excess * s.floor[top])
        & (p[top] > p.max() * _LEAST_OF_STRONGEST)
    ]
    top = top[np.argsort(p[top])[::-1]][:_MOST_TOPS]
    lobe = _LOBE / s.seconds / s.df  # distance within which a Hann side lobe may still pass for a peak
    apart = np.abs(top[:, None] - top[None, :])
    # [weaker, stronger]: whether the stronger takes the weaker's place.
    hides = (apart <= lobe * _NEAR_LOBE) | (
        (apart <= _FAR_LOBE * lobe) & (p[top][:, None] <= _SIDE_LOBE * p[top][None, :])
    )
    free = np.ones(len(top), dtype=bool)
    kept: list[int] = []
    for k in range(len(top)):
        if free[k]:
            kept.append(int(top[k]))
            free &= ~hides[:, k]
        if len(kept) == most:
            break
    idx = np.array(kept, dtype=int)
    return Peaks(_vertex(p, idx) * s.df, p[idx], p[idx] / s.floor[idx])


def _vertex(power: Array, idx: NDArray[np.int_]) -> Array:
    """Peak places by a parabola through the logarithm of three bins, in bins."""
    if len(idx) == 0:
        return idx.astype(float)
    left, mid, right = (np.log(power[idx + d] + 1e-300) for d in (-1, 0, 1))
    curve = left - 2 * mid + right
    shift = np.where(curve < 0, 0.5 * (left - right) / np.where(curve < 0, curve, -1), 0.0)
    places: Array = idx + np.clip(shift, -0.5, 0.5)
    return places


def candidates(peaks: Peaks) -> Array:
    """Fundamentals that the peaks could belong to.

    Parameters
    ----------
    peaks : Peaks
        Strongest first.

    Returns
    -------
    (c,) ndarray
        Hz, rising: each strong peak over 1 to 10, and the spacing of neighbours over 1, 2 and 3; none outside the accepted range.

    Examples
    --------
    >>> heard = Peaks(np.array([200.0, 300.0]), np.ones(2), np.full(2, 100.0))
    >>> 100.0 in candidates(heard)
    True
    """
    if len(peaks.hz) == 0:
        return np.zeros(0)
    strongest = peaks.hz[:_DIVIDED]
    over = (strongest[:, None] / np.arange(1, _LARGEST_DIVISOR + 1)).ravel()
    ordered = np.sort(peaks.hz[:_SPACED])
    spacing = np.concatenate([np.diff(ordered), np.diff(ordered) / 2, np.diff(ordered) / 3])
    all_ = np.concatenate([over, spacing])
    all_ = np.unique(all_[(all_ > LOWEST_HZ) & (all_ < HIGHEST_HZ * _OVER_HIGHEST)])
    return all_


def _clearness(peaks: Peaks) -> Array:
    """How far each peak stands out of the floor, as a weight."""
    weight: Array = np.clip(np.log10(peaks.excess) / _CLEAR_DECADES, _LEAST_WEIGHT, 1.0)
    return weight


def harmonicity(peaks: Peaks, f0: Array, seconds: float) -> Array:
    """How well each candidate (c,) explains the peaks, about -1 … 1.

    Explained weight less unexplained weight, less the weight of partials that should stand between those heard
    and do not: half of its partials would be missing for a candidate an octave too low, and every other peak
    is unexplained for one an octave too high.
    """
    if len(peaks.hz) == 0 or len(f0) == 0:
        return np.full(len(f0), -1.0)
    weight = (peaks.power / peaks.power.max()) ** _WEIGHT_POWER * _clearness(peaks)
    order = np.argsort(peaks.hz)
    hz, weight = peaks.hz[order], weight[order]
    best = np.full(len(f0), _NOTHING)
    f0 = np.asarray(f0, dtype=float)
    for b in _B_GRID:
        # Invert p = n f0 sqrt(1 + B n^2) for n.
        ratio = hz[None, :] / f0[:, None]
        n_exact = ratio if b == 0 else np.sqrt((np.sqrt(1 + 4 * b * ratio**2) - 1) / (2 * b))
        n = np.rint(n_exact)
        error = np.abs(n_exact - n) * f0[:, None]
        tolerance = _RESOLUTION / seconds + np.minimum(_WAVER * hz[None, :], _MOST_OF_PITCH * f0[:, None])
        hit = (
            (n >= 1)
            & (n <= _HIGHEST_HIT * MOST_PARTIALS)
            & (error < 2 * tolerance)
            & (error < _HIT_OF_PITCH * f0[:, None])
        )
        close = np.where(hit, np.exp(-0.5 * (error / tolerance) ** 2), 0.0)
        explained = (close * weight).sum(axis=1)
        unexplained = ((1 - close) * weight).sum(axis=1)
        missing = _missing_weight(n, close * weight)
        lowest = np.where(hit, n, _NO_PARTIAL).min(axis=1)
        score = (explained - _UNEXPLAINED * unexplained - _MISSING * missing) / weight.sum() - _LOW_MISSING * (
            lowest - 1
        )
        best = np.maximum(best, score)
    return best


def _missing_weight(n: Array, weight: Array) -> Array:
    """Weight of the partials absent between those heard: each as much as the lesser of its two heard neighbours.

    ``n``, ``weight`` (c, k): partial number and explained weight of each peak, peaks in rising order.
    A missing run counts as one plucking node would make it: the string may be silent at every second, third …
    """
    # A row for each peak: all candidates at once, side by side in memory.
    n, weight = np.ascontiguousarray(n.T), np.ascontiguousarray(weight.T)
    heard = weight > _HEARD_WEIGHT
    missing = np.zeros(n.shape[1])
    # Nothing is heard yet: whatever comes first is no gap.
    last_n, last_w = np.full(n.shape[1], np.inf), np.zeros(n.shape[1])
    for here, n_j, w_j in zip(heard, n, weight, strict=True):
        gap = np.clip(n_j - last_n - 1, 0, _MOST_GAP)
        missing += np.where(here, gap * np.minimum(last_w, w_j), 0.0)
        last_w = np.where(here, np.where(n_j == last_n, np.maximum(last_w, w_j), w_j), last_w)
        last_n = np.where(here, n_j, last_n)
    return missing


@dataclass(frozen=True)
class Told:
    """What candidates say (c,): ``nats`` of evidence in all, ``placed`` of it by where the peaks lie, ``b`` stiffness."""

    nats: Array
    placed: Array
    b: Array


def evidence(peaks: Peaks, f0: Array, seconds: float) -> Told:
    """How much each candidate (c,) says about where the peaks lie, in nats, against peaks strewn evenly.

    A peak that falls on a partial counts the more the fewer partials there are for it to fall on by chance
    (ln of their distance over the peak's own spread): a pitch far below, whose comb meets everything, explains
    nothing. One that falls on none may be another belt's: it costs a little, once. Partials that should stand
    between those heard, or below them where a microphone hears, cost, too. Weights fall with the level, so that
    what rings along is no more than that.
    """
    f0 = np.asarray(f0, dtype=float)
    if len(peaks.hz) == 0 or len(f0) == 0:
        return Told(*(np.full(len(f0), v) for v in (_NOTHING, _NOTHING, 0.0)))
    weight = (peaks.power / peaks.power.max()) ** _LEVEL_POWER * _clearness(peaks)
    order = np.argsort(peaks.hz)
    hz, weight = peaks.hz[order], weight[order]
    spread = _SPREAD_RESOLUTION / seconds + _SPREAD_WAVER * hz[None, :]
    best = Told(np.full(len(f0), _LEAST_TOLD), np.full(len(f0), _LEAST_TOLD), np.zeros(len(f0)))
    for b in _B_GRID[::2]:
        ratio = hz[None, :] / f0[:, None]
        n_exact = ratio if b == 0 else np.sqrt((np.sqrt(1 + 4 * b * ratio**2) - 1) / (2 * b))
        n = np.maximum(np.rint(n_exact), 1)
        error = np.abs(n_exact - n) * f0[:, None]
        gain = np.log(f0[:, None] / (spread * _ROOT_2_PI)) - 0.5 * (error / spread) ** 2
        told = np.maximum(gain, -_STRANGE)
        hit = told > -_STRANGE
        hit_weight = np.where(hit, weight, 0.0)
        lowest = np.where(hit, n, _NO_PARTIAL).min(axis=1)
        at_lowest = np.where(n == lowest[:, None], hit_weight, 0).max(axis=1)
        deaf = np.clip(_DEAF_BELOW_HZ / f0, 0, lowest - 1)
        low = at_lowest * np.clip(lowest - 1 - deaf, 0, 4) + _LOW_COST * np.minimum(lowest - 1, _MOST_LOW)
        placed = (told * weight).sum(axis=1)
        nats = placed - _ABSENT * (_missing_weight(n, hit_weight) + low)
        better = nats > best.nats
        best = Told(
            *(np.where(better, x, y) for x, y in zip((nats, placed, b), (best.nats, best.placed, best.b), strict=True))
        )
    return best


def unlike_a_pluck(s: Spectrum, f0: float, b: float, highest_hz: float) -> float:
    """How far the levels of a candidate's partials are from any pluck's, in nats (0: just like one).

    A string plucked at the share p of its length has partials as |sin(n pi p)|, falling with n, cut at the low end by
    a microphone: no place and no fall makes every second or all but every third one weak. ``highest_hz``: up to where
    partials are looked for.
    """
    n = np.arange(1, MOST_PARTIALS + 1)
    hz = n * f0 * np.sqrt(1 + b * n * n)
    reach = np.maximum(_SPREAD_RESOLUTION / s.seconds + _SPREAD_WAVER * hz, 1.5 * s.df)
    # The spectrum holds all of a partial's stretch, or it is not looked for.
    keep = (hz < highest_hz) & (hz + reach < (len(s.power) - 4) * s.df)
    n, hz, reach = n[keep], hz[keep], reach[keep]
    if len(n) < 2:
        return 0.0
    lo, hi = ((hz - reach) / s.df).astype(int), ((hz + reach) / s.df).astype(int) + 2
    # The highest of each stretch; those between them are passed over.
    level = 10 * np.log10(np.maximum.reduceat(s.power, np.column_stack([lo, hi]).ravel())[::2] + 1e-30)
    quiet = 10 * np.log10(_STANDS_OVER * s.floor[((lo + hi) / 2).astype(int)] + 1e-30)
    heard = level > quiet
    if not heard.any():
        return _MOST_STRANGE * len(n)
    shape = _pluck_levels(hz)  # (shapes, n)
    counts = heard & (level > level[heard].max() - _LEVELS_WITHIN_DB)
    offset = np.median(level[counts] - shape[:, counts], axis=1, keepdims=True)
    wanted = shape + offset
    seen = np.maximum(level, quiet)
    wanted = np.where(heard, wanted, np.maximum(wanted, quiet))
    cost = np.minimum(0.5 * ((seen - wanted) / _LEVEL_SPREAD_DB) ** 2, _MOST_STRANGE)
    return float(cost.sum(axis=1).min())


def _pluck_levels(hz: Array) -> Array:
    """Levels (dB) of partials 1, 2 … at ``hz`` for plucking places, falls with n, losses, microphones: (shapes, len(hz))."""
    corner = _CORNERS_HZ[:, None]
    low = 20 * np.log10((hz / corner) ** 2 / np.sqrt(1 + (hz / corner) ** 4))
    shapes: Array = (_string_levels(len(hz))[:, None, :] + low).reshape(-1, len(hz))
    return shapes


@functools.cache
def _string_levels(partials: int) -> Array:
    n = np.arange(1, partials + 1)
    pluck = 20 * np.log10(np.maximum(np.abs(np.sin(np.pi * _PLACES[:, None] * n)), _AT_NODE))
    fall = -_FALLS[:, None] * 20 * np.log10(n)
    loss = -_LOSSES_DB[:, None] * (n - 1)
    levels: Array = (pluck[:, None, None] + fall[None, :, None] + loss[None, None]).reshape(-1, partials)
    return levels


def fit_string(s: Spectrum, f0: float, b: float | None = None) -> StringFit | None:
    """Fit f_0 and B to the partials of a spectrum near a first guess.

    Parameters
    ----------
    s : Spectrum
        Of a stretch after a pluck.
    f0 : float
        The guess (Hz).
    b : float or None
        A guess of the inharmonicity.

    Returns
    -------
    StringFit or None
        None where no partial stands.

    Notes
    -----
    (f_n / n)^2 = f_0^2 + (f_0^2 B) n^2, by weighted least squares with a prior on B; partials that lie off are left out.

    Examples
    --------
    A string at 100 Hz with B = 0.001, guessed at 101:

    >>> t = np.arange(8000) / 8000
    >>> x = sum(np.sin(2 * np.pi * n * 100 * np.sqrt(1 + 1e-3 * n * n) * t) / n for n in range(1, 7))
    >>> fit = fit_string(spectrum_of(x + 1e-4 * np.random.default_rng(1).standard_normal(8000), None, 8000.0), 101.0)
    >>> round(fit.f0_hz, 1), round(fit.b, 4)
    (100.0, 0.001)
    """
    p = s.power
    guess_b = 0.0 if b is None else b
    resolution = 0.5 / s.seconds
    found: list[Partial] = []
    strongest = 0.0
    base = f0
    for n in range(1, MOST_PARTIALS + 1):
        centre = n * base * np.sqrt(1 + guess_b * n * n)
        reach = min(max(_REACH * centre, _REACH_RESOLUTION * resolution), _REACH_OF_PITCH * f0)
        lo, hi = int((centre - reach) / s.df), int((centre + reach) / s.df) + 2
        if hi >= len(p) - 1:
            break
        k = lo + int(np.argmax(p[lo:hi]))
        if k <= lo or k >= hi - 1 or p[k] < _STANDS_OVER * s.floor[k] or p[k] < p.max() * _FIT_OF_STRONGEST:
            continue
        hz = float(_vertex(p, np.array([k]))[0] * s.df)
        excess = p[k] / s.floor[k]
        # Spread of a Hann peak in noise (about 0.5 / (T sqrt(snr))) and what a belt itself wavers.
        sigma = np.hypot(_PEAK_SPREAD / (s.seconds * np.sqrt(excess)), _BELT_WAVER * hz)
        found.append(Partial(n, hz, float(sigma), float(p[k])))
        strongest = max(strongest, float(p[k]))
        if len(found) in (3, 5, 8):
            base, guess_b, _ = _solve(found)
    while found:
        f, guess_b, sigma_f = _solve(found)
        off = [
            abs(q.hz - q.n * f * np.sqrt(1 + guess_b * q.n**2)) / np.hypot(q.sigma_hz, _OFF_WAVER * q.hz) for q in found
        ]
        worst = int(np.argmax(off))
        if off[worst] < _OFF_SPREADS or len(found) <= 2:
            chi = np.sqrt(np.mean(np.square(off))) if len(found) > 2 else 1.0
            levels = [Partial(q.n, q.hz, q.sigma_hz, 10 * float(np.log10(q.level_db / strongest))) for q in found]
            return StringFit(float(f), float(sigma_f * max(1.0, chi)), float(guess_b), levels)
        found.pop(worst)
    return None


def _solve(partials: list[Partial]) -> tuple[float, float, float]:
    """(f_0, B, standard uncertainty of f_0) by weighted least squares in squared frequencies, B ≥ 0."""
    n = np.array([q.n for q in partials], dtype=float)
    y = np.array([q.hz / q.n for q in partials])
    sigma = np.array([q.sigma_hz / q.n for q in partials])
    w = 1 / (2 * y * sigma) ** 2
    scale = float(y.min() ** 2)
    # Rows: data, and the prior on f0^2 B around zero.
    a11, a12, a22 = w.sum(), (w * n**2).sum(), (w * n**4).sum() + 1 / (scale * _B_PRIOR) ** 2
    b1, b2 = (w * y**2).sum(), (w * n**2 * y**2).sum()
    det = a11 * a22 - a12 * a12
    f2, slope = (a22 * b1 - a12 * b2) / det, (a11 * b2 - a12 * b1) / det
    variance = a22 / det
    if slope < 0:
        f2, slope = b1 / a11, 0.0
    f = float(np.sqrt(max(f2, 1e-9)))
    return f, float(slope / f2), float(np.sqrt(variance) / (2 * f))


@dataclass(frozen=True)
class Course:
    """How a stretch goes on: ``shift`` (relative) brings its pitch to that at rest, with ``spread``; ``wander`` is the
    r.m.s. relative wandering of the pitch about that course; ``kept`` the energy of its last third over its first.
    """

    shift: float = 0.0
    spread: float = 0.0
    wander: float = 0.0
    kept: float = 0.0


def follow(x: Array, rate_hz: float, fit: StringFit) -> Course:
    """Follow the strongest partials of a stretch in time.

    A hard pluck lengthens the belt, so its pitch begins sharp and falls with the square of the amplitude. The
    relative frequency is extrapolated to no amplitude; where the slope is not clearly there, nothing is changed.
    """
    strongest = sorted(fit.partials, key=lambda q: -q.level_db)[:3]
    block = max(int(2.0 / fit.f0_hz * rate_hz), int(_BLOCK_S * rate_hz))
    m = len(x) // block
    if m < 4:
        return Course()
    t = np.arange(m * block) / rate_hz
    taper = np.hanning(block + 2)[1:-1]
    amplitude = np.zeros(m)
    shift, weight = np.zeros(m - 1), np.zeros(m - 1)
    for q in strongest:
        z = (x[: m * block] * np.exp(-2j * np.pi * q.hz * t)).reshape(m, block) @ taper
        turn = np.angle(z[1:] * np.conj(z[:-1])) / (2 * np.pi) * rate_hz / block / q.hz
        w = np.abs(z[1:] * z[:-1]) * q.n**2
        shift += w * turn
        weight += w
        amplitude += np.abs(z) ** 2
    third = max(1, m // 3)
    kept = float(amplitude[-third:].sum() / (amplitude[:third].sum() + 1e-300))
    shift /= weight + 1e-300
    energy = 0.5 * (amplitude[1:] + amplitude[:-1])
    energy /= energy.max() + 1e-300
    good = energy > _BLOCK_ENERGY
    if good.sum() < 3:
        return Course(kept=kept)
    d, w = shift[good], weight[good] / weight.max()
    at = np.flatnonzero(good) * block / rate_hz
    # The course of the squared amplitude: as the strongest partials have it, or a plain decay.
    courses = [energy[good], *(np.exp(-2 * at / tau) for tau in _SETTLING_S)]
    best = min((_line(e, d, w) for e in courses), key=lambda line: line.wander)
    if len(d) < 5 or best.slope < max(4 * best.slope_spread, _LEAST_SLOPE):
        return Course(wander=best.wander, kept=kept)
    return Course(best.start, float(np.hypot(best.start_spread, _SETTLING_UNKNOWN * best.start)), best.wander, kept)


@dataclass(frozen=True)
class _Line:
    start: float
    start_spread: float
    slope: float
    slope_spread: float
    wander: float


def _line(e: Array, d: Array, w: Array) -> _Line:
    """Weighted straight line d = start + slope e, with spreads from its own scatter."""
    a = np.stack([np.ones_like(e), e])
    normal = (a * w) @ a.T + np.eye(2) * 1e-12
    solution = np.linalg.solve(normal, (a * w) @ d)
    left2 = float((w * (d - a.T @ solution) ** 2).sum())
    cover = np.linalg.inv(normal) * left2 / max(1, len(e) - 2)
    spread = np.sqrt(np.diag(cover))
    return _Line(
        float(solution[0]), float(spread[0]), float(solution[1]), float(spread[1]), float(np.sqrt(left2 / w.sum()))
    )
