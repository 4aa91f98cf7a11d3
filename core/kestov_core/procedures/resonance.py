"""resonance: what rings when an axis is shaken, whether to believe it, and what a shaper would buy and cost.

The carriage's acceleration is recorded while motors (or a knuckle) shake it. Fits are in ``signals.modes``, what the
kinds of excitation need in ``signals.listening``, shapers in ``signals.shapers``.
"""

from __future__ import annotations

import itertools
import math
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import Field

from ..asking import PLACE, Asked, Choice, Known, limit, measured, told, typical
from ..machine import Place
from ..quantities import UNITS, Limits, Quantity, Told, Verdict, decide, own_u95, quadrature
from ..readers import read_columns
from ._first_look import (
    WHY_NO_SHAPER,
    Slow,
    doubt_slow,
    listen_slowly,
    lowered_by,
    taken_slowly,
    without_sensor,
)
from ._shaken_advised import advise
from ._shaped import RESIDUAL_LIMIT, ModeFound, Shaped, ShaperName, least_smoothing, shapers_for
from .base import Advice, Context, Finding, Part, Procedure, Result, StandIn, three_way

if TYPE_CHECKING:
    from ..machine import Description
    from ..signals.response import Response
    from ..signals.sampling import Array, Even
    from ..signals.views import ShakenView
    from ..simulator.machine import SimMachine

Axis = Literal["x", "y", "z", "a", "b"]
#: Two resonances are one that is split: closer than this ratio, the weaker with at least this share (typical).
_SPLIT_RATIO, _SPLIT_SHARE = 1.35, 0.25
#: Typical: below these the record is not believed, or the axis counts as softer than it was.
_LEAST_SNR_DB = {"sweep": 15.0, "impulse": 8.0, "ambient": 11.0}
_AS_MUCH, _BROAD, _FELL_PERCENT = 0.7, 0.2, -5.0
#: A sensor's own clock (u95, typical): times that are perfectly even were not taken but counted out by it.
CLOCK_U95 = 0.02
#: Of simulated machines: what swings weighs (g), where nobody tells otherwise; and a sensor from this weight on is a phone.
_SWINGS_G, _PHONE_G = 600.0, 100.0


def _last_believed(known: Known) -> Any:
    """This direction's frequency as it was measured last and believed."""
    found = known.measured("resonance", known.place)
    return found["frequency"] if found else None


class ResonanceContext(Context):
    """How it was shaken. ``baseline``: this axis's frequency when it was good (Hz), to compare with. ``added_g``: what the sensor weighs;
    ``moved_g``: what swings along this axis without it.
    """

    excitation: Annotated[
        Literal["sweep", "impulse", "ambient"],
        Asked(
            "How is it shaken?", sources=(typical(lambda k: "sweep"),),
            choices=(
                Choice(value="sweep", label="Sweep", hint="Short moves to and fro, from 5 up to 140 a second, in 20 seconds or more."),
                Choice(value="impulse", label="Knocks", hint="Motors holding: knock what moves along this direction with a knuckle, five times or more, a second or two apart."),
                Choice(value="ambient", label="Any shaking", hint="Let it print, or move to and fro, for a minute while recording."),
            ),
        ),
    ]  # fmt: skip
    smoothing_limit_mm: Annotated[
        float,
        Field(ge=0.001, le=5),
        Asked("Corners may round by", "mm", "0.12 is typical.", (limit("smoothing", "Corners may round by", "mm"),)),
    ] = 0.12
    unit: Annotated[
        Literal["m/s2", "g", "mm/s2"],
        Asked(
            "The file's unit", sources=(typical(lambda k: "m/s2"),),
            choices=(Choice(value="m/s2", label="m/s²"), Choice(value="g", label="g"), Choice(value="mm/s2", label="mm/s²")),
        ),
    ]  # fmt: skip
    excited_axis: Annotated[Axis, told(PLACE)]
    max_frequency_hz: Annotated[
        float, Field(ge=20, le=500), Asked("Looked at up to", "Hz", "150 is typical.", more=True)
    ] = 150.0
    added_g: Annotated[
        float,
        Field(ge=0, le=5_000),
        Asked(
            "The sensor weighs",
            "g",
            "A phone with its holder about 250 g: that lowers what it shows. A small sensor: 0.",
            more=True,
        ),
    ] = 0.0
    moved_g: Annotated[
        float | None,
        Field(ge=20, le=200_000),
        Asked(
            "What swings weighs",
            "g",
            "Head with carriage, or bed with plate and carriage, within a third. Counts with a heavy sensor.",
            more=True,
        ),
    ] = None
    baseline: Annotated[Told | None, told(measured(lambda k: _last_believed(k)))] = None
    axis: Annotated[Place | None, told(PLACE)] = None


