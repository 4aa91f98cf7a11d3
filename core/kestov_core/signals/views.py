"""What a person looks at of a recording: envelope, spectrum, time-frequency picture, small enough to draw."""

from __future__ import annotations

import numpy as np
import scipy.fft as sfft
from pydantic import BaseModel

from ..readers import Sound
from .sampling import Array, Even

_COLUMNS = 900
#: After each pluck: how long is looked at, how long its attack is left out (s), and least points of its spectrum.
_LOOKED_AT_S, _ATTACK_S, _LEAST_POINTS = 0.6, 0.045, 1 << 14
#: Points of a spectrum that are drawn: as many as a plot is wide.
_DRAWN = 700
#: Frames of the time-frequency picture: their length, least hop (s), how many; and the faintest level that is drawn (dB).
_FRAME_S, _LEAST_HOP_S, _TIMES, _FAINTEST_DB = 0.4, 0.02, 160, -60


class SoundView(BaseModel):
    """``low``, ``high``: least and greatest sample of each column of time; ``level_db`` over ``frequency_hz``."""

    seconds: float
    low: list[float]
    high: list[float]
    frequency_hz: list[float]
    level_db: list[float]


def sound_view(sound: Sound, at_s: list[float], top_hz: float) -> SoundView:
    """Envelope by min and max, and the mean spectrum of 0.6 s after each time in ``at_s``, up to ``top_hz``."""
    x = np.asarray(sound.samples.mean(axis=1), dtype=np.float64)
    low, high = envelope(x)
    length = int(_LOOKED_AT_S * sound.rate_hz)
    size = sfft.next_fast_len(max(length, _LEAST_POINTS), real=True)
    starts = [int((t + _ATTACK_S) * sound.rate_hz) for t in at_s] or [0]
    total = np.zeros(size // 2 + 1)
    for start in starts:
        piece = x[start : start + length]
        if len(piece) > 64:
            total += np.abs(sfft.rfft(piece * np.hanning(len(piece)), size)) ** 2
    f = np.arange(len(total)) * sound.rate_hz / size
    keep = int(np.searchsorted(f, min(top_hz, sound.rate_hz / 2)))
    # The highest in each column, so that a narrow partial is not lost.
    bins = np.unique(np.linspace(0, max(keep - 1, 1), min(keep, _DRAWN)).astype(int))
    level = np.maximum.reduceat(total[:keep], bins)
    level_db = 10 * np.log10(level / (level.max() + 1e-30) + 1e-9)
    return SoundView(
        seconds=sound.seconds,
        low=np.round(low, 4).tolist(),
        high=np.round(high, 4).tolist(),
        frequency_hz=np.round(f[bins], 2).tolist(),
        level_db=np.round(level_db, 1).tolist(),
    )


class ShakenView(BaseModel):
    """An accelerometer's record of the excited direction: least and greatest of each column of time (mm/s2), and level
    (dB under the loudest) by time and frequency: ``level_db`` has a row for each of ``time_s``, whole numbers to -60.
    """

    seconds: float
    low: list[float]
    high: list[float]
    time_s: list[float]
    frequency_hz: list[float]
    level_db: list[list[int]]


def envelope(x: Array, columns: int = _COLUMNS) -> tuple[Array, Array]:
    """Least and greatest value of each column: a million samples drawn without losing a peak.

    Parameters
    ----------
    x : (n,) ndarray
        Samples.
    columns : int
        How many columns at most.

    Returns
    -------
    (c,) ndarray, (c,) ndarray
        Least and greatest, c the lesser of ``columns`` and n.

    Examples
    --------
    >>> low, high = envelope(np.array([0.0, 3.0, -1.0, 2.0]), columns=2)
    >>> low.tolist(), high.tolist()
    ([0.0, -1.0], [3.0, 2.0])
    """
    edges = np.linspace(0, len(x), min(columns, len(x)) + 1).astype(int)[:-1]
    return np.minimum.reduceat(x, edges), np.maximum.reduceat(x, edges)


def shaken_view(even: Even, top_hz: float) -> ShakenView:
    """The view of channel 0, with about 160 times and 80 frequencies."""
    from .response import frames

    x = even.values[0]
    low, high = envelope(x)
    t, f, power = frames(x, even.rate_hz, _FRAME_S, max(_LEAST_HOP_S, even.seconds / _TIMES))
    keep = f <= top_hz
    level = 10 * np.log10(power[:, keep] / (power[:, keep].max() + 1e-30) + 1e-9)
    return ShakenView(
        seconds=even.seconds,
        low=np.round(low, 1).tolist(),
        high=np.round(high, 1).tolist(),
        time_s=np.round(t, 3).tolist(),
        frequency_hz=np.round(f[keep], 2).tolist(),
        level_db=np.clip(np.round(level), _FAINTEST_DB, 0).astype(int).tolist(),
    )
