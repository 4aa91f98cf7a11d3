"""The stretch that rings after one sudden sound, and whether it can be a string."""

from __future__ import annotations

import numpy as np

from .heard import Heard
from .onsets import Onset
from .partials import Array, find_peaks, spectrum_of

# Criteria of what can be a pluck. Where no other reason is given they were chosen on the simulator's recordings
# (plucked belts in rooms, rubs, knocks, talk): real ones were not to be had.
#: After this the finger's noise and the largest swing are over (s).
_ATTACK_S = 0.02
_LONGEST_S = 1.1
_SHORTEST_S = 0.07
#: Around an onset, from so long before it (s), a sound is the pluck's own.
OWN_FROM_S = 0.03
#: The recording's own beginning: an onset this early (s) of a sound whose last third, at least so long (s), keeps this share
#: of its first third's energy; looked at for so long (s), away from the next onset.
_BEGINNING_S, _LEAST_THIRD_S, _GOES_ON, _LOOKED_AT_S, _AWAY_S = 0.06, 0.05, 0.6, 1.0, 0.04
#: Before the next onset this much (s) is left out; a pluck does not take longer to be loudest.
_BEFORE_NEXT_S, _SWELLS_S = 0.03, 0.09
#: The quiet before a pluck: from this far back (s) at most, to this short of it.
_QUIET_FROM_S, _QUIET_TO_S = 0.25, 0.02
#: Least look (s), two periods at the lowest pitch; looks are the ringing's length over these.
_LEAST_LOOK_S, _LOOKS = 0.14, (1, 2, 5)
#: What a look shows: its peaks' excess over this counts, longer looks a little more (power of their length).
_CLEAR_OVER, _LENGTH_POWER = 12.0, 0.15
#: A knock: sunk by 30 dB within six blocks (s) of its loudest.
_KNOCK_BLOCK_S, _KNOCK_BLOCKS, _KNOCK_SUNK = 0.01, 6, 1e-3
#: Ringing ends 32 dB under its loudest, or this near the noise; in blocks (s).
_RING_BLOCK_S, _RING_SUNK, _OVER_NOISE = 0.02, 6e-4, 1.6


def was_there_before(x: Array, onsets: list[Onset], rate: float) -> bool:
    """Whether the first onset is only the recording's own beginning: a sound that goes on without dying away."""
    if not onsets or onsets[0].at_s > _BEGINNING_S or len(onsets) < 2:
        return False
    end = min(onsets[1].at_s - _AWAY_S, onsets[0].at_s + _LOOKED_AT_S)
    span = x[int((onsets[0].at_s + OWN_FROM_S) * rate) : int(end * rate)]
    third = len(span) // 3
    if third < _LEAST_THIRD_S * rate:
        return True
    return bool(np.mean(span[-third:] ** 2) > _GOES_ON * np.mean(span[:third] ** 2))


def listen(heard: Heard, onset: Onset, previous_s: float, following_s: float, x: Array, rate: float) -> None:
    """Cut the stretch after one onset and find its peaks; say why not where it cannot be a string."""
    heard.attack_s = onset.attack_s
    start = int((onset.at_s + _ATTACK_S) * rate)
    end = min(int((following_s - _BEFORE_NEXT_S) * rate), start + int(_LONGEST_S * rate), len(x))
    if end - start < _SHORTEST_S * rate:
        heard.why_not = "too short: the next sound, or the end, comes at once"
        return
    if onset.attack_s > _SWELLS_S:
        heard.why_not = "it swells instead of starting at once: not a pluck"
        return
    # What was there just before: not so far back that the pluck before it counts.
    quiet_s = max(onset.at_s - _QUIET_FROM_S, 0.5 * (previous_s + onset.at_s))
    before = x[int(quiet_s * rate) : max(0, int((onset.at_s - _QUIET_TO_S) * rate))]
    if _is_knock(x, onset, before, start, rate):
        heard.why_not = "it is over at once: a knock, not a belt"
        return
    # A long look tells partials finely apart, a short one hears a belt that dies away sooner: take what shows more.
    longest = _ringing_length(x[start:end], before, rate)
    clearest = -1.0
    for length in sorted({max(longest // k, int(_LEAST_LOOK_S * rate)) for k in _LOOKS}, reverse=True):
        stretch = x[start : start + min(length, longest)]
        spectrum = spectrum_of(stretch, before, rate)
        heard.looks.append((stretch, spectrum))
        peaks = find_peaks(spectrum)
        clear = float(np.log10(peaks.excess / _CLEAR_OVER + 1).sum()) * len(stretch) ** _LENGTH_POWER
        if clear > clearest:
            clearest, heard.spectrum, heard.peaks = clear, spectrum, peaks
    assert heard.peaks is not None
    if len(heard.peaks.hz) == 0:
        heard.why_not = "no clear tone: a knock, or too faint"


def _is_knock(x: Array, onset: Onset, before: Array, start: int, rate: float) -> bool:
    """Whether the sound has sunk by 30 dB when the attack is over, as a struck string's never does."""
    block = int(_KNOCK_BLOCK_S * rate)
    attack = x[max(0, int((onset.at_s - _KNOCK_BLOCK_S) * rate)) : start] ** 2
    if len(attack) < 2 * block:
        return False
    peak = float(attack[: len(attack) // block * block].reshape(-1, block).mean(axis=1).max())
    quiet = float(np.mean(before**2)) if len(before) else 0.0
    return float(np.mean(x[start : start + _KNOCK_BLOCKS * block] ** 2)) - quiet < _KNOCK_SUNK * peak


def _ringing_length(x: Array, before: Array, rate: float) -> int:
    """Samples until the ringing has sunk into what was there before, or by 32 dB; at least 0.12 s."""
    block = int(_RING_BLOCK_S * rate)
    m = len(x) // block
    if m < 2:
        return len(x)
    energy = (x[: m * block].reshape(m, block) ** 2).mean(axis=1)
    smooth = np.maximum.accumulate(energy[::-1])[::-1]
    noise = (
        float(np.median(before[: len(before) // block * block].reshape(-1, block).__pow__(2).mean(axis=1)))
        if len(before) >= block
        else 0.0
    )
    sunk = np.flatnonzero(smooth < max(energy[:3].max() * _RING_SUNK, _OVER_NOISE * noise))
    length = (int(sunk[0]) + 1) * block if len(sunk) else len(x)
    return min(len(x), max(length, int(_LEAST_LOOK_S * rate)))
