"""Find the plucks of a string in a recording, hear each one's pitch, and join those that agree.

Not here: tension, belts, verdicts.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..quantities import t95
from .conditioning import SteadyTone, band_limit, clipped_share, remove_steady_tones
from .onsets import Onset, find_onsets
from .partials import (
    HIGHEST_HZ,
    LOWEST_HZ,
    Array,
    Peaks,
    Spectrum,
    StringFit,
    candidates,
    evidence,
    find_peaks,
    fit_string,
    follow,
    harmonicity,
    spectrum_of,
    unlike_a_pluck,
)

#: After this the finger's noise and the largest swing are over (s).
_ATTACK_S = 0.02
_LONGEST_S = 1.1
_SHORTEST_S = 0.07
#: Least harmonicity of a stretch that is called a string.
_LEAST_SCORE = 0.25
#: A pluck is loudest within this (s). Then a wandering pitch is another belt that beats with it, not a voice.
_SUDDEN_S = 0.03
#: The most that one pluck says against a pitch (nats).
_MOST_AGAINST = 6.0
#: A rival pitch nearer than this (nats, for one pluck) leaves it open which of the two it is.
_LEAST_LEAD = 3.0
#: From this level on (dB beside the first), what rings along may as well be what was plucked.
_AS_LOUD_DB = -6.0

# Criteria of what is a pluck and which agree. Where no other reason is given they were chosen on the simulator's recordings
# (plucked belts in rooms, rubs, knocks, talk): real ones were not to be had.
#: Root mean square of a silent recording, of full scale (-94 dB).
_SILENT = 2e-5
#: Around an onset this much (s) is a pluck's own, where steady tones are not looked for.
_OWN_FROM_S, _OWN_TO_S = 0.03, 0.45
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
#: Candidates within this (relative) stand for one pitch; those further apart than the second are rivals, than the third other
#: pitches altogether; and nearer than the last they are one candidate.
_SAME_PITCH, _APART, _OTHER_PITCH, _ONE_CANDIDATE = 0.007, 0.015, 0.03, 0.001
#: The few pitches that are heard again.
_HEARD_AGAIN = 10
#: Fewer plucks than these shares of what was heard are too few (of many sounds; of a doubtful pitch).
_FEW_OF_MANY, _MANY, _FEW_IN_DOUBT = 0.35, 4, 0.7
#: A peak is the first string's own: of the resolution, of its frequency, by its stiffness, and of the pitch.
_OWN_RESOLUTION, _OWN_WAVER, _OWN_STIFFNESS, _OWN_OF_PITCH = 0.7, 0.006, 4e-4, 0.03
#: What rings along: peaks over this share of the strongest (-30 dB), in this share of the plucks (two at least), each telling
#: so much (nats) within so much of one pitch (relative), none telling less than the last against it.
_ALONG, _IN_MOST, _ALONG_TOLD, _ALONG_PITCH, _ALONG_AGAINST = 1e-3, 0.6, 0.8, 0.01, -2.0
#: Level of nothing (dB), and lead where there is no rival (nats).
_NONE_DB, _NO_RIVAL = -99.0, 99.0
#: Partials are looked for up to so far over the highest peak of this share of the strongest (-27 dB).
_BEYOND_HIGHEST, _STRONG = 1.2, 2e-3
#: A pluck's vote: from this excess, over so many decades, from this least; full with so many peaks.
_VOTE_FROM, _VOTE_DECADES, _LEAST_VOTE, _VOTE_PEAKS = 10.0, 1.5, 0.3, 3.0
#: Plucks are firm when they are clear and lie this near each other (relative).
_FIRM_SCORE, _FIRM_WITHIN = 0.5, 0.005
#: One pluck alone is clear: score, partials, excess; or by its partials and excess alone.
_CLEAR = (0.45, 2, 100.0)
_CLEAR_BY_PARTIALS = (8, 1000.0)
#: One pluck among other sounds is plain: score, partials, excess, attack (s), wander (relative).
_PLAIN = (0.6, 6, 300.0, 0.03, 0.004)
#: A voice: takes longer to be loudest (s), and wanders (relative) or is short (s).
_VOICE_ATTACK_S, _VOICE_WANDER, _VOICE_SHORT_S = 0.045, 0.006, 0.25
#: A stretch whose last third keeps this share of its first's energy does not die away; a pitch that wanders more (relative)
#: is none of a belt's, with a slow start and with a sudden one.
_STEADY, _WANDERS, _WANDERS_SUDDEN = 0.9, 0.012, 0.04
#: A look shorter than this (s) was rubbed.
_RUBBED_S = 0.18
#: Share of the partials, and how many at least, that the longest look must still have.
_MOST_OF_PARTIALS, _ENOUGH_PARTIALS = 0.5, 3
#: Median deviation of a normal spread (0.6745 sigma), over one.
_MAD = 1.4826
#: A pluck agrees within so many spreads, so many of its own, and at least this (relative); of two, the next; never beyond the
#: last. The floor of a weight's spread.
_SPREADS, _AGREES, _TWO_AGREE, _NEVER_BEYOND, _WEIGHT_FLOOR = 4.0, 0.004, 0.02, 0.05, 0.001
#: Coverage of one pluck (its sigma is worth some ten readings: Student's t), the most of few, and of a model alone.
_COVERS_ONE, _COVERS_AT_MOST, _COVERS_MODEL = 2.3, 4.3, 2.0
#: One pluck cannot show how plucks differ: typical of belts plucked by hand (relative u95).
_ALONE = 0.0025
#: What all plucks of one hand have in common: this share of the settling taken out; clock and model (relative u95).
_SETTLING_LEFT, _CLOCK = 0.35, 9e-4
#: Plucks that spread further (relative) disagree.
_DISAGREE = 0.02


#: How likely pitches (Hz) are before anything is heard, in nats.
Likely = Callable[[Array], Array]


def _alike(hz: Array) -> Array:
    return np.zeros(len(hz))


@dataclass
class Heard:
    """One onset and what became of it."""

    at_s: float
    frequency_hz: float | None = None
    sigma_hz: float | None = None
    used: bool = False
    why_not: str | None = None
    fit: StringFit | None = None
    looks: list[tuple[Array, Spectrum]] = field(default_factory=list)
    spectrum: Spectrum | None = None
    peaks: Peaks | None = None
    score: float = -1.0
    settled: float = 0.0
    attack_s: float = 0.0
    wander: float = 0.0
    heard_s: float = 0.0


@dataclass
class Hearing:
    """All that was heard. ``f0_hz`` is None when no string was; then ``why_not`` says why."""

    seconds: float
    plucks: list[Heard] = field(default_factory=list)
    f0_hz: float | None = None
    u95_hz: float | None = None
    b: float = 0.0
    tones: list[SteadyTone] = field(default_factory=list)
    clipped: float = 0.0
    octave_doubt: bool = False
    rival_hz: float | None = None
    lead: float = _NO_RIVAL
    second_hz: float | None = None
    second_db: float = _NONE_DB
    disagree: bool = False
    why_not: str = ""


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
        quiet[max(0, int((o.at_s - _OWN_FROM_S) * rate)) : int((o.at_s + _OWN_TO_S) * rate)] = False
    # Once more where no pluck disturbs: what the first pass left of them.
    x, rest = remove_steady_tones(x, rate, quiet)
    hearing.tones += rest
    if _was_there_before(x, onsets, rate):
        onsets = onsets[1:]
    hearing.plucks = [Heard(o.at_s) for o in onsets]
    edges = [0.0, *(o.at_s for o in onsets), len(x) / rate]
    for i, heard in enumerate(hearing.plucks):
        _listen(heard, onsets[i], edges[i], edges[i + 2], x, rate)
    _agree(hearing, rate, likely)
    return hearing


def _was_there_before(x: Array, onsets: list[Onset], rate: float) -> bool:
    """Whether the first onset is only the recording's own beginning: a sound that goes on without dying away."""
    if not onsets or onsets[0].at_s > _BEGINNING_S or len(onsets) < 2:
        return False
    end = min(onsets[1].at_s - _AWAY_S, onsets[0].at_s + _LOOKED_AT_S)
    span = x[int((onsets[0].at_s + _OWN_FROM_S) * rate) : int(end * rate)]
    third = len(span) // 3
    if third < _LEAST_THIRD_S * rate:
        return True
    return bool(np.mean(span[-third:] ** 2) > _GOES_ON * np.mean(span[:third] ** 2))


