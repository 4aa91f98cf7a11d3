"""rattle: which move makes it buzz, and did what was done help: a recording while one axis runs a ladder of speeds.

The rungs are found by the mark before them. Each has its level (A-weighted, IEC 61672-1) over the pauses. The motor's tone follows the
step rate; a part that answers swells where the step rate, its double or its half passes the part's own pitch.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from .. import gcode
from ..asking import PLACE, Asked, AxisBegins, AxisEnds, last_time, measured, model, told, typical
from ..errors import BadInput
from ..fitting import Floats
from ..machine import BeltTransmission, Place
from ..quantities import Quantity, rounded, t95
from ..readers import read_wav
from .base import Advice, Context, Finding, Part, Procedure, Program, Result, StandIn

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

#: The mark (s): three bursts, the gaps between them, the rest after them.
BURST_S, GAP_S, REST_S = 0.3, 0.3, 1.0
#: Loudness is looked at in frames of so long (s); the mark has to stand out by so many dB (chosen on the simulator).
_FRAME_S, _MARK_DB = 0.01, 4.0
#: At both ends of a rung and of a pause so much is left out (s): it is still starting or ringing out.
_ENDS_S = 0.12
#: A rung's level is read in pieces of so long (s), whose spread says how well it is known.
_PIECE_S = 0.2
#: Multiples of the step rate at which a part is shaken, and how far round each (share) its pitch is looked for.
_ORDERS, _ROUND = (1.0, 2.0, 0.5), 0.13
#: A part answers that is so many dB over what the neighbouring rungs lead one to expect, and over the floor (chosen on the simulator).
_RISE_DB, _OVER_FLOOR_DB = 6.0, 8.0
#: Answers nearer than this (share) are one part; so many are told.
_ONE_PART, _MOST_ANSWERS = 0.08, 6
#: Two recordings at the same distance differ by so much by themselves (dB, u95, typical).
_AGAIN_DB = 1.0
_LEAST_RUNGS, _MOST_RUNGS, _MOST_S = 3, 40, 300.0


class Rung(Part):
    """One speed of the ladder and its level (dB over the pauses)."""

    speed_mm_s: float
    level: Quantity


class EarlierRattle(BaseModel):
    """What is needed of an earlier result."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)

    rungs: Annotated[list[Rung], Field(min_length=1, max_length=_MOST_RUNGS)]


Speed = Annotated[float, Field(ge=0.5, le=2000)]


def _full_steps(known: Any) -> float | None:
    """Full steps per mm of the drive at the place."""
    drive = known.drive
    if drive is None or drive.kind == "extruder":
        return None
    travel = drive.pitch_mm * drive.teeth if isinstance(drive, BeltTransmission) else drive.lead_mm
    return float(drive.motor_steps_per_rev * drive.gear_ratio / travel)


def _before(known: Any) -> dict[str, Any] | None:
    found = known.measured("rattle", known.place)
    return None if found is None else {"rungs": found["rungs"]}


class RattleContext(Context):
    """``ladder_mm_s``: the speeds in their order; or evenly from the slowest to the fastest. ``steps_per_mm``: full steps."""

    axis: Annotated[Place | None, told(PLACE)] = None
    slowest_mm_s: Annotated[
        Speed | None, Asked("Slowest", "mm/s", "", (last_time("slowest_mm_s"), typical(lambda k: 20.0)))
    ] = None
    fastest_mm_s: Annotated[
        Speed | None, Asked("Fastest", "mm/s", "", (last_time("fastest_mm_s"), typical(lambda k: 120.0)))
    ] = None
    rungs: Annotated[
        Annotated[int, Field(ge=_LEAST_RUNGS, le=_MOST_RUNGS)] | None,
        Asked("Speeds", "", "Closer ones find a pitch better.", (last_time("rungs"), typical(lambda k: 11))),
    ] = None
    ladder_mm_s: Annotated[list[Speed], Field(max_length=_MOST_RUNGS)] = []
    steps_per_mm: Annotated[
        float,
        Field(ge=0.01, le=10_000),
        Asked("Full steps a mm", "1/mm", "Without microsteps.", (model(_full_steps), last_time("steps_per_mm"))),
    ]
    rung_s: Annotated[float, Field(ge=0.5, le=20), Asked("Each speed runs for", "s", "1.5 is typical.", more=True)] = (
        1.5
    )
    pause_s: Annotated[float, Field(ge=0.3, le=10), Asked("Pause between", "s", "0.5 is typical.", more=True)] = 0.5
    before: Annotated[EarlierRattle | None, told(measured(_before))] = None


