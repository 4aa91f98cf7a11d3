"""From an accelerometer's rows to evenly spaced samples: rate, jitter, gaps, resampling, decimation.

Not here: what the samples mean.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
import scipy.fft as sfft
from numpy.typing import NDArray

from ..errors import BadInput

Array = NDArray[np.float64]

#: Shorter than this, neither a sweep nor a decay with the quiet after it can be told.
_SHORTEST_S = 1.0

# Criteria of a clock and of what it read. Where no other reason is given they were chosen on simulated sensors (jitter, rounded
# stamps, lost rows, clipping): real records were not to be had.
#: Fewer rows are no record.
_LEAST_ROWS = 64
#: A step longer than this (usual steps), and than so many usual deviations, is a gap: one row was lost. Median deviation of a
#: normal spread over one.
_GAP_STEPS, _GAP_DEVIATIONS, _MAD = 1.75, 6.0, 1.4826
#: Steps are even under this jitter (of a step): then nothing is resampled.
_EVEN_JITTER = 1e-4
#: Rows further apart than this (steps) are not joined by a cubic; its four rows span three steps, and so many times it at most.
_TOO_FAR, _SPAN_TOO_FAR = 2.2, 2.5
#: Steps to which stamps are rounded (s), coarse from this share of the usual step on; a stamp is a whole number of them within
#: this much, and what a float of seconds holds.
_ROUND_TO_S, _COARSE, _WHOLE, _OF_A_FLOAT = (1e-2, 5e-3, 1e-3, 5e-4, 1e-4), 0.1, 1e-3, 1e-7
#: A clock that leaves its straight line by more than this (rounding steps) wanders: it is followed in stretches so long (s).
_LEAVES_LINE, _FOLLOWED_S = 1.5, 1.0
#: Least time between rows once they are spread (usual steps).
_LEAST_STEP = 1e-3
#: Samples stand at the end of the range: from this share on, and so many, where they are more than this share of those just beside it
#: (within so much of the range), or so many times those at the next step of a coarse sensor. What reads fewer levels hardly moved.
_LEAST_CLIPPED, _FEWEST_CLIPPED, _OVER_BESIDE, _BESIDE, _OVER_NEXT, _FEWEST_LEVELS = 5e-4, 4, 0.5, 0.02, 3.0, 9
#: Aliasing is possible where the raw rate is under so many times the highest frequency, or where the top of its band (from)
#: holds so many times the power of its middle (from, to).
_ENOUGH_RATE, _TOP_FROM, _MIDDLE_FROM, _MIDDLE_TO, _TOP_OVER_MIDDLE = 2.5, 0.85, 0.4, 0.7, 10.0
#: What is kept: so many samples a period of the highest frequency; thinned out from this much more on.
_A_PERIOD, _WORTH_THINNING, _LEAST_SAMPLES = 4, 1.3, 16
#: Lost samples are filled by a model of this order, from so many orders around; not where more are lost (orders), or less is
#: known (orders).
_ORDER, _AROUND, _MOST_LOST, _LEAST_KNOWN = 24, 40, 12, 4


@dataclass(frozen=True)
class Even:
    """Evenly spaced samples. ``values`` (channels, n), mean taken out; ``rate_hz`` of these, ``raw_rate_hz`` as they came.

    ``missing``: (n,) True where samples were lost and are filled. ``jitter``: standard deviation of the steps over the
    mean step. ``gaps``: how many. ``aliasing``: whether power piles up at the top of the raw band. ``rounded``: the
    stamps were rounded to a coarse step and have been spread. ``clipped``: share of the samples at the end of the range.
    ``rest``: (channels,) the mean that was taken out: gravity, where the sensor tells it.
    """

    values: Array
    rate_hz: float
    raw_rate_hz: float
    missing: NDArray[np.bool_]
    jitter: float
    gaps: int
    aliasing: bool
    rounded: bool = False
    clipped: float = 0.0
    rest: Array = field(default_factory=lambda: np.zeros(3))

    @property
    def counted_out(self) -> bool:
        """Whether the times are perfectly even: no clock read them, the rate was taken for granted."""
        return self.jitter < 1e-7 and not self.gaps and not self.rounded

    @property
    def seconds(self) -> float:
        """Length in seconds."""
        return float(self.values.shape[1] / self.rate_hz)


def evenly(time_s: Array, values: Array, top_hz: float) -> Even:
    """Resample rows to even steps, fill gaps, and thin out to what is needed.

    Parameters
    ----------
    time_s : (n,) ndarray
        Times of the rows, rising; they may jitter, have gaps, or be rounded to a coarse step.
    values : (channels, n) ndarray
        What was read.
    top_hz : float
        Highest frequency that is asked for.

    Returns
    -------
    Even
        Samples at about four times ``top_hz``, and what the clock was like.

    Raises
    ------
    BadInput
        ``too_few_rows``, ``time_not_increasing``.

    Notes
    -----
    Rows between the true steps are interpolated with a cubic through the four nearest rows.

    Examples
    --------
    >>> t = np.arange(4000) / 2000
    >>> even = evenly(t, np.sin(2 * np.pi * 30 * t)[None, :], 100.0)
    >>> round(even.rate_hz), even.gaps, round(float(even.values.max()), 2)
    (400, 0, 1.0)
    """
    n = len(time_s)
    if n < _LEAST_ROWS:
        raise BadInput("too_few_rows", f"{n} rows only: a second or more of samples is needed.", "data")
    steps = np.diff(time_s)
    if steps.min() < 0:
        back = int(np.argmax(steps < 0)) + 1
        raise BadInput(
            "time_not_increasing",
            f"The time does not go forward at the {back + 1}. row of figures ({time_s[back]:g} s after {time_s[back - 1]:g} s).",
            "time_s",
            back + 2,
        )
    if time_s[-1] - time_s[0] < _SHORTEST_S:
        raise BadInput(
            "too_few_rows",
            f"The record is {time_s[-1] - time_s[0]:.2f} s long: {_SHORTEST_S:g} s or more is needed, ten or more is good.",
            "data",
        )
    time_s, rounded = spread_stamps(time_s)
    steps = np.diff(time_s)
    step = float(np.median(steps))
    # A clock that jitters makes long steps, too: those are no gaps.
    ragged = _MAD * float(np.median(np.abs(steps - step))) / step
    whole = steps < max(_GAP_STEPS, 1 + _GAP_DEVIATIONS * ragged) * step
    step = float(steps[whole].mean())
    jitter = float(steps[whole].std() / step)
    gaps = int((~whole).sum())
    clipped = _clipped(values)
    missing = np.zeros(0, bool)
    if jitter > _EVEN_JITTER or gaps:
        count = int((time_s[-1] - time_s[0]) / step) + 1
        at = time_s[0] + step * np.arange(count)
        values, missing = _cubic(time_s, values, at, _TOO_FAR * step)
    else:
        missing = np.zeros(n, bool)
    raw_rate = 1 / step
    rest = values.mean(axis=1)
    even = _thin(values - rest[:, None], missing, raw_rate, top_hz, jitter, gaps)
    return replace(even, rounded=rounded, clipped=clipped, rest=rest)


def spread_stamps(time_s: Array) -> tuple[Array, bool]:
    """Times of rows whose stamps were rounded to a coarse step.

    Parameters
    ----------
    time_s : (n,) ndarray
        Stamps; several rows may have the same.

    Returns
    -------
    (n,) ndarray, bool
        The times, and whether they had been rounded.

    Notes
    -----
    Rounded: every stamp is a whole number of steps of 0.1, 0.5, 1, 5 or 10 ms that are coarse beside the time from row to row.
    The sensor's own clock is steady between gaps: a straight line through each stretch is its time.

    Examples
    --------
    Milliseconds at 3 kHz:

    >>> true = np.arange(3000) / 3000
    >>> times, rounded = spread_stamps(np.round(true, 3))
    >>> rounded, bool(np.abs(times - true).max() < 5e-4)
    (True, True)
    """
    usual = float(time_s[-1] - time_s[0]) / (len(time_s) - 1)
    origin = time_s - time_s[0]
    coarse = next(
        (
            q
            for q in _ROUND_TO_S
            if q > _COARSE * usual and np.abs(origin / q - np.round(origin / q)).max() < _WHOLE + _OF_A_FLOAT / q
        ),
        None,
    )
    steps = np.diff(time_s)
    if coarse is None:
        if steps.min() > 0:
            return time_s, False
        coarse = float(np.median(steps[steps > 0]))
    even = float(np.ptp(steps)) < 1e-9 + 1e-6 * usual
    if even:
        return time_s, False
    out = np.empty(len(time_s))
    breaks = np.flatnonzero(steps > _TOO_FAR * max(usual, coarse)) + 1
    for lo, hi in zip(np.append(0, breaks), np.append(breaks, len(time_s)), strict=True):
        k = np.arange(hi - lo)
        piece = time_s[lo:hi]
        if len(k) < 8:
            # A few rows between gaps: evenly at the usual step.
            out[lo:hi] = piece[0] + usual * k
            continue
        slope, start = np.polyfit(k, piece, 1)
        line = start + slope * k
        # A clock that wanders is followed in stretches of a second or so.
        if np.abs(line - piece).max() > _LEAVES_LINE * coarse:
            width = max(8, int(_FOLLOWED_S / usual))
            kernel = np.hanning(min(width, len(k)) + 2)[1:-1]
            smooth = np.convolve(np.pad(piece - line, len(kernel), mode="edge"), kernel / kernel.sum(), "same")
            line = line + smooth[len(kernel) : -len(kernel)]
        out[lo:hi] = line
    if np.diff(out).min() <= 0:
        # Stretches overlap by less than a step: keep the order.
        out = np.maximum.accumulate(out) + _LEAST_STEP * usual * np.arange(len(out))
    return out, True


def _clipped(values: Array) -> float:
    """Share of samples that stand at the very end of the range, where far more do than just beside it."""
    worst = 0.0
    for v in values:
        levels = np.unique(v)
        if len(levels) < _FEWEST_LEVELS:
            continue
        step = float(np.diff(levels).min())
        for end in (levels[-1], levels[0]):
            at_end = v == end
            share = float(at_end.mean())
            if share < _LEAST_CLIPPED or at_end.sum() < _FEWEST_CLIPPED:
                continue
            # Of a coarse sensor the very next step is beside it, where chance alone puts about as many.
            reach, over = _BESIDE * float(np.ptp(v)), _OVER_BESIDE
            if reach < 1.5 * step:
                reach, over = 1.5 * step, _OVER_NEXT
            beside = float(((np.abs(v - end) < reach) & ~at_end).mean())
            if share > over * beside:
                worst = max(worst, share)
    return worst


def _cubic(x: Array, y: Array, at: Array, far: float) -> tuple[Array, NDArray[np.bool_]]:
    """Lagrange's cubic through the four rows round each wanted time; across a gap a straight line, and marked missing."""
    i = np.clip(np.searchsorted(x, at, side="right") - 1, 1, len(x) - 3)
    knots = [x[i + k] for k in (-1, 0, 1, 2)]
    missing = (knots[2] - knots[1]) > far
    rough = missing | (knots[3] - knots[0] > _SPAN_TOO_FAR * far)
    out = np.zeros((y.shape[0], len(at)))
    for a, k in enumerate((-1, 0, 1, 2)):
        weight = np.ones(len(at))
        for b in range(4):
            if b != a:
                weight *= (at - knots[b]) / (knots[a] - knots[b])
        for channel in range(y.shape[0]):
            out[channel] += weight * y[channel, i + k]
    if rough.any():
        for channel in range(y.shape[0]):
            out[channel, rough] = np.interp(at[rough], x, y[channel])
    return out, missing