def _listen(heard: Heard, onset: Onset, previous_s: float, following_s: float, x: Array, rate: float) -> None:
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


def _agree(hearing: Hearing, rate: float, likely: Likely) -> None:
    """Choose the pitch that the plucks have in common, fit each near it, and leave out those that do not agree."""
    toned = [h for h in hearing.plucks if h.why_not is None]
    if not toned:
        hearing.why_not = "There are sudden sounds, but none of them rings like a belt: " + (
            hearing.plucks[0].why_not or ""
        )
        return
    pool = _thin(np.concatenate([candidates(h.peaks) for h in toned if h.peaks is not None]))
    if len(pool) == 0:
        hearing.why_not = "What rings lies outside 15 to 500 Hz."
        return
    told = [evidence(h.peaks, pool, h.spectrum.seconds) for h in toned if h.peaks and h.spectrum]
    total = _vote(np.array([t.nats for t in told]), toned, pool) + likely(pool)
    # The few that place the peaks best are heard again: are their partials as strong as a pluck makes them?
    few = _best_apart(pool, total, _HEARD_AGAIN)
    odd = [[_oddness(h, pool[k], t.b[k]) for k in few] for h, t in zip(toned, told, strict=True)]
    placed = np.array([[_at(t.placed, pool, k) for k in few] for t in told]) - np.array(odd)
    standing = _vote_of(placed, toned) + likely(pool[few])
    chosen = int(few[np.argmax(standing)])
    f0 = _settle(pool, np.array([t.nats for t in told]), chosen)
    log_pool = np.log(pool)
    near = np.flatnonzero(np.abs(log_pool - log_pool[chosen]) < _SAME_PITCH)
    hearing.second_hz, hearing.second_db = _second(toned, f0)
    for h in toned:
        assert h.peaks is not None and h.spectrum is not None
        h.score = float(harmonicity(h.peaks, pool[near], h.spectrum.seconds).max())
        _fit_one(h, f0, rate)
    _leave_out(hearing, toned)
    used = [h for h in hearing.plucks if h.used]
    if len(used) > 1 and _is_voice(used):
        hearing.why_not = (
            "What is heard swells and wanders in pitch like a voice, not like a plucked belt. Pluck in quiet."
        )
        for h in used:
            h.used, h.why_not = False, "it swells and wanders like a voice"
        return
    rivals = [h for h in toned if not h.used and h.frequency_hz is not None]
    firm = len(used) >= 3 and _firm(used)
    lone = len(used) == 1 and not _plain(used[0]) and (len(toned) > 2 or rivals or not _clear(used[0]))
    if (
        used
        and not firm
        and (
            lone
            or len(used) < len(rivals)
            or (len(hearing.plucks) > _MANY and len(used) < _FEW_OF_MANY * len(hearing.plucks))
        )
    ):
        hearing.why_not = (
            f"{len(used)} of {len(toned)} sudden sounds could be a belt: too few that agree. "
            "It may be speech or other noise, or a different belt each time. Pluck one belt, five times, in quiet."
        )
        for h in used:
            h.used, h.why_not = False, "too few others agree with it"
        return
    if not used:
        if not hearing.why_not:
            hearing.why_not = "There are sudden sounds, but none of them rings like a belt: " + (toned[0].why_not or "")
        return
    _join(hearing, used)
    _doubt(hearing, pool[few], standing, used)
    if hearing.octave_doubt and len(used) < 3 and len(used) < _FEW_IN_DOUBT * len(hearing.plucks):
        hearing.f0_hz = hearing.u95_hz = None
        hearing.why_not = (
            "Sudden sounds were heard, but too few agree on a pitch. Pluck one belt, five times, in quiet."
        )
        for h in used:
            h.used, h.why_not = False, "too few others agree with it"


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
        return None, _NONE_DB
    seconds = float(np.median([h.spectrum.seconds for h in toned if h.spectrum]))
    pool = _thin(np.concatenate([candidates(p) for p in left]))
    if not len(pool):
        return None, _NONE_DB
    total = np.array([evidence(p, pool, seconds).nats for p in left])
    best = int(np.argmax(np.maximum(total, _ALONG_AGAINST).sum(axis=0)))
    with_it = (total[:, np.abs(np.log(pool / pool[best])) < _ALONG_PITCH].max(axis=1) > _ALONG_TOLD).sum()
    if with_it < max(2, _IN_MOST * len(toned)):
        return None, _NONE_DB
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


