"""belt-pluck: tension of a belt from the sound of its plucked free span.

T = 4 mu L^2 f_0^2, f_0 the pitch freed of stiffness. The listening is in ``signals.plucks``.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import Field, model_validator

from ..asking import PLACE, Asked, belt, limit, told, workshop
from ..errors import BadInput
from ..machine import BeltTransmission, Place, linear_density_typical, tension_band_typical
from ..quantities import Limits, Quantity, decide, quadrature, rounded
from ..readers import read_wav
from .base import Advice, Context, Finding, Part, Procedure, Result, StandIn, source_of, three_way

if TYPE_CHECKING:
    from collections.abc import Callable

    from ..signals.partials import Array
    from ..signals.views import SoundView
    from ..simulator.machine import SimMachine

Percent = Annotated[float, Field(ge=0, le=100)]
#: No belt of a printer is set outside this (N, typical); a pitch that means more or less is doubted.
PLAUSIBLE_N = (2.0, 200.0)
#: How much a tension e times beyond the band counts against a pitch (nats).
_NATS_BEYOND = 8.0


class Target(Part):
    """The tension band of the belt (N)."""

    low: Annotated[float, Field(ge=0.01, le=10000)]
    high: Annotated[float, Field(ge=0.01, le=10000)]

    @model_validator(mode="after")
    def _in_order(self) -> Target:
        if self.high <= self.low:
            raise ValueError("the band's high must be above its low")
        return self


def _known_density_percent(b: BeltTransmission) -> float | None:
    """A belt that was weighed is known to 3 %, where nothing else was said."""
    if b.linear_density_g_per_m is None:
        return None
    return 3.0 if b.linear_density_u95_percent is None else b.linear_density_u95_percent


def _typical_band(b: BeltTransmission) -> dict[str, float]:
    low, high = tension_band_typical(b.width_mm)
    return {"low": low, "high": high}


#: The free span where the belt is plucked or pressed, and the band that its tension should be in, from what is known.
SPAN = Asked("Free span", "mm", "Pulley to clamp.", (belt(lambda b: b.spans[0].span_mm if b.spans else None),))
SPAN_U95 = Asked("Span good to ±", "mm", "1 mm by tape is typical.", more=True)
TARGET = Asked(
    "It should have", "N", "The maker's figure; else this machine's own best; else the band for its width.",
    (limit("tension", "Tension of a belt", "N", "band"), belt(_typical_band, "typical")), more=True,
)  # fmt: skip


class BeltPluckContext(Context):
    """What the belt is. Without a linear density the typical figure for ``width_mm`` is taken (± 12 %)."""

    span_mm: Annotated[float, Field(ge=1, le=5000), SPAN]
    span_u95_mm: Annotated[float, Field(ge=0, le=100), SPAN_U95] = 1.0
    linear_density_g_per_m: Annotated[
        Annotated[float, Field(ge=0.1, le=500)] | None,
        Asked(
            "The belt weighs", "g/m", "Weigh a metre of it: two minutes.",
            (belt(lambda b: b.linear_density_g_per_m), belt(lambda b: linear_density_typical(b.width_mm)[0], "typical")),
            more=True,
        ),
    ] = None  # fmt: skip
    linear_density_u95_percent: Annotated[
        Percent | None,
        Asked(
            "Its weight good to ±", "%", "3 when weighed, 12 by the table (typical).",
            (belt(_known_density_percent), belt(lambda b: linear_density_typical(b.width_mm)[1], "typical")),
            beside="linear_density_g_per_m", more=True,
        ),
    ] = None  # fmt: skip
    width_mm: Annotated[float, Field(ge=0.5, le=100)] | None = None
    target_n: Annotated[Target | None, TARGET] = None
    mains_hz: Annotated[Literal[50, 60], told(workshop(lambda k: k.mains_hz))] = 50
    axis: Annotated[Place | None, told(PLACE)] = None


class PluckHeard(Part):
    """One pluck: when, at what pitch (Hz, freed of stiffness), whether it was used, and why not."""

    at_s: float
    frequency_hz: float | None
    used: bool
    why_not: str | None = None


class PartialHeard(Part):
    """A partial as heard in the clearest pluck: its number, frequency, and level under the strongest."""

    n: int
    frequency_hz: float
    level_db: float


class OtherReading(Part):
    """What the belt has if the other pitch that the sound allows is its own."""

    frequency: Quantity
    tension: Quantity


class BeltPluckResult(Result):
    """Tension, pitch, and what was heard.

    ``second_pitch``: what rings along (the belt's other run, its partner), and how loud beside the first; None where
    nothing does. ``or_else``: the other reading where two stay possible (then ``octave_doubt`` is warned of).
    """

    procedure: Literal["belt-pluck"] = "belt-pluck"
    tension: Quantity
    frequency: Quantity
    inharmonicity: float
    plucks: list[PluckHeard]
    partials: list[PartialHeard]
    second_pitch: Quantity | None = None
    second_level_db: float | None = None
    or_else: OtherReading | None = None


def _likely(tension_at: Callable[[float], float]) -> Callable[[Array], Array]:
    """How likely each pitch (Hz) is by its tension, in nats: alike within the plausible band, falling outside it."""

    def nats(hz: Array) -> Array:
        import numpy as np

        tension = tension_at(1.0) * hz**2
        low, high = PLAUSIBLE_N
        beyond = np.maximum(np.log(low / tension), np.log(tension / high))
        return np.asarray(-_NATS_BEYOND * np.clip(beyond, 0, 3))

    return nats


def _or_else(hz: float, f0: float, tension: Quantity) -> OtherReading:
    k = (hz / f0) ** 2
    return OtherReading(
        frequency=Quantity(value=hz, unit="Hz"),
        tension=Quantity(value=tension.value * k, u95=None if tension.u95 is None else tension.u95 * k, unit="N"),
    )


def analyse(context: BeltPluckContext, data: bytes | None) -> BeltPluckResult:
    """Hear the plucks in a recording and give the tension.

    Parameters
    ----------
    context : BeltPluckContext
        Free span (mm) and linear density (g/m), each with its uncertainty; the target (N), where known.
    data : bytes
        WAV, 8 to 192 kHz, mono or more.

    Returns
    -------
    BeltPluckResult
        ``tension`` (N, with own and shared parts), ``frequency`` (Hz, freed of stiffness), each pluck, the partials.

    Raises
    ------
    BadInput
        Those of `readers.read_wav`; ``no_pluck``.

    Notes
    -----
    A stiff string: f_n = n f_0 sqrt(1 + B n^2), T = 4 mu L^2 f_0^2 (Fletcher 1964).

    Examples
    --------
    Five simulated plucks at 100 Hz, on 285 mm of an 8 g/m belt:

    >>> from kestov_core.simulator.sound import Belt, Pluck, Room, record, wav
    >>> sound = record(Belt(f0_hz=100.0), [Pluck(at_s=0.4 + i) for i in range(5)], 5.5, 16000, Room(hiss=0.001), seed=3)
    >>> result = analyse(BeltPluckContext(span_mm=285, linear_density_g_per_m=8), wav(sound))
    >>> round(result.frequency.value), sum(p.used for p in result.plucks)
    (100, 5)
    """
    from ..signals.plucks import hear

    assert data is not None
    density, density_percent = density_of(context)
    sound = read_wav(data)
    if sound.seconds < 0.25:
        raise BadInput("no_pluck", f"The recording is only {sound.seconds:.2f} s long: too short for a pluck.", "data")
    span_m = context.span_mm / 1000

    def tension_at(hz: float) -> float:
        return 4 * density / 1000 * span_m**2 * hz**2

    hearing = hear(sound.samples, sound.rate_hz, _likely(tension_at))
    if hearing.f0_hz is None or hearing.u95_hz is None:
        raise BadInput("no_pluck", hearing.why_not, "data")

    f0, u_f = hearing.f0_hz, hearing.u95_hz
    tension = tension_at(f0)
    own = tension * 2 * u_f / f0
    shared = tension * quadrature(2 * context.span_u95_mm / context.span_mm, density_percent / 100)
    u95 = quadrature(own, shared)
    limits = Limits(low=context.target_n.low, high=context.target_n.high) if context.target_n else None
    result_tension = Quantity(value=tension, u95=u95, unit="N", own=own, shared=shared)
    used = [h for h in hearing.plucks if h.used]
    clearest = max((h.fit for h in used if h.fit), key=lambda fit: len(fit.partials))
    result = BeltPluckResult(
        verdict=decide(tension, u95, limits),
        tension=result_tension,
        frequency=Quantity(value=f0, u95=u_f, unit="Hz"),
        inharmonicity=hearing.b,
        plucks=[
            PluckHeard(at_s=h.at_s, frequency_hz=h.frequency_hz, used=h.used, why_not=h.why_not) for h in hearing.plucks
        ],
        partials=[PartialHeard(n=p.n, frequency_hz=p.hz, level_db=p.level_db) for p in clearest.partials],
        second_pitch=None if hearing.second_hz is None else Quantity(value=hearing.second_hz, unit="Hz"),
        second_level_db=None if hearing.second_hz is None else hearing.second_db,
        or_else=None if hearing.rival_hz is None else _or_else(hearing.rival_hz, f0, result_tension),
    )
    result.judge("Tension", result.tension, limits, source_of(context, "target_n"), result.verdict)
    _warn(result, context, len(used), hearing)
    _find(result, context, limits)
    _advise(result, context, own, shared, u95)
    return result


def density_of(context: BeltPluckContext) -> tuple[float, float]:
    """Linear density (g/m) and its u95 (%): as given (3 % when weighed), else typical for the width."""
    if context.linear_density_g_per_m is not None:
        given = context.linear_density_u95_percent
        return context.linear_density_g_per_m, 3.0 if given is None else given
    if context.width_mm is None:
        raise BadInput(
            "missing_field",
            "linear_density_g_per_m: weigh a metre of the belt, or give width_mm for the typical figure.",
            "linear_density_g_per_m",
        )
    return linear_density_typical(context.width_mm)


def _warn(result: BeltPluckResult, context: BeltPluckContext, used: int, hearing: object) -> None:
    from ..signals.heard import Hearing

    assert isinstance(hearing, Hearing)
    if used < 3:
        result.warn(
            "few_plucks",
            f"Only {used} {'pluck' if used == 1 else 'plucks'} could be used; three or more show how far they spread.",
        )
    if hearing.disagree:
        result.warn(
            "plucks_disagree", "The plucks lie more than 2 % apart. Was the carriage moved, or the belt touched?"
        )
    if hearing.octave_doubt:
        result.warn("octave_doubt", _doubt_words(result))
    elif not PLAUSIBLE_N[0] <= result.tension.value <= PLAUSIBLE_N[1]:
        result.warn(
            "octave_doubt",
            f"{result.tension.value:.3g} N is outside what belts are set to ({PLAUSIBLE_N[0]:g} to {PLAUSIBLE_N[1]:g} N, typical): "
            "is the span right, and was this run plucked? Lay a finger on the other run and pluck again.",
        )
    if hearing.clipped > 1e-4:
        result.warn("clipped", "The recording is clipped. The pitch stands, but move the microphone a little away.")
    if hearing.seconds < 2:
        result.warn(
            "short_recording",
            f"The recording is {hearing.seconds:.1f} s long; about ten seconds with five plucks is best.",
        )
    mains = [t for t in hearing.tones if _is_mains(t.frequency_hz, context.mains_hz)]
    if mains and max(t.amplitude for t in mains) > 0.003:
        result.warn("mains_hum", f"Mains hum at {mains[0].frequency_hz:.0f} Hz was heard and left out.")


def _doubt_words(result: BeltPluckResult) -> str:
    other = result.or_else
    if other is None:
        return "Only one partial was heard: the pitch may be an octave off. Record closer, or pluck nearer one end."
    return (
        f"Two readings stay possible: {result.tension.value:.3g} N ({result.frequency.value:.1f} Hz) or "
        f"{other.tension.value:.3g} N ({other.frequency.value:.1f} Hz). "
        "Lay a finger on the belt's other run and pluck again: the pitch that stays is this run's."
    )


def _is_mains(hz: float, mains_hz: int) -> bool:
    n = round(hz / mains_hz)
    return 1 <= n <= 12 and abs(hz - n * mains_hz) < 0.004 * n * mains_hz


def _find(result: BeltPluckResult, context: BeltPluckContext, limits: Limits | None) -> None:
    if limits is None or limits.low is None or limits.high is None:
        return
    for finding, low, high in (("belt_slack", limits.low, None), ("belt_overtight", None, limits.high)):
        side = decide(result.tension.value, result.tension.u95, Limits(low=low, high=high), outer=0)
        result.findings.append(Finding(finding=finding, axis=context.axis, state=three_way(side), value=result.tension))


def _advise(result: BeltPluckResult, context: BeltPluckContext, own: float, shared: float, u95: float) -> None:
    if context.target_n is None:
        return
    band, tension = context.target_n, result.tension
    middle = (band.low + band.high) / 2
    target = context.axis or "belt"
    if result.verdict == "cannot_tell":
        if shared > own:
            result.advice.append(
                Advice(
                    action="weigh_belt" if context.linear_density_u95_percent != 0 else "measure_span",
                    target=target,
                    reason="The reading is steady; what is unsure is the belt's own weight and length. "
                    "Weigh a metre of it (two minutes): more plucks would not settle it.",
                )
            )
        else:
            gap = min(abs(tension.value - band.low), abs(tension.value - band.high))
            room = math.sqrt(max(gap**2 - shared**2, 1e-9))
            used = sum(p.used for p in result.plucks)
            more = max(1, min(20, math.ceil(used * (own / room) ** 2) - used))
            result.advice.append(
                Advice(
                    action="pluck_again",
                    target=target,
                    amount=Quantity(value=more, unit="1"),
                    reason=f"The limit lies inside the uncertainty; about {more} more plucks would settle it.",
                )
            )
    elif result.verdict == "out_of_tolerance":
        slack = tension.value < band.low
        result.advice.append(
            Advice(
                action="tighten_belt" if slack else "slacken_belt",
                target=target,
                amount=Quantity(value=abs(middle - tension.value), u95=u95, unit="N"),
                direction="up" if slack else "down",
                reason=f"{rounded(tension.value, u95)} N lies {'below' if slack else 'above'} the band of "
                f"{band.low:g} to {band.high:g} N."
                + ("" if slack else " Over-tight wears bearings and motor shafts as slack wears teeth."),
                expect=Quantity(value=middle, u95=u95, unit="N"),
            )
        )


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, object]) -> StandIn:
    """A simulated microphone at a simulated belt."""
    from ..simulator.machine import pluck
    from ..simulator.sound import wav

    after, sound = pluck(machine, place)
    return StandIn(data=wav(sound), machine=after)


def _view(context: BeltPluckContext, data: bytes, found: dict[str, Any]) -> SoundView:
    """Waveform and spectrum, the plucks that were used, and the spectrum as far as the partials go."""
    from ..signals.views import sound_view

    used = [p["at_s"] for p in found["plucks"] if p["used"]]
    return sound_view(read_wav(data), used, 7.5 * found["frequency"]["value"])


PROCEDURE = Procedure(
    "belt-pluck",
    "Belt tension by pitch",
    BeltPluckContext,
    BeltPluckResult,
    analyse,
    data="wav",
    measures="belt",
    gives="tension",
    expected=True,
    adjustable=True,
    interval_days=30,
    live="microphone",
    rounds=True,
    stand_in=_stand_in,
    true=("tension", lambda m, place: m.belts[place].tension_n if place in m.belts else None),
    view=_view,
)
