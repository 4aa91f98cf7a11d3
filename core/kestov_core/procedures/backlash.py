"""backlash: reversal value, repeatability and accuracy of positioning by dial indicator, to ISO 230-2:2014."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Literal

import numpy as np
from pydantic import Field

from .. import gcode
from ..asking import PLACE, Asked, AxisBegins, AxisEnds, instrument_u95, limit, resolution, told
from ..errors import BadInput
from ..machine import Place
from ..quantities import U95_OF_STEP, Limits, Quantity, decide, quadrature, step_shown, t95
from ..readers import read_csv
from .base import Advice, Context, Finding, Part, Procedure, Program, Result, StandIn, source_of, three_way

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

#: What lies further from its like is a slip of the pen, not an axis (mm, typical).
_SLIP_MM = 0.1


class BacklashContext(Context):
    """``limit_mm``: the reversal value that still prints well (typical). ``indicator_u95_mm``: the indicator's own lost
    motion, common to all readings (0.003 is typical).
    """

    limit_mm: Annotated[
        float,
        Field(ge=0.0001, le=20),
        Asked("May differ by", "mm", "0.05 is typical.", (limit("reversal", "An axis may come back short by", "mm"),)),
    ] = 0.05
    resolution_mm: Annotated[
        float, Field(ge=0, le=5), Asked("Reads to", "mm", "Its smallest step.", (resolution("mm"),))
    ] = 0.01
    indicator_u95_mm: Annotated[
        float,
        Field(ge=0, le=5),
        Asked("Indicator good to ±", "mm", "0.003 is typical.", (instrument_u95("mm"),), more=True),
    ] = 0.003
    axis: Annotated[Place | None, told(PLACE)] = None


class Reversal(Part):
    """One reading of the dial indicator: the actual position on the target's scale, and from which side it came."""

    target_mm: Annotated[float, Field(ge=-5000, le=5000)]
    approach: Literal["+", "-"]
    reading_mm: Annotated[float, Field(ge=-5000, le=5000), Asked("Indicator", "mm")]


class ReversalProgram(Part):
    """Where the test runs, and the axis's own ends (mm). ``pause_s`` left out: it waits for a key."""

    axis: Literal["x", "y", "z"]
    start_mm: Annotated[float, Field(ge=-5000, le=5000), Asked("First target", "mm", "Well away from the frame.")] = 100
    step_mm: Annotated[float, Field(ge=0.01, le=500), Asked("Step", "mm", "Within the indicator's reach.")] = 2
    targets: Annotated[int, Field(ge=1, le=20), Asked("Targets", "", "Three or more.")] = 5
    cycles: Annotated[int, Field(ge=1, le=20), Asked("Cycles", "", "Five for a standard figure.")] = 5
    low_mm: AxisBegins = 0
    high_mm: AxisEnds = 200
    pause_s: Annotated[float, Field(ge=1, le=600)] | None = None


class AtTarget(Part):
    """One target: means of the deviations from both sides, their standard deviations, and B_i (+ less -), mm."""

    target_mm: float
    cycles: int
    mean_plus_mm: float
    mean_minus_mm: float
    s_plus_mm: float
    s_minus_mm: float
    reversal: Quantity


class BacklashResult(Result):
    """ISO 230-2: B = max |B_i|, mean B (signed), R, E and A, all mm."""

    procedure: Literal["backlash"] = "backlash"
    reversal_value: Quantity
    mean_reversal: Quantity
    repeatability: Quantity
    systematic_deviation: Quantity
    accuracy: Quantity
    cycles: int
    per_target: list[AtTarget]