class AnsweringPart(Part):
    """A part that answers: its pitch, the speed at which it is loudest, and by how many dB it rises over what is to be expected."""

    frequency_hz: Quantity
    speed_mm_s: float
    rise_db: float


class LevelChange(Part):
    """How much louder (dB) a speed is than it was."""

    speed_mm_s: float
    db: Quantity


class RattleResult(Result):
    """Level by speed, what answers (the loudest first), the loudest speed, and against an earlier recording what changed."""

    procedure: Literal["rattle"] = "rattle"
    rungs: list[Rung]
    answers: list[AnsweringPart]
    loudest_speed_mm_s: float
    change: list[LevelChange]
    verdict_words: Literal["quieter", "louder", "cannot_tell"] | None
    mark_at_s: float
    floor_dbfs: float


@dataclass(frozen=True)
class _Spectra:
    """Power by rung and frequency: ``power`` (rungs, bins), ``hz`` (bins), and the pauses' own."""

    hz: Floats
    power: Floats
    floor: Floats


def analyse(context: RattleContext, data: bytes | None) -> RattleResult:
    """How loud each speed of a ladder is, and which parts answer at which.

    Parameters
    ----------
    context : RattleContext
        The ladder (mm/s), how long rungs and pauses are (s), full steps per mm.
    data : bytes
        WAV; it begins before the mark and ends after the last rung.

    Returns
    -------
    RattleResult
        ``rungs`` (dB over the pauses), ``answers`` (Hz, mm/s, dB), ``loudest_speed_mm_s``, ``change``.

    Raises
    ------
    BadInput
        Those of `readers.read_wav`; ``no_mark`` where the mark, or room for the whole ladder after it, is not found.
    """
    assert data is not None
    ladder = _ladder(context)
    sound = read_wav(data)
    if sound.seconds > _MOST_S:
        raise BadInput("too_large", f"A recording of {sound.seconds:.0f} s; {_MOST_S:.0f} at the most.", "data")
    x = sound.samples.astype(np.float64).mean(axis=1)
    begins, mark = _mark(context, x, sound.rate_hz, len(ladder))
    period = context.rung_s + context.pause_s
    runs = [(begins + i * period, begins + i * period + context.rung_s) for i in range(len(ladder))]
    # Before the first rung it rests, too.
    pauses = [(begins - REST_S, begins), *((b, b + context.pause_s) for _, b in runs)]
    floor, u_floor = _floor(x, sound.rate_hz, pauses)
    rungs = [
        Rung(speed_mm_s=v, level=_level(x, sound.rate_hz, run, floor, u_floor))
        for v, run in zip(ladder, runs, strict=True)
    ]
    spectra = _spectra(x, sound.rate_hz, runs, pauses)
    loudest = max(rungs, key=lambda r: r.level.value)
    result = RattleResult(
        verdict="not_judged",
        rungs=rungs,
        answers=_answers(ladder, context.steps_per_mm, spectra),
        loudest_speed_mm_s=loudest.speed_mm_s,
        change=[],
        verdict_words=None,
        mark_at_s=mark,
        floor_dbfs=10 * math.log10(max(floor, 1e-20)),
    )
    if context.before is not None:
        _compare(result, context.before)
    result.judge(f"Loudest, at {loudest.speed_mm_s:g} mm/s", loudest.level)
    for a in result.answers[:2]:
        result.judge(f"A part answers at {a.speed_mm_s:g} mm/s, of", a.frequency_hz)
    result.findings.append(Finding(finding="buzz", axis=context.axis, state="present" if result.answers else "unknown"))
    _warn(result, x)
    _advise(result, context)
    return result


