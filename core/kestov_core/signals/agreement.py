"""Which plucks agree on a pitch, what they say together, and how much in doubt it is."""

from __future__ import annotations

import numpy as np

from ..quantities import t95
from .heard import NO_RIVAL, Heard, Hearing
from .partials import HIGHEST_HZ, LOWEST_HZ, Array, candidates, fit_string, follow, harmonicity
from .pitch import Common, Likely, common_pitch

# Criteria of which plucks agree. Where no other reason is given they were chosen on the simulator's recordings
# (plucked belts in rooms, rubs, knocks, talk): real ones were not to be had.
#: Least harmonicity of a stretch that is called a string.
_LEAST_SCORE = 0.25
#: A pluck is loudest within this (s). Then a wandering pitch is another belt that beats with it, not a voice.
_SUDDEN_S = 0.03
#: A rival pitch nearer than this (nats, for one pluck) leaves it open which of the two it is.
_LEAST_LEAD = 3.0
#: From this level on (dB beside the first), what rings along may as well be what was plucked.
_AS_LOUD_DB = -6.0
#: Pitches further apart than this (relative) are other pitches altogether.
_OTHER_PITCH = 0.03
#: Fewer plucks than these shares of what was heard are too few (of many sounds; of a doubtful pitch).
_FEW_OF_MANY, _MANY, _FEW_IN_DOUBT = 0.35, 4, 0.7
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

_NONE_RINGS = "There are sudden sounds, but none of them rings like a belt: "
_TOO_FEW = "too few others agree with it"


def agree(hearing: Hearing, rate: float, likely: Likely) -> None:
    """Find the pitch that the plucks have in common, fit each near it, and join those that agree; else say why not."""
    toned = [h for h in hearing.plucks if h.why_not is None]
    if not toned:
        hearing.why_not = _NONE_RINGS + (hearing.plucks[0].why_not or "")
        return
    common = common_pitch(toned, likely)
    if common is None:
        hearing.why_not = "What rings lies outside 15 to 500 Hz."
        return
    hearing.second_hz, hearing.second_db = common.second_hz, common.second_db
    for h in toned:
        assert h.peaks is not None and h.spectrum is not None
        h.score = float(harmonicity(h.peaks, common.near, h.spectrum.seconds).max())
        _fit_one(h, common.f0_hz, rate)
    _leave_out(hearing, toned)
    used = [h for h in hearing.plucks if h.used]
    if not used:
        hearing.why_not = _NONE_RINGS + (toned[0].why_not or "")
    elif len(used) > 1 and _is_voice(used):
        _reject(used, "it swells and wanders like a voice")
        hearing.why_not = (
            "What is heard swells and wanders in pitch like a voice, not like a plucked belt. Pluck in quiet."
        )
    elif _too_few(hearing, toned, used):
        _reject(used, _TOO_FEW)
        hearing.why_not = (
            f"{len(used)} of {len(toned)} sudden sounds could be a belt: too few that agree. "
            "It may be speech or other noise, or a different belt each time. Pluck one belt, five times, in quiet."
        )
    else:
        _join(hearing, used)
        _doubt(hearing, common, used)
        if hearing.octave_doubt and len(used) < 3 and len(used) < _FEW_IN_DOUBT * len(hearing.plucks):
            _reject(used, _TOO_FEW)
            hearing.f0_hz = hearing.u95_hz = None
            hearing.why_not = (
                "Sudden sounds were heard, but too few agree on a pitch. Pluck one belt, five times, in quiet."
            )


def _reject(used: list[Heard], why_not: str) -> None:
    for h in used:
        h.used, h.why_not = False, why_not


def _too_few(hearing: Hearing, toned: list[Heard], used: list[Heard]) -> bool:
    """Whether those that agree are too few among all that was heard to be a belt plucked on purpose."""
    if len(used) >= 3 and _firm(used):
        return False
    rivals = [h for h in toned if not h.used and h.frequency_hz is not None]
    if len(used) == 1 and not _plain(used[0]) and (len(toned) > 2 or rivals or not _clear(used[0])):
        return True
    heard = len(hearing.plucks)
    return len(used) < len(rivals) or (heard > _MANY and len(used) < _FEW_OF_MANY * heard)


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


def _doubt(hearing: Hearing, common: Common, used: list[Heard]) -> None:
    """Doubt of the pitch: one partial alone, or another pitch that explains the sound nearly as well."""
    assert hearing.f0_hz is not None
    rivals, standing = common.rivals, common.standing
    other = np.abs(np.log(rivals / hearing.f0_hz)) > _OTHER_PITCH
    heard_partials = max(len(h.fit.partials) for h in used if h.fit)
    if other.any():
        k = int(np.argmax(np.where(other, standing, -np.inf)))
        hearing.lead = float(standing[~other].max(initial=-NO_RIVAL) - standing[k])
        if hearing.lead < _LEAST_LEAD * len(used) ** 0.5:
            hearing.rival_hz = float(rivals[k])
    if hearing.rival_hz is None and hearing.second_hz is not None and hearing.second_db > _AS_LOUD_DB:
        hearing.rival_hz = hearing.second_hz
    hearing.octave_doubt = heard_partials < 2 or hearing.rival_hz is not None