def _firm(used: list[Heard]) -> bool:
    """Whether the plucks agree as only one string's do, whatever else was heard: sudden, clear, within half a per cent."""
    f = np.array([h.frequency_hz for h in used], dtype=float)
    sudden = float(np.median([h.attack_s for h in used])) < _SUDDEN_S
    clear = float(np.median([h.score for h in used])) > _FIRM_SCORE
    return sudden and clear and float(np.ptp(f)) < _FIRM_WITHIN * float(f.mean())


def _clear(h: Heard) -> bool:
    """Whether one pluck alone is plain enough to be believed: several partials that fit, well above the noise."""
    assert h.fit is not None and h.peaks is not None
    partials, excess = len(h.fit.partials), float(h.peaks.excess.max())
    by_all = h.score > _CLEAR[0] and partials >= _CLEAR[1] and excess > _CLEAR[2]
    return by_all or (partials >= _CLEAR_BY_PARTIALS[0] and excess > _CLEAR_BY_PARTIALS[1])


def _plain(h: Heard) -> bool:
    """Whether one pluck among other sounds is beyond doubt: many partials, far above the noise, a sudden attack."""
    assert h.fit is not None and h.peaks is not None
    partials, excess = len(h.fit.partials), float(h.peaks.excess.max())
    score, least, over, attack_s, wander = _PLAIN
    plain = h.score > score and partials >= least and excess > over
    return plain and h.attack_s < attack_s and h.wander < wander


