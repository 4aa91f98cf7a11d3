"""Find the plucks of a string in a recording, hear each one's pitch, and join those that agree.

Not here: tension, belts, verdicts.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .agreement import agree
from .conditioning import SteadyTone, band_limit, clipped_share, remove_steady_tones
from .heard import Heard, Hearing
from .onsets import Onset, find_onsets
from .partials import Array
from .pitch import Likely
from .ringing import OWN_FROM_S, listen, was_there_before

#: Root mean square of a silent recording, of full scale (-94 dB).
_SILENT = 2e-5
#: Until so long after an onset (s) a sound is the pluck's own, and steady tones are not looked for.
_OWN_TO_S = 0.45


def _alike(hz: Array) -> Array:
    return np.zeros(len(hz))


def hear(samples: NDArray[np.float32], rate_hz: float, likely: Likely = _alike) -> Hearing:
    """Hear the plucks of one string in a recording, and join those that agree.

    Parameters
    ----------
    samples : (n, channels) ndarray
        Full scale 1. The channel in which plucks stand out most is used.
    rate_hz : float
        Sampling rate.
    likely : callable
        How likely pitches (k,) in Hz are before anything is heard, in nats (k,); by default all alike.

    Returns
    -------
    Hearing
        ``f0_hz`` with ``u95_hz``; None where no string was heard, and then ``why_not`` says why. Each onset and what became of it.

    Examples
    --------
    >>> from kestov_core.simulator.sound import Belt, Pluck, Room, record
    >>> sound = record(Belt(f0_hz=80.0), [Pluck(at_s=0.4 + i) for i in range(4)], 4.5, 16000, Room(hiss=0.001), seed=3)
    >>> hearing = hear(sound.samples[:, None], sound.rate_hz)
    >>> round(hearing.f0_hz), sum(p.used for p in hearing.plucks)
    (80, 4)
    """
    hearing = Hearing(seconds=len(samples) / rate_hz, clipped=clipped_share(samples))
    best: tuple[float, Array, float, list[Onset], list[SteadyTone]] | None = None
    for channel in range(min(samples.shape[1], 4)):
        if channel and np.array_equal(samples[:, channel], samples[:, 0]):
            continue
        x, rate = band_limit(samples[:, channel], rate_hz)
        x, tones = remove_steady_tones(x, rate, np.ones(len(x), dtype=bool))
        onsets = find_onsets(x, rate)
        strength = sum(o.rise_db for o in onsets)
        if best is None or strength > best[0]:
            best = (strength, x, rate, onsets, tones)
    assert best is not None
    _, x, rate, onsets, hearing.tones = best
    level = float(np.sqrt(np.mean(x * x)))
    if level < _SILENT:
        hearing.why_not = "The recording is silent: the microphone was off, muted, or too far away."
        return hearing
    if not onsets:
        hearing.why_not = (
            "No pluck stands out: nothing in it begins suddenly. Pluck harder, or closer to the microphone."
        )
        return hearing
    quiet = np.ones(len(x), dtype=bool)
    for o in onsets:
        quiet[max(0, int((o.at_s - OWN_FROM_S) * rate)) : int((o.at_s + _OWN_TO_S) * rate)] = False
    # Once more where no pluck disturbs: what the first pass left of them.
    x, rest = remove_steady_tones(x, rate, quiet)
    hearing.tones += rest
    if was_there_before(x, onsets, rate):
        onsets = onsets[1:]
    hearing.plucks = [Heard(o.at_s) for o in onsets]
    edges = [0.0, *(o.at_s for o in onsets), len(x) / rate]
    for i, heard in enumerate(hearing.plucks):
        listen(heard, onsets[i], edges[i], edges[i + 2], x, rate)
    agree(hearing, rate, likely)
    return hearing