class Shaken(Part):
    """One sample: when, and the acceleration along each axis, in the unit that the context names."""

    time_s: Annotated[float, Field(ge=-1e9, le=1e9), Asked("Time", "s")]
    ax: Annotated[float, Field(ge=-20_000, le=20_000), Asked("Acceleration X", "m/s2")]
    ay: Annotated[float, Field(ge=-20_000, le=20_000), Asked("Acceleration Y", "m/s2")]
    az: Annotated[float, Field(ge=-20_000, le=20_000), Asked("Acceleration Z", "m/s2")]


class Spectrum(Part):
    """Power spectral density ((mm/s2)^2/Hz) of the excited direction, of the fit, and of the two other directions."""

    frequency_hz: list[float]
    excited: list[float]
    fitted: list[float]
    others: dict[str, list[float]]


class Quality(Part):
    """What the record is worth. ``resampled``: the rows were not evenly spaced. ``rates_hz``: of a slow sensor, those that it was taken at."""

    coherence_or_snr_db: float
    sample_rate_hz: float
    jitter_percent: float
    gaps: int
    seconds: float
    resampled: bool
    rates_hz: list[float] = []


class ResonanceResult(Result):
    """Modes, spectrum, shapers; ``why_not``: in words, where no shaper is recommended. ``stiffness_ratio``: (f/f_0)^2. ``elsewhere``: Hz at
    which the strongest may as well ring, as far as so few samples a second can tell.
    """

    procedure: Literal["resonance"] = "resonance"
    frequency: Quantity | None
    modes: list[ModeFound]
    spectrum: Spectrum
    shapers: list[Shaped]
    recommended: ShaperName | None
    why_not: str = ""
    quality: Quality
    stiffness_ratio: Quantity | None = None
    elsewhere: list[float] = []


def analyse(context: ResonanceContext, data: bytes | None) -> ResonanceResult:
    """What an axis answers when it is shaken: its modes, whether to believe them, and the shapers for them.

    Parameters
    ----------
    context : ResonanceContext
        The unit of the accelerations, the axis, how it was excited.
    data : bytes
        CSV ``time_s,ax,ay,az``.

    Returns
    -------
    ResonanceResult
        ``modes`` (Hz undamped, damping ratio, share), ``spectrum``, ``shapers``, ``recommended``, ``quality``.

    Raises
    ------
    BadInput
        Those of `readers.read_columns` and of `signals.sampling.evenly`.

    Examples
    --------
    A simulated axis with a mode at 50 Hz, swept:

    >>> from kestov_core.simulator.shaking import Sensor, Shake, SimAxis, SimMode, shake
    >>> shaken = shake(SimAxis(modes=[SimMode(hz=50, damping=0.06)]), "x", Shake(), Sensor(), seed=1)
    >>> context = ResonanceContext(unit=Sensor().unit, excited_axis="x", excitation="sweep")
    >>> result = analyse(context, shaken.csv())
    >>> round(result.frequency.value), [m.share for m in result.modes]
    (50, [1.0])
    """
    assert data is not None
    return analyse_rows(context, *_rows(data))


def _rows(data: bytes) -> tuple[Array, Array]:
    """Times (n,) and the three accelerations (3, n) of a table."""
    import numpy as np

    table = read_columns(data, ("time_s", "ax", "ay", "az"))
    return table["time_s"], np.stack([table["ax"], table["ay"], table["az"]])