def analyse(context: BacklashContext, data: bytes | None) -> BacklashResult:
    r"""The reversal of an axis from readings at targets that were approached from both sides.

    Parameters
    ----------
    context : BacklashContext
        The limit and the instrument's resolution (mm).
    data : bytes
        CSV ``target_mm,approach,reading_mm``: readings are actual positions on the target's scale, ``approach`` is + or -.

    Returns
    -------
    BacklashResult
        ``reversal_value``, ``mean_reversal``, ``repeatability``, ``systematic_deviation``, ``accuracy`` (mm), and each target's.

    Raises
    ------
    BadInput
        Those of `readers.read_csv`; ``too_few_rows`` where a target has not two readings from each side.

    Notes
    -----
    ISO 230-2: B_i is the mean of the + approaches less that of the - approaches; the reversal value is the largest |B_i|.

    Examples
    --------
    >>> rows = b"target_mm,approach,reading_mm\n" + b"10,+,10.04\n10,-,9.98\n" * 2
    >>> result = analyse(BacklashContext(axis="x"), rows)
    >>> round(result.reversal_value.value, 3), round(result.mean_reversal.value, 3)
    (0.06, 0.06)
    """
    assert data is not None
    table = read_csv(data, ("target_mm", "approach", "reading_mm"), signs=("approach",))
    target, side = np.array(table["target_mm"]), np.array(table["approach"])
    deviation = np.array(table["reading_mm"]) - target
    if not len(target):
        raise BadInput("too_few_rows", "There is no reading in the file.", "data")
    odd = _odd(target, side, deviation)
    resolution = step_shown([float(r) for r in table["reading_mm"]], context.resolution_mm)
    step = U95_OF_STEP * resolution
    rows = [
        _at(t, deviation[(target == t) & (side > 0)], deviation[(target == t) & (side < 0)], step)
        for t in np.unique(target)
    ]
    plus, minus = np.array([r.mean_plus_mm for r in rows]), np.array([r.mean_minus_mm for r in rows])
    s_plus, s_minus = np.array([r.s_plus_mm for r in rows]), np.array([r.s_minus_mm for r in rows])
    b = plus - minus
    u_b = np.array([r.reversal.u95 or 0.0 for r in rows])
    n = min(r.cycles for r in rows)
    worst = int(np.abs(b).argmax())
    repeat = np.max([4 * s_plus, 4 * s_minus, 2 * s_plus + 2 * s_minus + np.abs(b)], axis=0)
    systematic = max(plus.max(), minus.max()) - min(plus.min(), minus.min())
    accuracy = max((plus + 2 * s_plus).max(), (minus + 2 * s_minus).max()) - min(
        (plus - 2 * s_plus).min(), (minus - 2 * s_minus).min()
    )
    # A standard deviation of n readings is itself known to 1 / sqrt(2 (n - 1)).
    spread = 2 * float(max(s_plus.max(), s_minus.max())) * 1.96 / np.sqrt(2 * (n - 1))
    # What a step rounds away is alike at all targets where the readings scatter less than a step: it does not average out.
    scatter = float(np.sqrt(np.mean(np.concatenate([s_plus, s_minus]) ** 2)))
    rounding = 2**0.5 * step * max(0.0, 1 - scatter / resolution) if resolution > 0 else 0.0
    u_mean = quadrature(float(np.sqrt(np.maximum(u_b**2 - rounding**2, 0).sum())) / len(rows), rounding)
    value = abs(float(b[worst]))
    own = float(u_b[worst])
    u_value = quadrature(own, context.indicator_u95_mm)
    reversal = Quantity(
        value=value,
        u95=u_value,
        own=own,
        shared=context.indicator_u95_mm,
        unit="mm",
        low=max(0.0, value - u_value),
        high=value + u_value,
    )
    result = BacklashResult(
        verdict="cannot_tell" if odd else decide(value, reversal.u95, Limits(high=context.limit_mm)),
        reversal_value=reversal,
        mean_reversal=Quantity(
            value=float(b.mean()),
            u95=quadrature(u_mean, context.indicator_u95_mm),
            unit="mm",
            own=u_mean,
            shared=context.indicator_u95_mm,
        ),
        repeatability=Quantity(
            value=float(repeat.max()), u95=quadrature(2 * spread, u_b[int(repeat.argmax())]), unit="mm"
        ),
        systematic_deviation=Quantity(value=float(systematic), u95=float(u_b.max()), unit="mm"),
        accuracy=Quantity(value=float(accuracy), u95=quadrature(spread, float(u_b.max())), unit="mm"),
        cycles=n,
        per_target=rows,
    )
    limits = Limits(high=context.limit_mm)
    result.judge(
        "Comes back short by (reversal value)", reversal, limits, source_of(context, "limit_mm"), result.verdict
    )
    result.judge("Repeats to (R)", result.repeatability)
    result.judge("Placed to (A)", result.accuracy)
    if resolution > context.resolution_mm:
        result.warn(
            "rounded_readings",
            f"All readings are whole steps of {resolution:g} mm: so coarse they count, whatever the instrument shows.",
        )
    for row in odd:
        result.warn(
            "odd_reading",
            f"The {row + 1}. reading lies {deviation[row]:+.3g} mm from its target, far from the others: typed wrongly, or put to another target? Look at it again.",
        )
    if n < 5:
        result.warn(
            "fewer_than_five_cycles",
            f"{n} cycles: ISO 230-2 asks for five before its figures are compared with others'.",
        )
    if len(rows) < 3:
        result.warn("few_targets", "Fewer than three targets: play at the other end of the travel would not be seen.")
    result.findings.append(
        Finding(finding="backlash_found", axis=context.axis, state=three_way(result.verdict), value=reversal)
    )
    _advise(result, context, rows[worst])
    return result