def _thin(values: Array, missing: NDArray[np.bool_], rate: float, top_hz: float, jitter: float, gaps: int) -> Even:
    """Keep what lies under four times ``top_hz``, by cutting the Fourier transform; note what the raw band's top holds."""
    n = values.shape[1]
    size = sfft.next_fast_len(n, real=True)
    padded = np.zeros((values.shape[0], size))
    padded[:, :n] = values
    spectrum = sfft.rfft(padded, axis=1)
    power = (np.abs(spectrum) ** 2).sum(0)
    m = len(power)
    upper, middle = power[int(_TOP_FROM * m) :].mean(), power[int(_MIDDLE_FROM * m) : int(_MIDDLE_TO * m)].mean()
    aliasing = bool(rate < _ENOUGH_RATE * top_hz or upper > _TOP_OVER_MIDDLE * middle)
    wanted = _A_PERIOD * top_hz
    if rate > _WORTH_THINNING * wanted:
        new = max(_LEAST_SAMPLES, int(size * wanted / rate))
        cut = spectrum[:, : new // 2 + 1]
        thin = sfft.irfft(cut, n=new, axis=1) * (new / size)
        new_rate = rate * new / size
        length = min(int(n * new / size), new)
        values = thin[:, :length]
        if missing.any():
            where = np.minimum((np.arange(length) * (rate / new_rate)).astype(int), n - 1)
            missing = missing[where]
        else:
            missing = np.zeros(length, bool)
        rate_now = new_rate
    else:
        rate_now = rate
    if missing.any():
        values = np.stack([_fill(v, missing) for v in values])
    return Even(values, rate_now, rate, missing, jitter, gaps, aliasing)


def _fill(x: Array, missing: NDArray[np.bool_], order: int = _ORDER) -> Array:
    """Fill lost samples so that an autoregressive model of the rest fits best (Janssen, Veldhuis and Vries 1986)."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], missing.view(np.int8), [0]])))
    x = x.copy()
    for start, end in edges.reshape(-1, 2):
        length = end - start
        lo, hi = max(0, start - _AROUND * order), min(len(x), end + _AROUND * order)
        if length > _MOST_LOST * order or start - lo < _LEAST_KNOWN * order or hi - end < _LEAST_KNOWN * order:
            continue
        around = x[lo:hi]
        inside = np.arange(start - lo, end - lo)
        lags = np.lib.stride_tricks.sliding_window_view(around, order + 1)
        known = (np.arange(len(lags)) + order < inside[0]) | (np.arange(len(lags)) > inside[-1])
        a = np.linalg.lstsq(lags[known][:, :-1], lags[known][:, -1], rcond=1e-6)[0]
        filter_ = np.append(-a, 1.0)
        # Prediction errors are linear in the lost samples: least squares for them.
        first = inside[0] - order
        rows = length + order
        matrix = np.zeros((rows, length))
        for r in range(rows):
            columns = first + r + np.arange(order + 1) - inside[0]
            ok = (columns >= 0) & (columns < length)
            matrix[r, columns[ok]] = filter_[ok]
        zeroed = around.copy()
        zeroed[inside] = 0
        right = -(np.lib.stride_tricks.sliding_window_view(zeroed, order + 1)[first : first + rows] @ filter_)
        x[start:end] = np.linalg.lstsq(matrix[: len(right)], right, rcond=None)[0]
    return x