def analyse_rows(context: ResonanceContext, time_s: Array, acceleration: Array) -> ResonanceResult:
    """The same for rows that are read already: ``time_s`` (n,), ``acceleration`` (3, n) in the context's unit."""
    from ..signals.listening import listen

    even, others = _evenly(context, time_s, acceleration)
    slow, lowered = taken_slowly(context, even.raw_rate_hz, time_s), lowered_by(context)
    if slow is not None:
        turned = _directions(context.excited_axis, acceleration * UNITS[context.unit][1])[0]
        response = listen_slowly(slow, turned, context.max_frequency_hz)
    else:
        response = listen(even, context.excitation, context.max_frequency_hz)
    modes = _modes(response, CLOCK_U95 if even.counted_out else 0.0, lowered)
    strongest = max(modes, key=lambda m: m.share).frequency if modes else None
    result = ResonanceResult(
        verdict="not_judged",
        frequency=strongest,
        modes=modes,
        spectrum=_spectrum(response, others, lowered),
        shapers=shapers_for(modes, context.smoothing_limit_mm),
        recommended=None,
        quality=Quality(
            coherence_or_snr_db=response.snr_db,
            sample_rate_hz=even.raw_rate_hz,
            jitter_percent=100 * even.jitter,
            gaps=even.gaps,
            seconds=even.seconds,
            resampled=slow is None and (even.jitter > 1e-4 or even.gaps > 0),
            rates_hz=[] if slow is None else slow.rates,
        ),
    )
    for shaped in result.shapers:
        shaped.leaves = _leaves(shaped, response)
    place: Place = context.axis or context.excited_axis
    doubts = _doubt(result, context, even, response, others, slow)
    if doubts:
        result.verdict, result.why_not = "cannot_tell", " ".join(doubts)
    elif slow is not None:
        result.why_not = WHY_NO_SHAPER
    else:
        result.recommended = least_smoothing(result.shapers)
        if result.recommended is None:
            result.why_not = (
                f"No shaper leaves {RESIDUAL_LIMIT:.0%} or less of every mode: they lie too far apart. "
                "Stiffen or lighten what makes the weaker one, or slow down."
            )
            result.advice.append(Advice(action="stiffen", target=place, reason=result.why_not))
    if strongest is not None:
        words = "Rings strongest at" if len(modes) > 1 else "Rings at"
        result.judge(words, strongest, verdict=result.verdict)
    _compare(result, context, place)
    _find(result, response, place, slow)
    advise(result, context, place, slow)
    return result


def even_samples(context: ResonanceContext, data: bytes) -> Even:
    """The capture's samples, excited direction first, evenly spaced: for drawing."""
    return _evenly(context, *_rows(data))[0]


def _evenly(context: ResonanceContext, time_s: Array, acceleration: Array) -> tuple[Even, tuple[str, str]]:
    """Even samples in mm/s2, excited direction first, and the names of the two across it."""
    from ..signals.sampling import evenly

    turned, others = _directions(context.excited_axis, acceleration * UNITS[context.unit][1])
    return evenly(time_s, turned, context.max_frequency_hz), others


def _directions(axis: Axis, a: Array) -> tuple[Array, tuple[str, str]]:
    """The excited direction and the two across it, with their names. a lies along (1, 1), b along (1, -1)."""
    import numpy as np

    if axis in ("a", "b"):
        along, across = (a[0] + a[1]) / math.sqrt(2), (a[0] - a[1]) / math.sqrt(2)
        return (
            (np.stack([along, across, a[2]]), ("b", "z"))
            if axis == "a"
            else (np.stack([across, along, a[2]]), ("a", "z"))
        )
    order = {"x": (0, 1, 2), "y": (1, 0, 2), "z": (2, 0, 1)}[axis]
    return a[list(order)], ("xyz"[order[1]], "xyz"[order[2]])


def _modes(response: Response, clock_u95: float, lowered: float) -> list[ModeFound]:
    """Modes as quantities, without the sensor's weight; what its clock may be off is common to all it records."""
    out = []
    for m in response.fit.modes if response.fit else []:
        u_f, u_z = 2 * m.u_hz, 2 * m.u_damping
        out.append(
            ModeFound(
                frequency=without_sensor(
                    Quantity(
                        value=m.hz, u95=quadrature(u_f, clock_u95 * m.hz), own=u_f, shared=clock_u95 * m.hz, unit="Hz"
                    ),
                    lowered,
                ),
                damping_ratio=Quantity(
                    value=m.damping, u95=u_z, unit="1", low=max(0.0, m.damping - u_z), high=m.damping + u_z
                ),
                share=m.share,
            )
        )
    return out