def _ladder(context: RattleContext) -> list[float]:
    if context.ladder_mm_s:
        if len(context.ladder_mm_s) < _LEAST_RUNGS:
            raise BadInput("out_of_range", f"{len(context.ladder_mm_s)} speeds; three at the least.", "ladder_mm_s")
        return list(context.ladder_mm_s)
    if context.slowest_mm_s is None or context.fastest_mm_s is None or context.rungs is None:
        raise BadInput("missing_field", "Tell the speeds that were run, in their order.", "ladder_mm_s")
    if context.fastest_mm_s <= context.slowest_mm_s:
        raise BadInput("out_of_range", "The fastest must be faster than the slowest.", "fastest_mm_s")
    return speeds(context.slowest_mm_s, context.fastest_mm_s, context.rungs)


def speeds(slowest: float, fastest: float, rungs: int) -> list[float]:
    """The speeds of a ladder (mm/s), even steps apart, to a tenth."""
    return [round(float(v), 1) for v in np.linspace(slowest, fastest, rungs)]


def a_weight(hz: Floats) -> Floats:
    """A-weighting as a factor of power, 1 at 1 kHz (IEC 61672-1, its closed form).

    Examples
    --------
    >>> round(10 * math.log10(a_weight(np.array([100.0]))[0]), 1)
    -19.1
    """
    f2 = np.asarray(hz, dtype=float) ** 2
    ra = 12194.0**2 * f2**2 / ((f2 + 20.6**2) * np.sqrt((f2 + 107.7**2) * (f2 + 737.9**2)) * (f2 + 12194.0**2))
    out: Floats = (ra * 10 ** (2.0 / 20)) ** 2
    return out


def _weighted_power(x: Floats, rate_hz: int) -> float:
    """Mean A-weighted power of a piece."""
    if len(x) < 16:
        return 0.0
    window = np.hanning(len(x))
    spectrum = np.abs(np.fft.rfft(x * window)) ** 2
    hz = np.asarray(np.fft.rfftfreq(len(x), 1 / rate_hz), dtype=float)
    return float((spectrum * a_weight(hz)).sum() * 2 / (len(x) * (window**2).sum()))


def _mark(context: RattleContext, x: Floats, rate_hz: int, rungs: int) -> tuple[float, float]:
    """When the first rung begins and when the mark does (s): where its bursts stand out most from its rests."""
    step = max(1, int(_FRAME_S * rate_hz))
    frames = len(x) // step
    hop = step / rate_hz
    mark_s = 3 * BURST_S + 2 * GAP_S + REST_S
    whole = mark_s + rungs * (context.rung_s + context.pause_s) - context.pause_s
    if frames * hop < whole:
        raise BadInput(
            "no_mark",
            f"The recording lasts {frames * hop:.1f} s; mark and ladder take {whole:.1f} s. Record from before the mark to after the last speed.",
            "data",
        )
    # Hiss and rush are heard by their power from 100 Hz on: a fan's rumble would hide the bursts.
    loud = _frame_levels(x[: frames * step].reshape(frames, step), rate_hz)
    on = [(i * (BURST_S + GAP_S), i * (BURST_S + GAP_S) + BURST_S) for i in range(3)]
    off = [(b, b + GAP_S) for _, b in on[:2]] + [(on[2][1], on[2][1] + REST_S)]
    cumulative = np.concatenate([[0.0], np.cumsum(loud)])
    latest = int((frames * hop - whole) / hop) + 1
    start = np.arange(max(1, latest))

    def mean(piece: tuple[float, float]) -> Floats:
        a = start + round((piece[0] + 0.03) / hop)
        b = start + round((piece[1] - 0.03) / hop)
        b = np.minimum(np.maximum(b, a + 1), frames)
        out: Floats = (cumulative[b] - cumulative[np.minimum(a, frames - 1)]) / (b - np.minimum(a, frames - 1))
        return out

    contrast = np.min([mean(p) for p in on], axis=0) - np.max([mean(p) for p in off], axis=0)
    # After the rest the first speed runs.
    contrast = np.minimum(contrast, _MARK_DB * 4)
    best = int(contrast.argmax())
    if contrast[best] < _MARK_DB:
        raise BadInput(
            "no_mark",
            "Three short bursts and a rest are not heard. Record from before the mark, nearer to the machine, fans off if they can be.",
            "data",
        )
    # Of places that do as well the middle is the mark's own.
    level = np.flatnonzero(contrast >= contrast[best] - 0.5)
    near = level[np.abs(level - best) <= round(0.1 / hop)]
    at = float(near.mean()) * hop
    return at + mark_s, at


