"""squareness: how far one axis leans on another, by the diagonals of a printed frame or plate.

Corners A(0,0), B(+x), C(+x,+y), D(+y): ``sin(lean) = (AC^2 - BD^2) / (4 w h)``, positive where the second axis leans toward the first.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from pydantic import Field

from ..asking import Asked, instrument_u95, last_time, limit, resolution, told
from ..errors import BadInput
from ..quantities import Limits, Quantity, odd_ones, quadrature, t95
from ..turned import HISTORY, History
from ._leaning import MOVED, AskedPlane, FrameSpan, Leaning, LeaningResult, SkewSchool
from .base import Context, Finding, Part, Procedure, StandIn, source_of, three_way

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

Length = Annotated[float, Field(ge=5, le=5000)]
#: The limit of a lean, as the workshop's table calls it.
LEAN_LIMIT = "squareness"
#: A print's nominal sizes are good to this share (u95, typical); the sine of a lean beyond this is no lean.
_NOMINAL_U95, _MOST_SINE = 0.005, 0.5
#: Diagonals so many times, or less this many times, what the plate's nominal sizes say are of another plate.
_UNLIKE = 1.25


class Diagonals(Part):
    """Both diagonals, read once each."""

    ac_mm: Annotated[Length, Asked("A to C", "mm", "From the origin's corner to the far one.")]
    bd_mm: Annotated[Length, Asked("B to D", "mm", "The other one.")]


class SquarenessContext(Context):
    """``diagonal_ac_mm``, ``diagonal_bd_mm``: repeats of each; or pairs as rows of ``diagonals``. Sides where they were measured."""

    plane: AskedPlane = "xy"
    diagonals: Annotated[list[Diagonals], Field(max_length=40), Asked("Diagonals")] = []
    diagonal_ac_mm: Annotated[list[Length], Field(max_length=40)] = []
    diagonal_bd_mm: Annotated[list[Length], Field(max_length=40)] = []
    side_ab_mm: Annotated[
        Annotated[float, Field(ge=5, le=5000)] | None,
        Asked("Side A to B, measured", "mm", "Empty: the nominal one.", more=True),
    ] = None
    side_ad_mm: Annotated[
        Annotated[float, Field(ge=5, le=5000)] | None,
        Asked("Side A to D, measured", "mm", "Empty: the nominal one.", more=True),
    ] = None
    nominal_w_mm: Annotated[
        float, Field(ge=5, le=5000), Asked("Side A to B", "mm", "As it was drawn.", (last_time("nominal_w_mm"),))
    ]
    nominal_h_mm: Annotated[
        float, Field(ge=5, le=5000), Asked("Side A to D", "mm", "As it was drawn.", (last_time("nominal_h_mm"),))
    ]
    limit_mm_per_100: Annotated[
        float,
        Field(ge=0.001, le=20),
        Asked("May lean", "mm per 100 mm", "0.1 is typical.", (limit(LEAN_LIMIT, "An axis may lean", "mm/100mm"),)),
    ] = 0.1
    resolution_mm: Annotated[
        float, Field(ge=0, le=2), Asked("Caliper reads to", "mm", "Its smallest step.", (resolution("mm"),), more=True)
    ] = 0.02
    reading_u95_mm: Annotated[
        float,
        Field(ge=0, le=2),
        Asked("A reading is good to ±", "mm", "0.03 is typical of hand and feel.", (instrument_u95("mm"),), more=True),
    ] = 0.03
    frame_span_mm: FrameSpan = None
    school: SkewSchool = "frame"
    history: Annotated[History, told(HISTORY)] = []


class SquarenessResult(LeaningResult):
    """Lean in degrees and mm per 100 mm (positive: the second axis leans toward the first), its tangent as the firmware's factor, the
    smallest lean that this plate and caliper tell from none, and the corners for the drawing (mm, as measured).
    """

    procedure: Literal["squareness"] = "squareness"
    smallest_visible: Quantity
    diagonal_ac: Quantity
    diagonal_bd: Quantity
    width_mm: float
    height_mm: float


@dataclass(frozen=True)
class _Read:
    """The mean of repeats (mm) and its standard uncertainty with degrees of freedom."""

    mean: float
    u: float
    dof: float


def analyse(context: SquarenessContext, data: bytes | None = None) -> SquarenessResult:
    """How far the second axis of a plane leans on the first, and what is to be moved how far.

    Parameters
    ----------
    context : SquarenessContext
        Diagonals (mm), nominal or measured sides (mm), the limit (mm per 100 mm).
    data : None
        It has no file.

    Returns
    -------
    SquarenessResult
        ``lean_deg``, ``lean_mm_per_100``, ``skew_factor``, ``smallest_visible`` (mm per 100 mm).

    Raises
    ------
    BadInput
        ``missing_field`` without a diagonal of each kind; ``out_of_range`` where they cannot belong to this plate.

    Examples
    --------
    >>> result = analyse(SquarenessContext(
    ...     diagonal_ac_mm=[141.57], diagonal_bd_mm=[141.28], nominal_w_mm=100, nominal_h_mm=100))
    >>> round(result.lean_mm_per_100.value, 3)
    0.205
    """
    ac, bd = _diagonals(context)
    w, h, u_share = _sides(context, ac, bd)
    sine = (ac.mean**2 - bd.mean**2) / (4 * w * h)
    if abs(sine) > _MOST_SINE:
        raise BadInput(
            "out_of_range",
            "Such diagonals cannot belong to a plate of these sides: is one of them another distance?",
            "diagonal_ac_mm",
        )
    # Both have their spread from the same readings, so its degrees of freedom count once.
    own = t95(ac.dof) * quadrature(ac.mean * ac.u, bd.mean * bd.u) / (2 * w * h)
    u_sine = quadrature(own, abs(sine) * u_share)
    lean = math.asin(sine)
    per = 1 / math.sqrt(1 - sine * sine)
    tan, u_tan = math.tan(lean), u_sine * per**3
    per_100 = Quantity(
        value=100 * tan,
        u95=100 * u_tan,
        unit="mm/100mm",
        own=100 * own * per**3,
        shared=100 * abs(sine) * u_share * per**3,
    )
    result = SquarenessResult(
        verdict="not_judged",
        plane=context.plane,
        lean_deg=Quantity(value=math.degrees(lean), u95=math.degrees(u_sine * per), unit="deg"),
        lean_mm_per_100=per_100,
        skew_factor=Quantity(value=tan, u95=u_tan, unit="1"),
        smallest_visible=Quantity(value=100 * own, unit="mm/100mm"),
        diagonal_ac=_told(ac),
        diagonal_bd=_told(bd),
        width_mm=w,
        height_mm=h,
    )
    limits = Limits(low=-context.limit_mm_per_100, high=context.limit_mm_per_100)
    result.judge(
        f"{context.plane[1].upper()} leans on {context.plane[0].upper()} by",
        per_100,
        limits,
        source_of(context, "limit_mm_per_100"),
    )
    result.judge("As an angle", result.lean_deg)
    result.judge("This plate and caliper tell from none", result.smallest_visible)
    result.verdict = result.judged[0].verdict
    size = per_100.model_copy(update={"value": abs(per_100.value), "unit": "mm"})
    result.findings.append(Finding(finding="squareness_off", axis="frame", state=three_way(result.verdict), value=size))
    _warn(result, context, ac, bd)
    odd = any(w.code == "odd_reading" for w in result.warnings)
    how = Leaning(context.plane, context.school, context.frame_span_mm, context.history)
    how.advise(result, result.skew_factor, odd, _what_would_tell(result, context))
    return result


def _diagonals(context: SquarenessContext) -> tuple[_Read, _Read]:
    """Both diagonals; how a hand spreads is seen on both together."""
    both = []
    for name in ("ac", "bd"):
        own = [getattr(d, f"{name}_mm") for d in context.diagonals]
        readings = [*own, *getattr(context, f"diagonal_{name}_mm")]
        if not readings:
            raise BadInput("missing_field", f"Measure the diagonal {name.upper()}, too.", f"diagonal_{name}_mm")
        both.append(readings)
    dof = sum(len(r) - 1 for r in both)
    step, stated = context.resolution_mm / math.sqrt(12), context.reading_u95_mm / 1.96
    if dof == 0:
        return _read(both[0], quadrature(step, stated), math.inf), _read(both[1], quadrature(step, stated), math.inf)
    spread = math.sqrt(sum(float(np.var(r)) * len(r) for r in both) / dof)
    # No reading is better than the step it is read in.
    u, of = (spread, float(dof)) if spread > step else (step, math.inf)
    return _read(both[0], u, of), _read(both[1], u, of)


def _read(readings: list[float], u: float, dof: float) -> _Read:
    return _Read(math.fsum(readings) / len(readings), u / math.sqrt(len(readings)), dof)


def _told(read: _Read) -> Quantity:
    return Quantity(value=read.mean, u95=t95(read.dof) * read.u, unit="mm")


def _sides(context: SquarenessContext, ac: _Read, bd: _Read) -> tuple[float, float, float]:
    """Width and height (mm), and the share by which their product may be off (u95)."""
    w, h = context.side_ab_mm, context.side_ad_mm
    if w is None and h is None and context.nominal_w_mm == context.nominal_h_mm:
        # Of equal sides the diagonals themselves tell the size.
        side = math.sqrt((ac.mean**2 + bd.mean**2) / 4)
        return side, side, 2 * quadrature(ac.u, bd.u) / side
    share = [_NOMINAL_U95 if side is None else context.reading_u95_mm / side for side in (w, h)]
    return w or context.nominal_w_mm, h or context.nominal_h_mm, quadrature(*share)


def _warn(result: SquarenessResult, context: SquarenessContext, ac: _Read, bd: _Read) -> None:
    expected = math.hypot(result.width_mm, result.height_mm)
    for name in ("ac", "bd"):
        readings = [*(getattr(d, f"{name}_mm") for d in context.diagonals), *getattr(context, f"diagonal_{name}_mm")]
        for _i, words in odd_ones(readings, 10 * max(context.resolution_mm, 0.02), expected):
            result.warn("odd_reading", f"Diagonal {name.upper()}: {words}. Read it again.")
    if not 1 / _UNLIKE < ac.mean / expected < _UNLIKE:
        result.warn("odd_reading", "The diagonals do not fit the sides: is it the plate that the sides are of?")
    if not math.isfinite(ac.dof) and len(context.diagonals) + len(context.diagonal_ac_mm) == 1:
        result.warn("single_reading", "Each diagonal was read once: a slip would not show. Three times are better.")
    if abs(context.limit_mm_per_100) < result.smallest_visible.value:
        result.warn(
            "plate_too_small",
            f"This plate tells no lean under {result.smallest_visible.value:.2g} mm per 100 mm: the limit is finer. {_larger(result, context)}",
        )


def _larger(result: SquarenessResult, context: SquarenessContext) -> str:
    """The plate that would tell half the limit, with the same caliper and hand."""
    side = math.sqrt(result.width_mm * result.height_mm)
    wanted = 10 * math.ceil(side * result.smallest_visible.value / (0.5 * context.limit_mm_per_100) / 10)
    return f"A plate of {wanted} mm would tell half the limit." if wanted > side else ""


def _what_would_tell(result: SquarenessResult, context: SquarenessContext) -> str:
    lean = result.lean_mm_per_100
    room = abs(context.limit_mm_per_100 - abs(lean.value))
    times = ((lean.own or 0.0) / room) ** 2 if room > 0 else math.inf
    n = max(1, len(context.diagonals) + len(context.diagonal_ac_mm))
    if times > 9:
        return f"The lean is at its limit. {_larger(result, context) or 'Leave it and look again at the next service.'} Move nothing yet."
    more = max(2, math.ceil(n * times) - n)
    return f"The limit lies inside the uncertainty: {more} more readings of each diagonal would tell. {_larger(result, context)} Move nothing yet.".replace(
        "  ", " "
    )


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, Any]) -> StandIn:
    """A caliper over the diagonals of a plate printed by the simulated machine."""
    from ..simulator.instruments import CALIPER

    rng = np.random.default_rng([seed, 54])
    plane = str(context.get("plane") or "xy")
    w, h = float(context.get("nominal_w_mm") or 100.0), float(context.get("nominal_h_mm") or 100.0)
    tan = machine.true_frame().printed_lean(plane) / 100
    sine, cosine = tan / math.hypot(1, tan), 1 / math.hypot(1, tan)
    shrunk = 1 - machine.true_frame().shrinkage_percent / 100
    ac = shrunk * math.hypot(w + h * sine, h * cosine)
    bd = shrunk * math.hypot(w - h * sine, h * cosine)
    rows: list[dict[str, float | str]] = [
        {"ac_mm": round(CALIPER.read(ac, rng), 2), "bd_mm": round(CALIPER.read(bd, rng), 2)} for _ in range(4)
    ]
    return StandIn(rows=rows, told={"nominal_w_mm": w, "nominal_h_mm": h, "plane": plane})


PROCEDURE = Procedure(
    "squareness",
    "Squareness by a printed plate",
    SquarenessContext,
    SquarenessResult,
    analyse,
    measures="frame",
    kinematics=("bed_slinger", "fixed_bed", "corexy", "belt_bed"),
    gives="squareness",
    expected=True,
    adjustable=True,
    interval_days=120,
    turned=MOVED,
    part="frame",
    stand_in=_stand_in,
)
