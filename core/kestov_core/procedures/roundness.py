"""roundness: what makes a circle not one, from its diameters by angle: ``d = d0 + a cos 2t + b sin 2t``.

An oval along the axes is two scales that disagree; along the diagonals it is skew.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from pydantic import Field

from ..asking import Asked, instrument_u95, last_time, limit, resolution
from ..errors import BadInput
from ..fitting import Fit, fitted
from ..parts.places import SheetPlace
from ..quantities import Limits, Quantity, decide, odd_ones, quadrature, rounded
from .base import Advice, Context, Finding, Part, Procedure, Result, StandIn, source_of, three_way

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

#: Directions that must be there, and how near (degrees) a reading has to lie to one.
_WANTED, _NEAR = (0.0, 45.0, 90.0, 135.0), 10.0
#: Each part of the oval alone is told from none where it is this large.
_RAYLEIGH_95 = 2.448
ANGLES = (0, 45, 90, 135, 22.5, 67.5, 112.5, 157.5)


class Diameter(Part):
    """A diameter at an angle from X toward Y."""

    angle_deg: Annotated[float, Field(ge=-360, le=360), Asked("At", "°", "From X toward Y.", varies=True)]
    diameter_mm: Annotated[float, Field(ge=1, le=1000), Asked("Diameter", "mm")]


class RoundnessContext(Context):
    """Diameters at 0, 45, 90 and 135 degrees at the least. ``feature``: a hole or a boss."""

    readings: Annotated[list[Diameter], Field(min_length=4, max_length=400), Asked("Diameters")]
    nominal_mm: Annotated[
        float, Field(ge=1, le=1000), Asked("Drawn as", "mm", "Its diameter.", (last_time("nominal_mm"),))
    ]
    limit_mm: Annotated[
        float,
        Field(ge=0.001, le=20),
        Asked(
            "May be out of round by",
            "mm",
            "0.15 is typical.",
            (limit("roundness", "A circle may be out of round by", "mm"),),
        ),
    ] = 0.15
    resolution_mm: Annotated[
        float, Field(ge=0, le=1), Asked("Caliper reads to", "mm", "Its smallest step.", (resolution("mm"),), more=True)
    ] = 0.01
    reading_u95_mm: Annotated[
        float,
        Field(ge=0, le=1),
        Asked("A reading is good to ±", "mm", "0.03 is typical of hand and feel.", (instrument_u95("mm"),), more=True),
    ] = 0.03


class RoundnessResult(Result):
    """Mean error (mm), the part of the oval along the axes (``scale_mismatch``, of one) and along the diagonals (``skew_part``, rad), and
    the whole of it (mm, largest less smallest diameter). ``gap_at_deg``: where one direction alone stands out.
    """

    procedure: Literal["roundness"] = "roundness"
    mean_error: Quantity
    scale_mismatch: Quantity
    skew_part: Quantity
    out_of_round: Quantity
    cause: Literal["round", "scale", "skew", "both", "unknown"]
    mean_mm: float
    along_mm: float
    diagonal_mm: float
    gap_at_deg: float | None
    readings: list[Diameter]


def analyse(context: RoundnessContext, data: bytes | None = None) -> RoundnessResult:
    """How far a circle is from round, and whether scale or skew makes it so.

    Parameters
    ----------
    context : RoundnessContext
        Diameters (mm) by angle (degrees), the nominal one (mm), the limit (mm).
    data : None
        It has no file.

    Returns
    -------
    RoundnessResult
        ``mean_error`` and ``out_of_round`` (mm), ``scale_mismatch``, ``skew_part`` (rad), the ``cause``.

    Raises
    ------
    BadInput
        ``too_few_rows`` where a direction of 0, 45, 90, 135 degrees is missing.

    Examples
    --------
    >>> result = analyse(RoundnessContext(nominal_mm=40, readings=[
    ...     {"angle_deg": t, "diameter_mm": 40 + 0.2 * math.cos(2 * math.radians(t))} for t in (0, 45, 90, 135)]))
    >>> round(result.out_of_round.value, 6), round(result.scale_mismatch.value, 6)
    (0.4, 0.01)
    """
    fit = _oval(context)
    d0, a, b = (float(v) for v in fit.theta)
    ua, ub = fit.u95([0, 1, 0]), fit.u95([0, 0, 1])
    size = math.hypot(a, b)
    sigma = max(ua, ub) / fit.factor
    # The oval's own direction weighs the two parts; near none, noise alone makes some.
    u = 2 * (math.hypot(a * ua, b * ub) / size if size > _RAYLEIGH_95 * sigma else max(size, ua, ub))
    out = Quantity(value=2 * size, u95=u, unit="mm", low=max(0.0, 2 * size - u), high=2 * size + u)
    if size <= _RAYLEIGH_95 * sigma:
        out = out.model_copy(update={"low": 0.0, "high": 2 * (size + _RAYLEIGH_95 * sigma * fit.factor / 1.96)})
    result = RoundnessResult(
        verdict="not_judged",
        mean_error=Quantity(value=d0 - context.nominal_mm, u95=quadrature(fit.u95([1, 0, 0])), unit="mm"),
        scale_mismatch=Quantity(value=2 * a / d0, u95=2 * ua / d0, unit="1"),
        skew_part=Quantity(value=2 * b / d0, u95=2 * ub / d0, unit="rad"),
        out_of_round=out,
        cause="unknown",
        mean_mm=d0,
        along_mm=a,
        diagonal_mm=b,
        gap_at_deg=_gap(context, fit),
        readings=context.readings,
    )
    limits = Limits(high=context.limit_mm)
    verdict = decide(out.value, out.u95, limits)
    odd = _warn(result, context, fit)
    result.judge("Out of round by", out, limits, source_of(context, "limit_mm"), "cannot_tell" if odd else verdict)
    result.judge("Larger than drawn by", result.mean_error)
    per_100 = Quantity(value=100 * 2 * b / d0, u95=100 * 2 * ub / d0, unit="mm/100mm")
    result.judge("X longer than Y by", Quantity(value=200 * a / d0, u95=200 * ua / d0, unit="%"))
    result.judge("Y leans on X by", per_100)
    result.verdict = result.judged[0].verdict
    result.cause = _cause(result, odd)
    result.findings.append(Finding(finding="circle_not_round", axis="all", state=three_way(result.verdict)))
    _advise(result, context, odd)
    return result


def _oval(context: RoundnessContext) -> Fit:
    angles = np.array([r.angle_deg for r in context.readings])
    for wanted in _WANTED:
        off = np.abs((angles - wanted + 90) % 180 - 90)
        if off.min() > _NEAR:
            raise BadInput(
                "too_few_rows", f"A diameter at {wanted:g}° is missing: 0, 45, 90 and 135 at the least.", "readings"
            )
    t = np.radians(angles)
    design = np.column_stack([np.ones(len(t)), np.cos(2 * t), np.sin(2 * t)])
    return fitted(
        design, np.array([r.diameter_mm for r in context.readings]), context.resolution_mm, context.reading_u95_mm
    )


def _gap(context: RoundnessContext, fit: Fit) -> float | None:
    """The one direction that stands out beside the oval: a flat, a seam, a gap where the nozzle turned round."""
    if len(context.readings) < 8:
        return None
    i = int(np.abs(fit.left).argmax())
    others = np.delete(fit.left, i)
    if abs(fit.left[i]) > 5 * max(float(others.std()), context.resolution_mm):
        return context.readings[i].angle_deg % 180
    return None


def _warn(result: RoundnessResult, context: RoundnessContext, fit: Fit) -> bool:
    """Say what may mislead; whether a reading was typed wrongly."""
    diameters = [r.diameter_mm for r in context.readings]
    odd = [w for _i, w in odd_ones(diameters, 0.1 * context.nominal_mm, context.nominal_mm)]
    for words in odd[:3]:
        result.warn("odd_reading", f"{words}. Measure it again.")
    if len(context.readings) < 6:
        result.warn(
            "few_readings",
            "Four diameters: one that is off by itself passes for an oval. Eight, or each twice, are better.",
        )
    if result.gap_at_deg is not None:
        result.warn(
            "one_direction",
            f"At {result.gap_at_deg:g}° it is off by {fit.left[int(np.abs(fit.left).argmax())]:+.2f} mm beside the oval: a seam, or lost "
            "motion where an axis turns round.",
        )
    return bool(odd)


def _cause(result: RoundnessResult, odd: bool) -> Literal["round", "scale", "skew", "both", "unknown"]:
    if odd or result.verdict == "cannot_tell":
        return "unknown"
    if result.verdict in ("in_tolerance", "watch"):
        return "round"
    along = abs(result.scale_mismatch.value) > (result.scale_mismatch.u95 or 0.0)
    across = abs(result.skew_part.value) > (result.skew_part.u95 or 0.0)
    a, b = abs(result.along_mm), abs(result.diagonal_mm)
    if along and across and min(a, b) > 0.4 * max(a, b):
        return "both"
    return "scale" if a >= b else "skew"


def _advise(result: RoundnessResult, context: RoundnessContext, odd: bool) -> None:
    if odd:
        result.advice.append(
            Advice(action="measure_again", target="all", reason="Look at the odd reading first: measure it again.")
        )
    elif result.verdict == "cannot_tell":
        u, room = result.out_of_round.u95 or 0.0, abs(context.limit_mm - result.out_of_round.value)
        n = len(context.readings)
        times = (u / room) ** 2 if room > 0 else math.inf
        words = (
            "It is at its limit: more readings will not tell; a larger ring would."
            if times > 9
            else f"The limit lies inside the uncertainty: {max(4, math.ceil(n * times) - n)} more diameters would tell."
        )
        result.advice.append(Advice(action="measure_again", target="all", reason=f"{words} Change nothing yet."))
    elif result.verdict == "out_of_tolerance":
        if result.cause in ("scale", "both"):
            longer, shorter = ("X", "Y") if result.along_mm > 0 else ("Y", "X")
            q = result.scale_mismatch
            result.advice.append(
                Advice(
                    action="belts_and_backlash",
                    target=shorter.lower(),
                    amount=Quantity(value=100 * abs(q.value), u95=100 * (q.u95 or 0.0), unit="%"),
                    reason=f"It is longer along {longer} by {rounded(100 * abs(q.value), 100 * (q.u95 or 0.0))} %: an oval along the axes is "
                    f"lost motion or another scale. Test the reversal of {shorter}, then both belts, then the travel of either.",
                    measure="backlash",
                )
            )
        if result.cause in ("skew", "both"):
            s = result.skew_part
            result.advice.append(
                Advice(
                    action="squareness",
                    target="frame",
                    amount=Quantity(value=100 * s.value, u95=100 * (s.u95 or 0.0), unit="mm/100mm"),
                    reason=f"It is longer along a diagonal: Y leans {'toward' if s.value > 0 else 'away from'} +X by "
                    f"{rounded(100 * abs(s.value), 100 * (s.u95 or 0.0))} mm in 100 mm. Measure the squareness; on crossed belts the two tensions, too.",
                    measure="squareness",
                )
            )


def sheet() -> list[SheetPlace]:
    """Its diameters as the measuring sheet has them: the four that must be first."""
    return [SheetPlace(number=i, words=f"across at {a:g}°", row={"angle_deg": a}) for i, a in enumerate(ANGLES, 1)]


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, Any]) -> StandIn:
    """A caliper over a ring that the simulated machine printed: its axes' scales, its frame's lean, its wall."""
    from ..simulator.instruments import CALIPER

    rng = np.random.default_rng([seed, 57])
    nominal = float(context.get("nominal_mm") or 60.0)
    frame = machine.true_frame()
    sx, sy = (machine.truly_travels(a).scale - machine.truly_travels(a).backlash_mm / nominal for a in ("x", "y"))
    tan, shrunk = frame.printed_lean("xy") / 100, 1 - frame.shrinkage_percent / 100
    rows: list[dict[str, float | str]] = []
    for angle in ANGLES:
        c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
        # The stretch of a circle's diameter in that direction, to first order.
        stretch = sx * c * c + sy * s * s + tan * s * c
        read = CALIPER.read(nominal * stretch * shrunk + frame.wall_mm, rng)
        rows.append({"angle_deg": angle, "diameter_mm": round(read, 2)})
    return StandIn(rows=rows, told={"nominal_mm": nominal})


PROCEDURE = Procedure(
    "roundness",
    "Roundness of a printed circle",
    RoundnessContext,
    RoundnessResult,
    analyse,
    measures="print",
    gives="roundness",
    adjustable=True,
    interval_days=120,
    sheet=sheet,
    part="ring",
    stand_in=_stand_in,
)