def _frame_levels(frames: Floats, rate_hz: int) -> Floats:
    """Level of each frame in dB, rumble left out."""
    spectrum = np.abs(np.fft.rfft(frames, axis=1)) ** 2
    hz = np.fft.rfftfreq(frames.shape[1], 1 / rate_hz)
    out: Floats = 10 * np.log10(spectrum[:, hz >= 90].sum(axis=1) + 1e-12)
    return out


def _piece(x: Floats, rate_hz: int, run: tuple[float, float]) -> Floats:
    return x[int((run[0] + _ENDS_S) * rate_hz) : int((run[1] - _ENDS_S) * rate_hz)]


def _floor(x: Floats, rate_hz: int, pauses: list[tuple[float, float]]) -> tuple[float, float]:
    """A-weighted power of the middle one of the pauses, and how well that is known (dB, u95)."""
    powers = [_weighted_power(p, rate_hz) for run in pauses if len(p := _piece(x, rate_hz, run)) >= 64]
    if len(powers) < 2:
        return max(powers[0] if powers else 0.0, 1e-20), 1.0
    spread = float(np.std(10 * np.log10(np.maximum(powers, 1e-20)), ddof=1))
    # A median is known 1.25 times worse than a mean.
    return max(float(np.median(powers)), 1e-20), 1.25 * t95(len(powers) - 1) * spread / math.sqrt(len(powers))


def _level(x: Floats, rate_hz: int, run: tuple[float, float], floor: float, u_floor: float) -> Quantity:
    """Level of a rung over the pauses (dB), and how well its mean is known from its pieces."""
    whole = _piece(x, rate_hz, run)
    n = max(2, int(len(whole) / rate_hz / _PIECE_S))
    db = 10 * np.log10(np.maximum([_weighted_power(p, rate_hz) for p in np.array_split(whole, n)], 1e-20) / floor)
    power = max(_weighted_power(whole, rate_hz), 1e-20)
    u = t95(n - 1) * float(db.std(ddof=1)) / math.sqrt(n)
    own = max(u, 0.1)
    return Quantity(
        value=10 * math.log10(power / floor), u95=math.hypot(own, u_floor), unit="dB", own=own, shared=u_floor
    )


def _spectra(x: Floats, rate_hz: int, runs: list[tuple[float, float]], pauses: list[tuple[float, float]]) -> _Spectra:
    """Power spectra of all rungs on one grid of frequencies, about 1 Hz apart, and the pauses' middle one."""
    size = max(256, int(min(len(_piece(x, rate_hz, r)) for r in runs)))
    window = np.hanning(size)

    def power(run: tuple[float, float]) -> Floats:
        p = _piece(x, rate_hz, run)[:size]
        out: Floats = np.abs(np.fft.rfft(np.pad(p, (0, size - len(p))) * window)) ** 2 / (window**2).sum()
        return out

    hz = np.asarray(np.fft.rfftfreq(size, 1 / rate_hz), dtype=float)
    keep = (hz >= 20) & (hz <= min(8000.0, 0.45 * rate_hz))
    quiet = []
    for run in pauses:
        p = _piece(x, rate_hz, run)
        if len(p) >= 64:
            w = np.hanning(len(p))
            own = np.abs(np.fft.rfft(p * w)) ** 2 / (w**2).sum()
            quiet.append(np.interp(hz, np.fft.rfftfreq(len(p), 1 / rate_hz), own))
    floor = np.median(quiet, axis=0) if quiet else np.full(len(hz), 1e-20)
    return _Spectra(hz[keep], np.array([power(r) for r in runs])[:, keep] + 1e-20, floor[keep] + 1e-20)


