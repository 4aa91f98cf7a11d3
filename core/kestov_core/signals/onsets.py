"""Where something was struck or plucked: sudden rises of energy over several bands at once.

Not here: whether what follows is a string.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

# Criteria of an onset. Where no other reason is given they were chosen on the simulator's recordings (plucks, rubs, knocks,
# talk and rooms): real ones were not to be had.
#: Frame and hop (s): a frame holds two periods at 60 Hz, a hop places an attack well within one.
_FRAME_S, _HOP_S = 0.032, 0.008
#: Bands, evenly spaced in log frequency, of which a pluck lifts most and a hum or a whistle one.
_BANDS = 12
#: A band's quiet level is its lower fifth, since a recording rings for most of its length; and never below this share of
#: the loudest (80 dB down).
_QUIET, _LEAST_QUIET = 0.2, 1e-8
#: Hops over which a rise counts (16 ms).
_RISE_HOPS = 2
#: A band's usual jump is its upper tenth, at most this (nepers of power): loud plucks are not usual.
_USUAL, _MOST_USUAL = 0.9, 1.2
#: A rise counts from this mean over the bands (nepers of power), and from this share of the strongest few.
_LEAST_FLUX, _SHARE_OF_STRONGEST, _STRONGEST = 0.22, 0.2, 8
#: Hops before and after an onset whose levels are compared: 32 ms of quiet, 110 ms in which a pluck is loudest.
_BEFORE_HOPS, _AFTER_HOPS = 5, 14
#: Least rise of the whole (dB).
_LEAST_RISE_DB = 2.5
#: An onset is placed at its frame's middle: the one at the very start may come out this early (s).
_EARLIEST_S = -0.02
#: dB in a neper of power.
_DB_PER_NEPER = 10 / np.log(10)


@dataclass(frozen=True)
class Onset:
    """``at_s``: time of the rise; ``rise_db``: how far the level rose; ``attack_s``: from rise to loudest."""

    at_s: float
    rise_db: float
    attack_s: float


def find_onsets(x: Array, rate_hz: float, min_gap_s: float = 0.15) -> list[Onset]:
    """Where something was struck or plucked.

    Parameters
    ----------
    x : (n,) ndarray
        Samples of one channel, full scale 1.
    rate_hz : float
        Sampling rate.
    min_gap_s : float
        Onsets nearer than this to a stronger one are its own.

    Returns
    -------
    list of Onset
        Earliest first.

    Notes
    -----
    Spectral flux: the rise of log energy within 16 ms, summed over bands, above each band's own quiet level.

    Examples
    --------
    A tone that begins at half a second, in a little noise:

    >>> import numpy as np
    >>> t = np.arange(16000) / 16000
    >>> x = 1e-3 * np.random.default_rng(1).standard_normal(16000) + np.where(t > 0.5, np.exp(-9 * (t - 0.5)), 0) * np.sin(700 * t)
    >>> round(find_onsets(x, 16000.0)[-1].at_s, 1)
    0.5
    """
    frame = int(_FRAME_S * rate_hz)
    hop = int(_HOP_S * rate_hz)
    if len(x) < 4 * frame:
        return []
    lead = frame  # silence before the first sample, so that a pluck at the very start is one
    padded = np.concatenate([np.zeros(lead), x])
    frames = np.lib.stride_tricks.sliding_window_view(padded, frame)[::hop]
    spectra = np.abs(np.fft.rfft(frames * np.hanning(frame), axis=1)) ** 2
    edges = np.unique(np.geomspace(1, spectra.shape[1] - 1, _BANDS + 1).astype(int))
    bands = np.add.reduceat(spectra, edges[:-1], axis=1) / np.diff(np.append(edges[:-1], spectra.shape[1]))
    # Each band's quiet level, in the part of the recording that has sound; never below a hair of the loudest.
    inside = bands[lead // hop + 1 :]
    floor = np.maximum(np.quantile(inside, _QUIET, axis=0), inside.max() * _LEAST_QUIET) + 1e-30
    level = np.log(bands + floor)
    rise = np.zeros_like(level)
    rise[_RISE_HOPS:] = np.maximum(level[_RISE_HOPS:] - level[:-_RISE_HOPS], 0)
    # A band in noise jumps by chance: count only what is well above that band's usual jump.
    usual = np.quantile(rise, _USUAL, axis=0)
    flux = np.maximum(rise - np.minimum(usual, _MOST_USUAL), 0).mean(axis=1)
    total = np.log(bands @ np.ones(bands.shape[1]) + floor.sum())

    limit = max(_LEAST_FLUX, _SHARE_OF_STRONGEST * float(np.median(np.sort(flux)[-_STRONGEST:])))
    gap = int(min_gap_s / _HOP_S)
    peaks = [k for k in np.flatnonzero(flux > limit) if flux[k] == flux[max(0, k - gap) : k + gap + 1].max()]
    onsets: list[Onset] = []
    for k in peaks:
        before = total[max(0, k - _BEFORE_HOPS) : max(1, k - 1)].mean()
        after = total[k : k + _AFTER_HOPS]
        at = (k * hop + frame / 2 - lead) / rate_hz
        rise_db = _DB_PER_NEPER * float(after.max() - before)
        if rise_db > _LEAST_RISE_DB and at > _EARLIEST_S:
            onsets.append(Onset(max(0.0, float(at)), rise_db, float(np.argmax(after)) * _HOP_S))
    return onsets