def _is_voice(used: list[Heard]) -> bool:
    """A pluck is loudest within some 30 ms and holds its pitch; a syllable takes longer, is short, and wanders."""
    attack, wander, heard = (float(np.median([getattr(h, n) for h in used])) for n in ("attack_s", "wander", "heard_s"))
    return attack > _VOICE_ATTACK_S and (wander > _VOICE_WANDER or heard < _VOICE_SHORT_S)


def _settle(pool: Array, scores: Array, chosen: int) -> float:
    """Best-scoring candidate close to the chosen one."""
    near = np.flatnonzero(np.abs(np.log(pool / pool[chosen])) < _SAME_PITCH)
    against = np.maximum(scores[:, near] - scores[:, near].max(axis=1, keepdims=True), -_MOST_AGAINST)
    return float(pool[near[np.argmax(against.sum(axis=0))]])


def _fit_one(h: Heard, f0: float, rate: float) -> None:
    """Fit one pluck near the common pitch, or at its own best pitch to say where it lies."""
    assert h.spectrum is not None and h.peaks is not None
    if h.score >= _LEAST_SCORE:
        fits = [(fit, stretch) for stretch, spectrum in h.looks if (fit := fit_string(spectrum, f0)) is not None]
        if fits:
            # The longest look that still has most of the partials: the pitch of a hard pluck settles late.
            most = max(len(fit.partials) for fit, _ in fits)
            h.fit, stretch = next(
                (fit, st)
                for fit, st in fits
                if len(fit.partials) >= min(most, max(_ENOUGH_PARTIALS, _MOST_OF_PARTIALS * most))
            )
            course = follow(stretch, rate, h.fit)
            h.frequency_hz = h.fit.f0_hz * (1 + course.shift)
            h.sigma_hz = float(np.hypot(h.fit.sigma_hz, course.spread * h.fit.f0_hz))
            h.settled, h.wander, h.heard_s = course.shift, course.wander, len(stretch) / rate
            if course.kept > _STEADY:
                h.why_not = "it does not die away as a plucked belt does"
            elif course.wander > (_WANDERS if h.attack_s > _SUDDEN_S else _WANDERS_SUDDEN):
                h.why_not = "its pitch wanders: a voice or a moving part, not a belt"
            return
    own = candidates(h.peaks)
    score = harmonicity(h.peaks, own, h.spectrum.seconds)
    if len(own) and score.max() >= _LEAST_SCORE:
        h.fit = fit_string(h.spectrum, float(own[np.argmax(score)]))
        h.frequency_hz = h.fit.f0_hz if h.fit else None
        h.sigma_hz = h.fit.sigma_hz if h.fit else None
    if h.frequency_hz is None:
        h.why_not = "no clear tone: a knock, or something else was heard"
    elif h.spectrum.seconds < _RUBBED_S:
        h.why_not = f"rubbed: it died away at once, at {h.frequency_hz:.1f} Hz"
    else:
        h.why_not = f"does not agree: {100 * (h.frequency_hz / f0 - 1):+.1f} % from the others"