def _answers(ladder: list[float], steps_per_mm: float, s: _Spectra) -> list[AnsweringPart]:
    """Parts that answer: near a multiple of the step rate a rung is far over what its neighbours are near theirs."""
    rates = np.array(ladder) * steps_per_mm
    found: list[AnsweringPart] = []
    for order in _ORDERS:
        peaks = [_peak(s, i, order * r) for i, r in enumerate(rates)]
        levels = np.array([p[1] if p is not None else math.nan for p in peaks])
        for i, peak in enumerate(peaks):
            near = [k for k in np.argsort(np.abs(rates - rates[i]), kind="stable")[1:5] if not math.isnan(levels[k])]
            if peak is None or len(near) < 2:
                continue
            rise = peak[1] - float(np.median(levels[near]))
            if rise < _RISE_DB or peak[2] < _OVER_FLOOR_DB:
                continue
            found.append(_answer(s, i, peak[0], order, rates, ladder, rise))
    found.sort(key=lambda a: -a.rise_db)
    kept: list[AnsweringPart] = []
    for a in found:
        if all(abs(a.frequency_hz.value / k.frequency_hz.value - 1) > _ONE_PART for k in kept):
            kept.append(a)
    return kept[:_MOST_ANSWERS]


def _peak(s: _Spectra, rung: int, near_hz: float) -> tuple[float, float, float] | None:
    """The strongest pitch round a frequency in a rung: Hz, its level (dB), and by how much it is over the pauses (dB)."""
    a, b = np.searchsorted(s.hz, [near_hz * (1 - _ROUND), near_hz * (1 + _ROUND)])
    if b - a < 3:
        return None
    part = s.power[rung, a:b]
    i = int(part.argmax())
    # What a pitch spreads over belongs to it.
    low, high = max(0, i - 2), min(len(part), i + 3)
    power = float(part[low:high].sum())
    hz = float((part[low:high] * s.hz[a + low : a + high]).sum() / power)
    floor = float(s.floor[a + low : a + high].sum())
    return hz, 10 * math.log10(power), 10 * math.log10(power / floor)


def _answer(
    s: _Spectra, i: int, hz: float, order: float, rates: Floats, ladder: list[float], rise: float
) -> AnsweringPart:
    """A part's own pitch: as it is heard beside the step rate; where it is one with that, as far as the rungs are apart."""
    step = float(s.hz[1] - s.hz[0])
    driven = order * float(rates[i])
    others = np.sort(np.abs(rates - rates[i]))[1:2]
    apart = order * float(others[0]) if len(others) else 0.05 * hz
    u = 1.5 * step if abs(hz - driven) > 2.5 * step else max(1.5 * step, apart / 2)
    return AnsweringPart(frequency_hz=Quantity(value=hz, u95=u, unit="Hz"), speed_mm_s=ladder[i], rise_db=float(rise))


def _compare(result: RattleResult, before: EarlierRattle) -> None:
    """What changed speed by speed, and over all, weighed by what is loud."""
    was = {round(r.speed_mm_s, 1): r.level for r in before.rungs}
    both = [(r, was[k]) for r in result.rungs if (k := round(r.speed_mm_s, 1)) in was]
    if not both:
        result.warn("other_ladder", "The recording before ran other speeds: nothing can be compared.")
        result.verdict_words = "cannot_tell"
        return
    for r, old in both:
        u = math.hypot(r.level.u95 or 0.0, old.u95 or 0.0)
        db = Quantity(value=r.level.value - old.value, u95=math.hypot(u, _AGAIN_DB), unit="dB", own=u, shared=_AGAIN_DB)
        result.change.append(LevelChange(speed_mm_s=r.speed_mm_s, db=db))

    def over_all(levels: list[Quantity]) -> tuple[float, float]:
        power = np.array([10 ** (q.value / 10) for q in levels])
        share = power / power.sum()
        return 10 * math.log10(power.sum()), math.sqrt(
            sum((w * (q.u95 or 0.0)) ** 2 for w, q in zip(share, levels, strict=True))
        )

    now, u_now = over_all([r.level for r, _ in both])
    old_, u_old = over_all([q for _, q in both])
    u = math.sqrt(u_now**2 + u_old**2 + _AGAIN_DB**2)
    result.verdict_words = "quieter" if now - old_ < -u else "louder" if now - old_ > u else "cannot_tell"
    result.judge("All speeds together, against before", Quantity(value=now - old_, u95=u, unit="dB"))


def _warn(result: RattleResult, x: Floats) -> None:
    if float(np.abs(x).max()) > 0.99:
        result.warn("clipped", "The recording is too loud in places: further away, or turned down.")
    if max(r.level.value for r in result.rungs) < 6:
        result.warn("quiet", "The speeds are hardly louder than the pauses: nearer, and with fans off, it tells more.")


