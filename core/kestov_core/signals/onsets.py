"""Where something was struck or plucked: sudden rises of energy over several bands at once.

Not here: whether what follows is a string.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

_FRAME_S = 0.032
_HOP_S = 0.008


@dataclass(frozen=True)
class Onset:
    """``at_s``: time of the rise; ``rise_db``: how far the level rose; ``attack_s``: from rise to loudest."""

    at_s: float
    rise_db: float
    attack_s: float


def find_onsets(x: Array, rate_hz: float, min_gap_s: float = 0.15) -> list[Onset]:
    """Onsets in ``x`` (n,), earliest first.

    Spectral flux: the rise of log energy within 16 ms, summed over bands, above each band's own quiet level.
    """
    frame = int(_FRAME_S * rate_hz)
    hop = int(_HOP_S * rate_hz)
    if len(x) < 4 * frame:
        return []
    lead = frame  # silence before the first sample, so that a pluck at the very start is one
    padded = np.concatenate([np.zeros(lead), x])
    frames = np.lib.stride_tricks.sliding_window_view(padded, frame)[::hop]
    spectra = np.abs(np.fft.rfft(frames * np.hanning(frame), axis=1)) ** 2
    edges = np.unique(np.geomspace(1, spectra.shape[1] - 1, 13).astype(int))
    bands = np.add.reduceat(spectra, edges[:-1], axis=1) / np.diff(np.append(edges[:-1], spectra.shape[1]))
    # Each band's quiet level, in the part of the recording that has sound; never below a hair of the loudest.
    inside = bands[lead // hop + 1 :]
    floor = np.maximum(np.quantile(inside, 0.2, axis=0), inside.max() * 1e-8) + 1e-30
    level = np.log(bands + floor)
    rise = np.zeros_like(level)
    rise[2:] = np.maximum(level[2:] - level[:-2], 0)
    # A band in noise jumps by chance: count only what is well above that band's usual jump.
    usual = np.quantile(rise, 0.9, axis=0)
    flux = np.maximum(rise - np.minimum(usual, 1.2), 0).mean(axis=1)
    total = np.log(bands @ np.ones(bands.shape[1]) + floor.sum())

    limit = max(0.22, 0.2 * float(np.quantile(np.sort(flux)[-8:], 0.5)))
    gap = int(min_gap_s / _HOP_S)
    peaks = [k for k in np.flatnonzero(flux > limit) if flux[k] == flux[max(0, k - gap) : k + gap + 1].max()]
    onsets: list[Onset] = []
    for k in peaks:
        before = total[max(0, k - 5) : max(1, k - 1)].mean()
        after = total[k : k + 14]
        at = (k * hop + frame / 2 - lead) / rate_hz
        rise_db = 4.343 * float(after.max() - before)
        if rise_db > 2.5 and at > -0.02:
            onsets.append(Onset(max(0.0, float(at)), rise_db, float(np.argmax(after)) * _HOP_S))
    return onsets