def _spectrum(response: Response, others: tuple[str, str], lowered: float) -> Spectrum:
    def short(values: object) -> list[float]:
        return [float(f"{v:.4g}") for v in values]  # type: ignore[attr-defined]

    fitted: object = (
        response.fit.model if response.fit is not None and len(response.fit.model) == len(response.f) else []
    )
    return Spectrum(
        frequency_hz=short(response.f * lowered),
        excited=short(response.power),
        fitted=short(fitted),
        others={name: short(p) for name, p in zip(others, response.others, strict=True)},
    )


def _leaves(shaped: Shaped, response: Response) -> list[float]:
    """Power times the square of the shaper's frequency response |sum A_i e^(-2 pi j f t_i)|."""
    import numpy as np

    times = np.array([i.time_s for i in shaped.impulses])
    amplitudes = np.array([i.amplitude for i in shaped.impulses])
    passed = (amplitudes * np.exp(-2j * np.pi * response.f[:, None] * times)).sum(1)
    return [float(f"{v:.3g}") for v in response.power * np.abs(passed) ** 2]


def _doubt(
    result: ResonanceResult,
    context: ResonanceContext,
    even: Even,
    response: Response,
    others: tuple[str, str],
    slow: Slow | None,
) -> list[str]:
    """Every reason not to tune a shaper to this record, the gravest first; each is a warning, too."""
    from ..signals.response import cross_talk

    doubts: list[str] = []

    def refuse(code: str, message: str) -> None:
        result.warn(code, message)
        doubts.append(message)

    if response.not_linear:
        refuse(
            "play_suspected",
            f"The axis does not answer like a spring: {'; '.join(response.not_linear)}. Look for play before anything is tuned.",
        )
    unseen = {
        "sweep": "No sweep is to be seen in the record.",
        "impulse": "No knock with a free swing after it is to be heard.",
    }
    if not response.seen:
        refuse("low_snr", unseen[context.excitation] + " Was it the right file and kind of excitation?")
    elif not result.modes and response.not_linear:
        doubts.append("No mode can be fitted to it.")
    elif not result.modes:
        refuse(
            "low_snr",
            "No resonance stands out from the noise. Shake harder, fasten the sensor better, or record longer.",
        )
    elif response.snr_db < _LEAST_SNR_DB[context.excitation]:
        refuse(
            "low_snr",
            f"The resonance stands only {max(response.snr_db, 0):.0f} dB over the noise. "
            "Shake harder, fasten the sensor better, or record longer.",
        )
    elif response.fit is not None and all(2 * m.u_hz > 0.04 * m.hz for m in response.fit.modes):
        refuse(
            "broad_or_split_peak",
            "Its frequency cannot be told to 4 %: the peak is not that of a spring, or the record is too short.",
        )
    split = _split(result.modes, response)
    if result.modes and split:
        refuse(
            "broad_or_split_peak",
            f"{split} Loose or unequal parts do that: look at belts, mounts and frame joints, then record again.",
        )
    if result.modes:
        ratio, which = cross_talk(response)
        if ratio >= _AS_MUCH:
            refuse(
                "axis_cross_talk",
                f"{others[which - 1].upper()} answers {ratio:.1f} times as much as {context.excited_axis.upper()}, which was shaken. "
                "Is the sensor turned, or does something loose, the frame or the table, swing along?",
            )
    if slow is not None:
        doubt_slow(result, slow, lowered_by(context), refuse)
    elif even.aliasing:
        refuse(
            "aliasing_possible",
            f"At {even.raw_rate_hz:.0f} samples a second, what swings faster can pose as a resonance. Use a faster rate.",
        )
    if context.added_g and context.moved_g is None and result.frequency is not None:
        refuse(
            "sensor_heavy",
            f"The sensor's own {context.added_g:g} g lower what it shows: without it the axis rings at {result.frequency.value:.0f} Hz or "
            "more. Tell what swings weighs, within a third.",
        )
    if even.clipped:
        refuse(
            "saturated",
            f"{even.clipped:.1%} of the samples stand at the end of the sensor's range: what went beyond it is lost. "
            "Set a wider range, or shake less hard, and record again.",
        )
    if even.rounded:
        result.warn(
            "stamps_rounded",
            "Several rows share a time, or all times are rounded to a coarse step: they were spread evenly, as the sensor's own clock runs.",
        )
    elsewhere = _unit_that_fits(even, context.unit)
    if elsewhere:
        result.warn(
            "unit_doubtful",
            f"At rest the record reads {elsewhere[0]}, as gravity does in {elsewhere[1]}, not in {context.unit}: is the unit right? "
            "Frequencies and shapers do not depend on it.",
        )
    if even.counted_out:
        result.warn(
            "counted_out",
            f"The times are perfectly even: the sensor counted them out by its own clock, which may be {CLOCK_U95:.0%} off (typical). "
            "Comparisons with the same sensor do not suffer from it.",
        )
    if slow is None and ((even.jitter > 1e-3 and not even.rounded) or even.gaps):
        result.warn(
            "resampled",
            f"The samples were not evenly spaced (steps vary by {100 * even.jitter:.1f} %, {even.gaps} gaps): they were resampled.",
        )
    return doubts