def _advise(result: RattleResult, context: RattleContext) -> None:
    target = context.axis or "all"
    if result.verdict_words is not None and result.change:
        words = {
            "quieter": "It is quieter than before: keep what was done.",
            "louder": "It is louder than before: undo what was done, and try the other way (mass under it, or feet).",
            "cannot_tell": "No louder and no quieter than can be told: what was done changes nothing here. Same distance, same place of the machine?",
        }[result.verdict_words]
        result.advice.append(Advice(action="compare", target=target, reason=words))
    if result.answers:
        a = result.answers[0]
        result.advice.append(
            Advice(
                action="hold_parts",
                target=target,
                amount=Quantity(value=a.speed_mm_s, u95=None, unit="mm/s"),
                reason=f"Something of {rounded(a.frequency_hz.value, a.frequency_hz.u95)} Hz answers at {a.speed_mm_s:g} mm/s, {a.rise_db:.0f} dB over its neighbours. Run that "
                "speed and hold panels, covers, spool and tubes one by one from outside: what stops it is it. Tighten or pad it; then mass "
                "under the machine, then soft feet, each recorded before and after, from the same place.",
            )
        )
    elif not result.change:
        result.advice.append(
            Advice(
                action="leave",
                target=target,
                reason="Nothing answers: what is heard is the motor's own tone, which grows evenly with speed. Mass or soft feet make it quieter; "
                "record again from the same place to see.",
            )
        )


class LadderProgram(Part):
    """Where the ladder runs, and the axis's own ends (mm)."""

    axis: Literal["x", "y", "z"]
    slowest_mm_s: Annotated[float, Field(ge=0.5, le=500), Asked("Slowest", "mm/s")] = 20
    fastest_mm_s: Annotated[float, Field(ge=1, le=500), Asked("Fastest", "mm/s")] = 120
    rungs: Annotated[int, Field(ge=_LEAST_RUNGS, le=_MOST_RUNGS), Asked("Speeds", "")] = 11
    low_mm: AxisBegins = 0
    high_mm: AxisEnds = 200
    rung_s: Annotated[float, Field(ge=0.5, le=20)] = 1.5
    pause_s: Annotated[float, Field(ge=0.3, le=10)] = 0.5


def _gcode(q: LadderProgram) -> str:
    if q.fastest_mm_s <= q.slowest_mm_s:
        raise BadInput("out_of_range", "The fastest must be faster than the slowest.", "fastest_mm_s")
    ladder = speeds(q.slowest_mm_s, q.fastest_mm_s, q.rungs)
    return gcode.speed_ladder(q.axis, ladder, q.rung_s, q.pause_s, q.low_mm, q.high_mm)


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, Any]) -> StandIn:
    """A simulated microphone before a simulated axis that runs the ladder."""
    from ..simulator.moving import ladder_sound
    from ..simulator.sound import wav

    known = {k: v for k, v in context.items() if k in RattleContext.model_fields and k != "before"}
    typical_ = {"steps_per_mm": 5.0, "slowest_mm_s": 20.0, "fastest_mm_s": 120.0, "rungs": 11}
    told_ = {
        k: v for k, v in typical_.items() if k not in known and not (k != "steps_per_mm" and known.get("ladder_mm_s"))
    }
    parsed = RattleContext.model_validate(known | told_)
    sound = ladder_sound(
        _ladder(parsed),
        parsed.steps_per_mm,
        machine.answering(place),
        parsed.rung_s,
        parsed.pause_s,
        seed=seed * 100 + machine.touched,
    )
    return StandIn(data=wav(sound), told=told_, machine=machine.model_copy(update={"touched": machine.touched + 1}))


PROCEDURE = Procedure(
    "rattle",
    "Which speed makes it buzz",
    RattleContext,
    RattleResult,
    analyse,
    data="wav",
    measures="axis",
    kinematics=("bed_slinger", "fixed_bed", "corexy", "belt_bed"),
    gives="rattle",
    interval_days=365,
    program=Program(
        "ladder", LadderProgram, _gcode, "Two seconds of rest, three short bursts, then each speed to and fro."
    ),
    stand_in=_stand_in,
)
