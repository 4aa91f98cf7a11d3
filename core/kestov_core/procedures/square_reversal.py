"""square-reversal: how square two axes are, by a try square that is itself not: turned over, its own error drops out.

Reversal after ISO 230-1 (and ISO/TR 230-11): machine = (direct + reversed) / 2, square = (direct - reversed) / 2.
"""

from __future__ import annotations

import math
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

Side = Annotated[float, Field(ge=-50, le=50)]


class BothWays(Part):
    """The change of the indicator over the span, with the square as it lies and turned over."""

    direct_mm: Annotated[Side, Asked("As it lies", "mm", "End less beginning.", varies=True)]
    reversed_mm: Annotated[Side, Asked("Turned over", "mm", "Over the same span.", varies=True)]


class SquareReversalContext(Context):
    """Change of the indicator from the beginning to the end of ``span_mm``, repeats of each; or pairs as rows of ``readings``."""

    plane: AskedPlane = "xy"
    span_mm: Annotated[
        float, Field(ge=10, le=5000), Asked("Along", "mm", "How far the indicator went.", (last_time("span_mm"),))
    ]
    readings: Annotated[list[BothWays], Field(max_length=40), Asked("Readings")] = []
    readings_direct_mm: Annotated[list[Side], Field(max_length=40)] = []
    readings_reversed_mm: Annotated[list[Side], Field(max_length=40)] = []
    limit_mm_per_100: Annotated[
        float,
        Field(ge=0.001, le=20),
        Asked("May lean", "mm per 100 mm", "0.1 is typical.", (limit("squareness", "An axis may lean", "mm/100mm"),)),
    ] = 0.1
    resolution_mm: Annotated[
        float,
        Field(ge=0, le=1),
        Asked("Indicator reads to", "mm", "Its smallest step.", (resolution("mm"),), more=True),
    ] = 0.01
    indicator_u95_mm: Annotated[
        float,
        Field(ge=0, le=1),
        Asked("A reading is good to ±", "mm", "0.01 is typical.", (instrument_u95("mm"),), more=True),
    ] = 0.01
    frame_span_mm: FrameSpan = None
    school: SkewSchool = "frame"
    history: Annotated[History, told(HISTORY)] = []


class SquareReversalResult(LeaningResult):
    """The machine's and the square's own error: mm over the span, and mm per 100 mm; positive as a lean is."""

    procedure: Literal["square-reversal"] = "square-reversal"
    span_mm: float
    machine: Quantity
    machine_mm_per_100: Quantity
    square: Quantity
    square_mm_per_100: Quantity


def analyse(context: SquareReversalContext, data: bytes | None = None) -> SquareReversalResult:
    """How far the second axis leans on the first, and how far the square itself is off.

    Parameters
    ----------
    context : SquareReversalContext
        Span (mm) and the change of the indicator over it (mm), as the square lies and turned over.
    data : None
        It has no file.

    Returns
    -------
    SquareReversalResult
        ``machine`` and ``square`` (mm over the span), and both per 100 mm.

    Raises
    ------
    BadInput
        ``missing_field`` where one of the two ways was not read.

    Examples
    --------
    >>> result = analyse(SquareReversalContext(span_mm=200, readings_direct_mm=[0.5], readings_reversed_mm=[0.3]))
    >>> round(result.machine.value, 3), round(result.square.value, 3), round(result.machine_mm_per_100.value, 3)
    (0.4, 0.1, 0.2)
    """
    direct, reverse = _readings(context)
    u = _half_u95(context, direct, reverse)
    a, b = float(np.mean(direct)), float(np.mean(reverse))
    machine = Quantity(value=(a + b) / 2, u95=u, unit="mm")
    square = Quantity(value=(a - b) / 2, u95=u, unit="mm")
    tan, u_tan = machine.value / context.span_mm, u / context.span_mm
    per_100 = _per_100(machine, context.span_mm)
    result = SquareReversalResult(
        verdict="not_judged",
        plane=context.plane,
        lean_deg=Quantity(value=math.degrees(math.atan(tan)), u95=math.degrees(u_tan / (1 + tan * tan)), unit="deg"),
        lean_mm_per_100=per_100,
        skew_factor=Quantity(value=tan, u95=u_tan, unit="1"),
        span_mm=context.span_mm,
        machine=machine,
        machine_mm_per_100=per_100,
        square=square,
        square_mm_per_100=_per_100(square, context.span_mm),
    )
    limits = Limits(low=-context.limit_mm_per_100, high=context.limit_mm_per_100)
    first, second = context.plane[0].upper(), context.plane[1].upper()
    result.judge(f"{second} leans on {first} by", per_100, limits, source_of(context, "limit_mm_per_100"))
    result.judge("The square itself is off by", result.square_mm_per_100)
    result.verdict = result.judged[0].verdict
    size = per_100.model_copy(update={"value": abs(per_100.value), "unit": "mm"})
    result.findings.append(Finding(finding="frame_leans", axis="frame", state=three_way(result.verdict), value=size))
    _warn(result, context, direct, reverse)
    odd = any(w.code == "odd_reading" for w in result.warnings)
    how = Leaning(context.plane, context.school, context.frame_span_mm, context.history)
    how.advise(result, result.skew_factor, odd, _what_would_tell(result, context, len(direct)))
    return result