def _leave_out(hearing: Hearing, toned: list[Heard]) -> None:
    """Mark as used the plucks that agree within their spread (median and median deviation)."""
    fitted = [h for h in toned if h.why_not is None and h.frequency_hz is not None]
    for h in fitted:
        assert h.frequency_hz is not None
        if not LOWEST_HZ <= h.frequency_hz <= HIGHEST_HZ:
            h.why_not = "outside 15 to 500 Hz"
    fitted = [h for h in fitted if h.why_not is None]
    if not fitted:
        return
    f = np.array([h.frequency_hz for h in fitted], dtype=float)
    sigma = np.array([h.sigma_hz for h in fitted], dtype=float)
    centre = _weighted_median(f, 1 / (sigma + _WEIGHT_FLOOR * f))
    spread = _MAD * float(np.median(np.abs(f - centre)))
    for h, fi, si in zip(fitted, f, sigma, strict=True):
        allowed = (
            max(_SPREADS * spread, _SPREADS * float(si), _AGREES * centre)
            if len(f) > 2
            else max(_SPREADS * float(si), _TWO_AGREE * centre)
        )
        if abs(fi - centre) > min(allowed, _NEVER_BEYOND * centre):
            h.why_not = f"does not agree: {100 * (fi / centre - 1):+.1f} % from the others"
        else:
            h.used = True


def _weighted_median(values: Array, weights: Array) -> float:
    order = np.argsort(values)
    cumulative = np.cumsum(weights[order])
    return float(values[order][np.searchsorted(cumulative, cumulative[-1] / 2)])


def _join(hearing: Hearing, used: list[Heard]) -> None:
    """Mean weighted by each pluck's own spread and the spread between plucks; u95 by Student's t."""
    f = np.array([h.frequency_hz for h in used], dtype=float)
    sigma = np.array([h.sigma_hz for h in used], dtype=float)
    n = len(f)
    between = max(0.0, float(f.var(ddof=1)) - float(np.mean(sigma**2))) if n > 1 else 0.0
    w = 1 / (sigma**2 + between)
    mean = float((w * f).sum() / w.sum())
    inner = 1 / float(np.sqrt(w.sum()))
    # Each pluck's own sigma is a model (worth some ten readings); the scatter is what was seen.
    scatter = float(np.sqrt((w * (f - mean) ** 2).sum() / w.sum() / (n - 1))) if n > 1 else 0.0
    k = t95(n - 1) if n > 1 else _COVERS_ONE
    u = max(_COVERS_MODEL * inner, min(k, _COVERS_AT_MOST) * scatter) if n > 1 else k * inner
    # One pluck cannot show how plucks differ: 0.25 % is typical of belts plucked by hand.
    alone = _ALONE * mean if n == 1 else 0.0
    hearing.f0_hz = mean
    # What all plucks of one hand have in common: a third of the settling that was taken out, and 0.09 % of clock and model.
    common = mean * float(np.hypot(_SETTLING_LEFT * np.mean([abs(h.settled) for h in used]), _CLOCK))
    hearing.u95_hz = float(np.sqrt(u * u + alone**2 + common**2))
    hearing.b = float(np.average([h.fit.b for h in used if h.fit], weights=w))
    hearing.disagree = n > 1 and float(np.ptp(f)) > _DISAGREE * mean


def _doubt(hearing: Hearing, rivals: Array, standing: Array, used: list[Heard]) -> None:
    """Doubt of the pitch: one partial alone, or another pitch that explains the sound nearly as well."""
    assert hearing.f0_hz is not None
    other = np.abs(np.log(rivals / hearing.f0_hz)) > _OTHER_PITCH
    heard_partials = max(len(h.fit.partials) for h in used if h.fit)
    if other.any():
        k = int(np.argmax(np.where(other, standing, -np.inf)))
        hearing.lead = float(standing[~other].max(initial=_NONE_DB) - standing[k])
        if hearing.lead < _LEAST_LEAD * len(used) ** 0.5:
            hearing.rival_hz = float(rivals[k])
    if hearing.rival_hz is None and hearing.second_hz is not None and hearing.second_db > _AS_LOUD_DB:
        hearing.rival_hz = hearing.second_hz
    hearing.octave_doubt = heard_partials < 2 or hearing.rival_hz is not None