def _odd(target: np.ndarray, side: np.ndarray, deviation: np.ndarray) -> list[int]:
    """Rows (from 0) that lie far from the others of their target and side; five at most are named."""
    left = np.zeros(len(target))
    for t in np.unique(target):
        for s in (-1, 1):
            here = (target == t) & (np.sign(side) == s)
            if here.any():
                left[here] = deviation[here] - np.median(deviation[here])
    spread = 1.4826 * float(np.median(np.abs(left)))
    return [int(i) for i in np.flatnonzero(np.abs(left) > max(8 * spread, _SLIP_MM))[:5]]


def _at(target: float, plus: np.ndarray, minus: np.ndarray, step: float) -> AtTarget:
    if min(len(plus), len(minus)) < 2:
        raise BadInput(
            "too_few_rows",
            f"Target {target:g} mm has {len(plus)} readings from the + side and {len(minus)} from the - side; two of each at the least.",
            "approach",
        )
    s = [float(v.std(ddof=1)) for v in (plus, minus)]
    n = min(len(plus), len(minus))
    u = quadrature(
        t95(len(plus) + len(minus) - 2) * quadrature(s[0] / len(plus) ** 0.5, s[1] / len(minus) ** 0.5), 2**0.5 * step
    )
    b = float(plus.mean() - minus.mean())
    return AtTarget(
        target_mm=float(target),
        cycles=n,
        mean_plus_mm=float(plus.mean()),
        mean_minus_mm=float(minus.mean()),
        s_plus_mm=s[0],
        s_minus_mm=s[1],
        reversal=Quantity(value=b, u95=u, unit="mm"),
    )


def _advise(result: BacklashResult, context: BacklashContext, worst: AtTarget) -> None:
    axis = context.axis or "all"
    if result.verdict == "out_of_tolerance":
        result.advice.append(
            Advice(
                action="look_for_play",
                target=axis,
                amount=result.reversal_value,
                reason=f"It comes back {result.reversal_value.value:.3f} mm short, most at {worst.target_mm:g} mm. Grub screw, belt tension and clamp, "
                "then play in carriage or nut: in this order. No setting mends it for good.",
                expect=Quantity(value=context.limit_mm, u95=None, unit="mm"),
            )
        )
    elif any(w.code == "odd_reading" for w in result.warnings):
        result.advice.append(
            Advice(
                action="measure_again",
                target=axis,
                reason="Look at the odd reading first: take it again, or put it right.",
            )
        )
    elif result.verdict == "cannot_tell":
        gap = abs(result.reversal_value.value - context.limit_mm) or 0.2 * context.limit_mm
        more = int(
            np.clip(np.ceil(result.cycles * ((result.reversal_value.u95 or gap) / gap) ** 2) - result.cycles, 1, 30)
        )
        result.advice.append(
            Advice(
                action="more_cycles",
                target=axis,
                amount=Quantity(value=more, unit="1"),
                reason=f"The limit lies inside the uncertainty; about {more} more cycles would settle it.",
            )
        )


def _gcode(q: ReversalProgram) -> str:
    return gcode.backlash_test(
        q.axis, q.start_mm, q.step_mm, q.targets, q.cycles, q.low_mm, q.high_mm, pause_s=q.pause_s
    )


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, object]) -> StandIn:
    """A simulated dial indicator over five targets, five cycles."""
    from ..simulator.instruments import reversal_csv

    table = reversal_csv(machine.truly_travels(place), [20.0 + 2.5 * i for i in range(5)], 5, seed)
    rows: list[dict[str, float | str]] = []
    for line in table.decode().splitlines()[1:]:
        target, side, reading = line.split(",")
        rows.append({"target_mm": float(target), "approach": side, "reading_mm": float(reading)})
    return StandIn(rows=rows)


PROCEDURE = Procedure(
    "backlash",
    "Reversal by dial indicator",
    BacklashContext,
    BacklashResult,
    analyse,
    data="csv",
    measures="axis",
    gives="reversal",
    table=Reversal,
    program=Program(
        "reversal", ReversalProgram, _gcode, "Slow, each target from both sides; it waits for you at each."
    ),
    stand_in=_stand_in,
)