def _readings(context: SquareReversalContext) -> tuple[list[float], list[float]]:
    direct = [*(r.direct_mm for r in context.readings), *context.readings_direct_mm]
    reverse = [*(r.reversed_mm for r in context.readings), *context.readings_reversed_mm]
    for readings, name, words in (
        (direct, "readings_direct_mm", "as it lies"),
        (reverse, "readings_reversed_mm", "turned over"),
    ):
        if not readings:
            raise BadInput(
                "missing_field", f"Read along the square {words}, too: only both together drop its own error.", name
            )
    return direct, reverse


def _half_u95(context: SquareReversalContext, direct: list[float], reverse: list[float]) -> float:
    """The u95 of half the sum (or difference) of both means; the hand's spread is seen on both together."""
    dof = len(direct) + len(reverse) - 2
    # Each reading is a difference of two.
    step = math.sqrt(2) * context.resolution_mm / math.sqrt(12)
    stated = quadrature(step, context.indicator_u95_mm / 1.96)
    if dof == 0:
        u, of = stated, math.inf
    else:
        seen = math.sqrt(sum(float(np.var(r)) * len(r) for r in (direct, reverse)) / dof)
        u, of = (seen, float(dof)) if seen > step else (step, math.inf)
    return t95(of) * quadrature(*(u / 2 / math.sqrt(len(r)) for r in (direct, reverse)))


def _per_100(q: Quantity, span_mm: float) -> Quantity:
    return Quantity(value=100 * q.value / span_mm, u95=100 * (q.u95 or 0.0) / span_mm, unit="mm/100mm")


def _warn(
    result: SquareReversalResult, context: SquareReversalContext, direct: list[float], reverse: list[float]
) -> None:
    for readings, words in ((direct, "as it lies"), (reverse, "turned over")):
        for i, _said in odd_ones(readings, 10 * max(context.resolution_mm, 0.01)) if len(readings) >= 4 else []:
            result.warn(
                "odd_reading", f"Reading {i + 1} {words}, {readings[i]:g}, lies far from the others. Read it again."
            )
    if len(direct) == 1 or len(reverse) == 1:
        result.warn("single_reading", "Read once each way: a slip would not show. Three times each are better.")
    if context.span_mm < 100:
        result.warn("short_span", f"{context.span_mm:g} mm is short: twice the span tells half the lean.")
    if abs(result.square_mm_per_100.value) - (result.square_mm_per_100.u95 or 0.0) > context.limit_mm_per_100:
        result.warn(
            "square_off",
            f"The square itself is off by {abs(result.square_mm_per_100.value):.2f} mm per 100 mm: set nothing by it unturned.",
        )


def _what_would_tell(result: SquareReversalResult, context: SquareReversalContext, n: int) -> str:
    lean = result.lean_mm_per_100
    room = abs(context.limit_mm_per_100 - abs(lean.value))
    times = ((lean.u95 or 0.0) / room) ** 2 if room > 0 else math.inf
    if times > 9:
        return "The lean is at its limit: a longer square, or a finer indicator, would tell more. Leave it and look again at the next service."
    more = max(2, math.ceil(n * times) - n)
    longer = math.ceil(context.span_mm * math.sqrt(times) / 10) * 10
    return f"The limit lies inside the uncertainty: {more} more readings each way, or a span of {longer} mm, would tell. Move nothing yet."


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, Any]) -> StandIn:
    """A simulated indicator along a simulated square that is itself off."""
    from ..simulator.instruments import DIAL

    rng = np.random.default_rng([seed, 55])
    plane = str(context.get("plane") or "xy")
    span = float(context.get("span_mm") or 150.0)
    frame = machine.true_frame()
    lean, own = frame.lean(plane) * span / 100, frame.square_off * span / 100
    rows: list[dict[str, float | str]] = [
        {"direct_mm": round(DIAL.read(lean + own, rng), 2), "reversed_mm": round(DIAL.read(lean - own, rng), 2)}
        for _ in range(3)
    ]
    return StandIn(rows=rows, told={"span_mm": span, "plane": plane})


PROCEDURE = Procedure(
    "square-reversal",
    "Squareness by a square turned over",
    SquareReversalContext,
    SquareReversalResult,
    analyse,
    measures="frame",
    kinematics=("bed_slinger", "fixed_bed", "corexy", "belt_bed"),
    gives="squareness",
    adjustable=True,
    interval_days=120,
    turned=MOVED,
    stand_in=_stand_in,
)