def _unit_that_fits(even: Even, unit: str) -> tuple[str, str] | None:
    """What the record reads at rest, and another unit in which this would be gravity; None where the told one fits, or no gravity is told."""
    import numpy as np

    gravity = UNITS["g"][1]
    rest = float(np.sqrt((even.rest**2).sum()))
    if abs(rest / gravity - 1) < 0.2:
        return None
    read = rest / UNITS[unit][1]
    for other in ("m/s2", "g", "mm/s2"):
        if other != unit and abs(read * UNITS[other][1] / gravity - 1) < 0.1:
            return f"{read:.3g} {unit}", other
    return None


def _split(modes: list[ModeFound], response: Response) -> str:
    """Words for a peak that is broad, or is two that cannot be told apart; empty where it is neither."""
    for m in modes:
        if m.damping_ratio.value > _BROAD and m.share > 0.1:
            return f"The peak at {m.frequency.value:.0f} Hz is broader than one spring makes it."
    for a, b in itertools.pairwise(modes):
        apart = b.frequency.value - a.frequency.value
        widths = a.damping_ratio.value * a.frequency.value + b.damping_ratio.value * b.frequency.value
        unsure = quadrature(own_u95(a.frequency), own_u95(b.frequency))
        if (apart < 0.75 * widths or unsure > 0.5 * apart) and min(a.share, b.share) > 0.03:
            return f"The peak at {(a.frequency.value + b.frequency.value) / 2:.0f} Hz is two that cannot be told apart."
    for a, b in itertools.pairwise(modes):
        apart = b.frequency.value - a.frequency.value
        widths = a.damping_ratio.value * a.frequency.value + b.damping_ratio.value * b.frequency.value
        sharp, broad = sorted((a.damping_ratio.value, b.damping_ratio.value))
        if apart < 1.3 * widths and sharp < 0.5 * broad and min(a.share, b.share) > 0.02:
            return f"The peak at {max(a, b, key=lambda m: m.share).frequency.value:.0f} Hz leans: it is steeper on one side than a spring makes it."
    for m in modes:
        if (m.damping_ratio.u95 or 0) > 0.8 * m.damping_ratio.value and m.share > 0.3:
            return f"The peak at {m.frequency.value:.0f} Hz is not the shape of one spring."
    if response.fit is not None and len(response.fits) > 1:
        better = min(f.misfit for f in response.fits)
        if (len(modes) == 1 and response.fit.misfit > max(2 * better, 0.02)) or response.fit.misfit > max(
            6 * better, 0.04
        ):
            return "The peak has a shape that one spring a mode does not explain."
    return ""


