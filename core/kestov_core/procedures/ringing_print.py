"""ringing-print: frequency and damping of what rings, from the ripples after a printed corner.

f = v * count / distance; damping by the logarithmic decrement of successive peaks. The shaper table is that of `resonance`.
Ripples are motion across the wall they stand on: a wall along x shows the ringing of y.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from pydantic import Field

from ..asking import Asked, last_time, limit, model, told
from ..errors import BadInput
from ..machine import Kinematics, Place, across, whose_motion
from ..quantities import Quantity, odd_ones, quadrature, t95
from ._shaped import ModeFound, Shaped, ShaperName, least_smoothing, shapers_for
from .base import Advice, Context, Finding, Part, Procedure, Result, StandIn

if TYPE_CHECKING:
    from ..machine import Description
    from ..simulator.machine import SimMachine

#: Typical of a printer's axis, where the peaks were not measured: damping ratio and its u95.
_DAMPING = (0.08, 0.06)


class Ripples(Part):
    """So many ripples over a distance; ``from_mm``: how far after the corner the count began."""

    count: Annotated[float, Field(ge=0.1, le=1000), Asked("Ripples", "")]
    distance_mm: Annotated[float, Field(ge=0.001, le=2000), Asked("Over", "mm")]
    from_mm: Annotated[float, Field(ge=0)] | None = None


class RingingPrintContext(Context):
    """What was printed and counted. ``resolution_mm`` covers caliper, eye and ripple edge; 0.2 mm is typical.

    ``wall_runs``: the direction in which the wall with the ripples runs; the axis follows from it. ``axis`` may be given
    where the wall is not known.
    """

    wall_runs: Annotated[Literal["x", "y"] | None, told(model(lambda k: across(k.place)))] = None
    kinematics: Annotated[Kinematics | None, told(model(lambda k: k.description.kinematics))] = None
    speed_mm_s: Annotated[
        float,
        Field(ge=0.01, le=2000),
        Asked("Wall speed", "mm/s", "From the slicer's profile.", (last_time("speed_mm_s"),)),
    ]
    acceleration_mm_s2: Annotated[
        Annotated[float, Field(ge=1, le=1e6)] | None,
        Asked("Acceleration", "mm/s²", "Tells from where ripples count.", (last_time("acceleration_mm_s2"),)),
    ] = None
    resolution_mm: Annotated[float, Field(ge=0, le=20), Asked("Caliper and eye", "mm", "0.2 is typical.")] = 0.2
    ripples: Annotated[list[Ripples], Field(min_length=1, max_length=200), Asked("Counts")]
    amplitudes_mm: Annotated[list[Annotated[float, Field(ge=0.0001, le=50)]], Field(max_length=200)] = []
    amplitude_resolution_mm: Annotated[float, Field(ge=0, le=5)] = 0.01
    smoothing_limit_mm: Annotated[
        float,
        Field(ge=0.001, le=5),
        Asked(
            "Corners may round by",
            "mm",
            "0.12 is typical.",
            (limit("smoothing", "Corners may round by", "mm"),),
            more=True,
        ),
    ] = 0.12
    axis: Place | None = None

    @property
    def rings(self) -> Place | None:
        """The axis whose ringing was counted; ``out_of_range`` where wall and axis contradict each other."""
        if self.wall_runs is None:
            return self.axis
        if self.axis not in (None, across(self.wall_runs)):
            raise BadInput(
                "out_of_range", f"axis: {whose_motion(self.kinematics, self.wall_runs)} Leave it out.", "axis"
            )
        return across(self.wall_runs)


class RingingPrintResult(Result):
    """The damped frequency, the undamped where damping is known, and from where ripples count.

    ``axis``: what rings; ``whose``: why it is this one, in words.
    """

    procedure: Literal["ringing-print"] = "ringing-print"
    axis: Place | None = None
    whose: str = ""
    frequency: Quantity
    undamped_frequency: Quantity | None = None
    damping_ratio: Quantity | None = None
    count_from_mm: float | None = None
    shapers: list[Shaped] = []
    recommended: ShaperName | None = None


def analyse(context: RingingPrintContext, data: bytes | None = None) -> RingingPrintResult:
    """Frequency and damping from the ripples after a printed corner.

    Parameters
    ----------
    context : RingingPrintContext
        Speed (mm/s), and ripples as counts with the distance that they take (mm); successive peaks (mm), where measured.
    data : None
        It has no file.

    Returns
    -------
    RingingPrintResult
        ``frequency`` (Hz, the damped one), joined over the counts by weight of count; damping where two peaks or more were
        measured; the shapers for it.

    Notes
    -----
    f = v n / distance; damping by the logarithmic decrement (delta = 2 pi z / sqrt(1 - z^2)).

    Examples
    --------
    Four ripples in 8 mm at 100 mm/s:

    >>> result = analyse(RingingPrintContext(wall_runs="x", speed_mm_s=100, ripples=[{"count": 4, "distance_mm": 8}]))
    >>> result.axis, result.frequency.value
    ('y', 50.0)
    """
    count = np.array([r.count for r in context.ripples])
    distance = np.array([r.distance_mm for r in context.ripples])
    f = context.speed_mm_s * count / distance
    weight = count / count.sum()
    mean = float((weight * f).sum())
    u_each = f * 0.566 * context.resolution_mm / distance
    own = float(np.sqrt(((weight * u_each) ** 2).sum()))
    if len(f) > 1:
        # Effective number of equal readings for weights that differ.
        effective = 1 / float((weight**2).sum())
        variance = float((weight * (f - mean) ** 2).sum()) / max(1 - 1 / effective, 1e-9)
        own = quadrature(own, t95(len(f) - 1) * math.sqrt(variance / effective))
    result = RingingPrintResult(
        verdict="not_judged",
        axis=context.rings,
        whose=whose_motion(context.kinematics, context.wall_runs) if context.wall_runs else "",
        frequency=Quantity(value=mean, u95=own, unit="Hz"),
    )
    result.judge("Rings at", result.frequency)
    if context.rings is None:
        result.warn(
            "wall_not_told",
            "Which way the wall runs was not told: ripples are motion across it, so a wall along X shows the ringing of Y.",
        )
    if len(f) == 1:
        result.warn("single_reading", "One count only: count at another corner too, so that the spread is seen.")
    odd = odd_ones([float(x) for x in f], 0.08 * mean)
    for i, words in odd:
        result.warn(
            "odd_reading",
            f"Count {i + 1} alone gives {words.replace(' is ', ' Hz, ', 1).replace(' lies ', ' Hz, ', 1)}: miscounted, or typed in another unit? Look again.",
        )
    _ramp(context, result)
    if len(context.amplitudes_mm) >= 2:
        _damping(context, result)
    elif context.amplitudes_mm:
        raise BadInput("too_few_rows", "Damping needs two peaks or more, one after the other.", "amplitudes_mm")
    _shape(context, result)
    if odd:
        # No shaper on a count that does not fit the others.
        result.recommended = None
    result.findings.append(
        Finding(finding="ringing_frequency", axis=context.rings, state="present", value=result.frequency)
    )
    if len(f) == 1:
        result.advice.append(
            Advice(
                action="print_again",
                target=context.rings or "all",
                reason="Print the same corner at another speed: a spacing that grows with speed is a resonance, one that stays is not.",
            )
        )
    return result


def _shape(context: RingingPrintContext, result: RingingPrintResult) -> None:
    """What each shaper would leave and cost at this frequency, within its uncertainty."""
    zeta = result.damping_ratio
    if zeta is None:
        value, u = _DAMPING
        zeta = Quantity(value=value, u95=u, unit="1")
        result.warn(
            "damping_typical",
            f"The peaks were not measured: a damping ratio of {value:g} ± {u:g} (typical) is assumed for the shapers.",
        )
    f = result.undamped_frequency or result.frequency
    result.shapers = shapers_for([ModeFound(frequency=f, damping_ratio=zeta, share=1.0)], context.smoothing_limit_mm)
    result.recommended = least_smoothing(result.shapers)
    if result.recommended is None:
        result.warn(
            "no_shaper_fits",
            "No shaper leaves 5 % or less over the whole uncertainty of this frequency: count more ripples, at more corners.",
        )
    else:
        result.advice.append(
            Advice(
                action="stiffen_first",
                target=context.rings or "all",
                reason=f"First tension, play and drag: they raise the frequency. What is then left, {result.recommended.upper()} removes; "
                "slowing down helps, too.",
            )
        )


def _ramp(context: RingingPrintContext, result: RingingPrintResult) -> None:
    """Ripples inside v^2/(2a) after the corner lie closer together: the head is still speeding up."""
    if context.acceleration_mm_s2 is None:
        return
    ramp = context.speed_mm_s**2 / (2 * context.acceleration_mm_s2)
    result.count_from_mm = ramp
    for r in context.ripples:
        if r.from_mm is not None and r.from_mm < ramp:
            result.warn(
                "counted_in_acceleration",
                f"A count began {r.from_mm:g} mm after the corner; the head only has its speed from {ramp:.1f} mm on. Count from there.",
            )


def _damping(context: RingingPrintContext, result: RingingPrintResult) -> None:
    """Logarithmic decrement by a line through ln(amplitude), each peak weighted by its resolution."""
    a = np.array(context.amplitudes_mm)
    if np.any(np.diff(a) >= 0) and a[-1] >= a[0]:
        raise BadInput("out_of_range", "The peaks do not die away: enter them from the corner on.", "amplitudes_mm")
    n = np.arange(len(a), dtype=float)
    sigma = np.maximum(context.amplitude_resolution_mm / (2 * math.sqrt(3)) / a, 1e-3)
    w = 1 / sigma**2
    centre = (w * n).sum() / w.sum()
    spread = (w * (n - centre) ** 2).sum()
    log_a = np.log(a)
    decrement = -float((w * (n - centre) * log_a).sum() / spread)
    u = 1.96 / math.sqrt(float(spread))
    if len(a) > 2:
        left = log_a - (w * log_a).sum() / w.sum() + decrement * (n - centre)
        chi = float((w * left**2).sum() / (len(a) - 2))
        u = max(u, t95(len(a) - 2) * math.sqrt(chi / float(spread)))
    zeta = decrement / math.hypot(2 * math.pi, decrement)
    # d zeta / d decrement
    slope = (1 - zeta**2) ** 1.5 / (2 * math.pi)
    result.damping_ratio = Quantity(
        value=zeta, u95=u * slope, unit="1", low=max(0.0, zeta - u * slope), high=zeta + u * slope
    )
    k = 1 / math.sqrt(1 - zeta**2)
    f = result.frequency
    result.undamped_frequency = Quantity(
        value=f.value * k, u95=quadrature((f.u95 or 0) * k, f.value * k**3 * zeta * u * slope), unit="Hz"
    )


def _of_old(context: dict[str, Any], version: str) -> dict[str, Any]:
    """Up to version 0.1 the axis was asked for, and what was told was the way the wall runs."""
    if version.startswith("0.1.") and "wall_runs" not in context and context.get("axis") in ("x", "y"):
        return {k: v for k, v in context.items() if k != "axis"} | {"wall_runs": context["axis"]}
    return context


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, object]) -> StandIn:
    """Ripples counted at three corners of a simulated print."""
    from ..simulator.instruments import ripple_counts

    if not machine.counted(place):
        raise BadInput(
            "nothing_there", "On that wall of the simulated print there are no ripples to count.", "readings"
        )
    counts = ripple_counts(machine.axis(place).modes[0].hz, 80.0, 8, 3, seed)
    return StandIn(rows=[{"count": float(n), "distance_mm": d} for n, d in counts], told={"speed_mm_s": 80.0})


def _at(description: Description) -> tuple[str, ...]:
    """By its walls: along X, which shows Y, first."""
    return ("y", "x")


PROCEDURE = Procedure(
    "ringing-print",
    "Ringing on a print",
    RingingPrintContext,
    RingingPrintResult,
    analyse,
    measures="axis",
    at=_at,
    by_wall=True,
    part="corner",
    stand_in=_stand_in,
    place_of=lambda context: context.rings,
    of_old=_of_old,
)