def _compare(result: ResonanceResult, context: ResonanceContext, place: Place) -> None:
    """Stiffness against the axis's own good frequency: k/k_0 = (f/f_0)^2 for the same moved mass."""
    if context.baseline is None or result.frequency is None:
        return
    was = context.baseline.in_unit("Hz", "baseline")
    now = min((m.frequency for m in result.modes), key=lambda q: abs(math.log(q.value / was.value)))
    ratio = (now.value / was.value) ** 2
    u = ratio * 2 * quadrature(own_u95(now) / now.value, own_u95(was) / was.value)
    result.stiffness_ratio = Quantity(value=ratio, u95=u, unit="1")
    change = Quantity(value=100 * (now.value / was.value - 1), u95=50 * u / ratio * now.value / was.value, unit="%")
    verdict: Verdict = (
        "cannot_tell"
        if result.verdict == "cannot_tell"
        else decide(change.value, change.u95, Limits(low=_FELL_PERCENT), outer=0)
    )
    result.findings.append(Finding(finding="resonance_fell", axis=place, state=three_way(verdict), value=change))
    if verdict == "out_of_tolerance":
        result.advice.append(
            Advice(
                action="find_what_softened",
                target=place,
                amount=change,
                reason=f"It rings at {now.value:.1f} Hz where it rang at {was.value:.1f}: {ratio:.0%} of its stiffness, if the head weighs "
                "what it did. Belt tension, carriage and mounts first; a heavier head does the same.",
                expect=was,
            )
        )


def _is_split(modes: list[ModeFound]) -> bool:
    """Whether one resonance stands as two: a second one close by that carries a fair share of it."""
    strong = sorted(modes, key=lambda m: -m.share)[:2]
    if len(strong) < 2 or strong[1].share < _SPLIT_SHARE:
        return False
    low, high = sorted(m.frequency.value for m in strong)
    return high / low < _SPLIT_RATIO


def _find(result: ResonanceResult, response: Response, place: Place, slow: Slow | None) -> None:
    state: Literal["present", "absent", "unknown"] = "present" if response.not_linear else "absent"
    if slow is not None or (
        not response.not_linear and (result.frequency is None or any(w.code == "low_snr" for w in result.warnings))
    ):
        state = "unknown"
    result.findings.append(Finding(finding="resonance_not_linear", axis=place, state=state))
    if state != "unknown":
        split = Finding(finding="resonance_split", axis=place, state="absent")
        result.findings.append(split.model_copy(update={"state": "present"}) if _is_split(result.modes) else split)
    if result.frequency is not None and result.verdict != "cannot_tell":
        result.findings.append(
            Finding(finding="ringing_frequency", axis=place, state="present", value=result.frequency)
        )


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, Any]) -> StandIn:
    """A simulated accelerometer on a simulated machine that is shaken for ``seconds`` (default 20); one as heavy as a phone is one, where
    it is knocked.
    """
    from ..simulator.machine import shake_axis

    weighs, kind = context.get("added_g") or 0.0, context["excitation"]
    laden, phone = weighs / (context.get("moved_g") or _SWINGS_G), kind == "impulse" and weighs >= _PHONE_G
    after, got = shake_axis(machine, place, kind, context.get("seconds", 20.0), laden, phone)
    return StandIn(data=got.csv(), told={"unit": got.unit}, machine=after)


def _view(context: ResonanceContext, data: bytes, found: dict[str, Any]) -> ShakenView:
    """Time, and time against frequency, thinned out by least and greatest."""
    from ..signals.views import shaken_view

    return shaken_view(even_samples(context, data), context.max_frequency_hz)


def _at(description: Description) -> tuple[str, ...]:
    """The axes that move fast; where belts cross, the diagonals too, each of which one belt makes."""
    return ("x", "y", "a", "b") if description.kinematics == "corexy" else ("x", "y")


PROCEDURE = Procedure(
    "resonance",
    "Resonance of an axis",
    ResonanceContext,
    ResonanceResult,
    analyse,
    data="csv",
    measures="axis",
    at=_at,
    row=Shaken,
    as_mapped={"unit": "m/s2"},
    live="accelerometer",
    stand_in=_stand_in,
    healthy={"excitation": "sweep"},
    view=_view,
)
