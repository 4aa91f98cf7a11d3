"""drag: the force that pushes the free carriage along its guides, and where it binds.

Force over travel by spring scale, belt off, motor unplugged. A place binds where the force is over 1.5 times the median
by more than its uncertainty, all readings held against it at once (Bonferroni).
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Annotated, Literal

import numpy as np
from pydantic import Field

from ..asking import PLACE, Asked, instrument_u95, limit, resolution, told
from ..errors import BadInput
from ..machine import Place
from ..quantities import U95_OF_STEP, Limits, Quantity, decide, quadrature, t95, typed_wrong, worst
from ..readers import read_csv
from .base import Advice, Context, Finding, Part, Procedure, Result, StandIn, source_of, three_way

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

#: A place binds over so many times the median force (typical).
BINDS = 1.5
_LEAST_ROWS = 5
#: The hand's spread is read from this share of the quietest differences, so that a tight place in half of a short table
#: does not pass for an unsteady hand; and the normal quantile that goes with it.
_QUIET, _QUIET_SIGMA = 0.35, 0.4538


class Push(Part):
    """One reading: where the carriage was, the force that just kept it moving, and which way it went."""

    position_mm: Annotated[float, Field(ge=-5000, le=5000), Asked("Place", "mm", varies=True)]
    force_n: Annotated[float, Field(ge=0, le=500), Asked("Force", "N")]
    direction: Literal["+", "-"] | None = None


class DragContext(Context):
    """``limit_n``: what a sound axis takes (typical). ``motor_attached``: the belt is on; the motor's own detent adds
    some 2 to 3 N, so only the evenness is judged. ``scale_u95_n``: the scale's own uncertainty, common to all readings.
    """

    limit_n: Annotated[
        float,
        Field(ge=0.001, le=200),
        Asked("May take", "N", "3 is typical.", (limit("drag", "Pushing a free carriage takes", "N"),)),
    ] = 3.0
    resolution_n: Annotated[
        float, Field(ge=0, le=20), Asked("Scale reads to", "N", "Its smallest step.", (resolution("N"),))
    ] = 0.1
    motor_attached: Annotated[
        bool, Asked("The belt is still on: the motor adds 2 to 3 N, so only evenness is judged")
    ] = False
    scale_u95_n: Annotated[
        float, Field(ge=0, le=20), Asked("Scale good to ±", "N", "0.1 is typical.", (instrument_u95("N"),), more=True)
    ] = 0.1
    axis: Annotated[Place | None, told(PLACE)] = None


class Tight(Part):
    """A stretch of the travel where it binds, and the largest force in it (N)."""

    from_mm: float
    to_mm: float
    force_n: float


class Reading(Part):
    """A reading as it was taken, for the drawing."""

    position_mm: float
    force_n: float


class DragResult(Result):
    """Mean and largest force (N), where it is largest, the stretches that bind, and the slope along the travel.

    ``trend``: N per 100 mm of what does not bind: tight at one end, the rods are not parallel.
    """

    procedure: Literal["drag"] = "drag"
    mean_force: Quantity
    median_force: Quantity
    worst_force: Quantity
    worst_at_mm: float
    binding: list[Tight]
    trend: Quantity
    readings: list[Reading]

    @property
    def span_mm(self) -> float:
        """The travel that was pushed over."""
        return max(r.position_mm for r in self.readings) - min(r.position_mm for r in self.readings)


def analyse(context: DragContext, data: bytes | None) -> DragResult:
    r"""The force that a free carriage takes to be pushed along, and where it binds.

    Parameters
    ----------
    context : DragContext
        The limit (N) and the scale's resolution (N).
    data : bytes
        CSV ``position_mm,force_n[,direction]``.

    Returns
    -------
    DragResult
        ``mean_force`` and ``worst_force`` (N) and where, the tight places, the ``trend`` (N per 100 mm).

    Raises
    ------
    BadInput
        Those of `readers.read_csv`; ``too_few_rows`` under five.

    Examples
    --------
    >>> rows = b"position_mm,force_n\n" + b"".join(b"%d,1.0\n" % at for at in range(0, 200, 20))
    >>> result = analyse(DragContext(axis="x"), rows)
    >>> round(result.mean_force.value, 3), result.binding
    (1.0, [])
    """
    assert data is not None
    at, force, way = _rows(data)
    odd = [i for i, f in enumerate(force) if typed_wrong(float(f), float(np.median(force)))]
    noise = max(_hand(at, force, way), U95_OF_STEP * context.resolution_n / 1.96)
    median = float(np.median(force))
    # Every reading is held against the threshold at once, and the median itself is known to noise / sqrt n.
    u_each = _simultaneous(len(force)) * noise
    own = t95(len(force) - 1) * float(force.std(ddof=1)) / math.sqrt(len(force))
    tight = _binding(at, force, way, BINDS * median + u_each)
    binds = np.zeros(len(force), dtype=bool)
    for t in tight:
        binds |= (at >= t.from_mm) & (at <= t.to_mm) & (force > BINDS * median)
    top = int(force.argmax())
    result = DragResult(
        verdict="not_judged",
        mean_force=Quantity(
            value=float(force.mean()),
            u95=quadrature(own, context.scale_u95_n),
            unit="N",
            own=own,
            shared=context.scale_u95_n,
        ),
        median_force=Quantity(value=median, u95=quadrature(1.25 * own, context.scale_u95_n), unit="N"),
        worst_force=Quantity(value=float(force[top]), u95=u_each, unit="N"),
        worst_at_mm=float(at[top]),
        binding=tight,
        trend=_trend(at[~binds], force[~binds]),
        readings=[Reading(position_mm=float(p), force_n=float(f)) for p, f in zip(at, force, strict=True)],
    )
    _judge(result, context, bool(odd))
    _warn(result, context, odd, at)
    _advise(result, context)
    return result


def _rows(data: bytes) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Positions, forces and directions (0 where not told), in the order of the travel."""
    table = read_csv(data, ("position_mm", "force_n"), ("direction",), signs=("direction",))
    at, force = np.array(table["position_mm"]), np.array(table["force_n"])
    way = np.array(table.get("direction", [0.0] * len(at)))
    if len(at) < _LEAST_ROWS or np.ptp(at) <= 0:
        raise BadInput("too_few_rows", f"{len(at)} readings: five or more, spread over the whole travel.", "data")
    for name, values, most in (("position_mm", at, 5000.0), ("force_n", force, 500.0)):
        if np.abs(values).max() > most or (name == "force_n" and values.min() < 0):
            row = int(np.abs(values).argmax()) if np.abs(values).max() > most else int(values.argmin())
            raise BadInput("out_of_range", f"Row {row + 2}, column {name}: {values[row]:g} cannot be.", name, row + 2)
    if float(np.median(force)) <= 0:
        raise BadInput("out_of_range", "Half of the forces are zero: read while it moves, slowly.", "force_n")
    order = np.lexsort((at, way))
    return at[order], force[order], way[order]


def _hand(at: np.ndarray, force: np.ndarray, way: np.ndarray) -> float:
    """Standard deviation of one reading (N): from second differences, which a smooth run of the force does not feed."""
    seconds = [np.diff(force[way == w], 2) for w in np.unique(way) if (way == w).sum() >= 3]
    every = np.concatenate(seconds) if seconds else np.diff(force)
    return float(np.quantile(np.abs(every), _QUIET) / _QUIET_SIGMA / math.sqrt(6))


def _simultaneous(n: int) -> float:
    """Normal quantile that n readings pass all together by chance in 2.5 of 100 (Bonferroni)."""
    from statistics import NormalDist

    return NormalDist().inv_cdf(1 - 0.025 / n)


def _binding(at: np.ndarray, force: np.ndarray, way: np.ndarray, over_n: float) -> list[Tight]:
    """Runs of readings over the threshold, each way by itself; what overlaps is one place."""
    found: list[Tight] = []
    for w in np.unique(way):
        mine = way == w
        over = np.concatenate([[False], force[mine] > over_n, [False]])
        for a, b in np.flatnonzero(np.diff(over.astype(int))).reshape(-1, 2):
            run, forces = at[mine][a:b], force[mine][a:b]
            found.append(Tight(from_mm=float(run[0]), to_mm=float(run[-1]), force_n=float(forces.max())))
    merged: list[Tight] = []
    for t in sorted(found, key=lambda t: t.from_mm):
        if merged and t.from_mm <= merged[-1].to_mm:
            last = merged[-1]
            merged[-1] = Tight(
                from_mm=last.from_mm, to_mm=max(last.to_mm, t.to_mm), force_n=max(last.force_n, t.force_n)
            )
        else:
            merged.append(t)
    return merged


def _trend(at: np.ndarray, force: np.ndarray) -> Quantity:
    """Slope of what does not bind, N per 100 mm, by least squares."""
    if len(at) < 3 or np.ptp(at) <= 0:
        return Quantity(value=0.0, u95=None, unit="N/100mm")
    x = at - at.mean()
    slope = float((x * force).sum() / (x**2).sum())
    left = force - force.mean() - slope * x
    u = t95(len(at) - 2) * math.sqrt(float((left**2).sum()) / (len(at) - 2) / float((x**2).sum()))
    return Quantity(value=100 * slope, u95=100 * u, unit="N/100mm")


def _judge(result: DragResult, context: DragContext, odd: bool) -> None:
    top = Limits(high=context.limit_n)
    of_mean = decide(result.mean_force.value, result.mean_force.u95, top)
    even = Limits(high=BINDS * result.median_force.value)
    of_worst = decide(result.worst_force.value, result.worst_force.u95, even, outer=0)
    if odd:
        of_worst = "cannot_tell"
        of_mean = "cannot_tell"
    if context.motor_attached:
        result.judge("Takes, with the motor on it", result.mean_force)
    else:
        result.judge("Takes", result.mean_force, top, source_of(context, "limit_n"), of_mean)
    result.judge(f"At the tightest, at {result.worst_at_mm:.0f} mm", result.worst_force, even, "typical", of_worst)
    result.judge("Grows along the travel by", result.trend)
    result.verdict = worst([j.verdict for j in result.judged])
    high = (
        "unknown"
        if context.motor_attached
        else three_way(of_mean if odd else decide(result.mean_force.value, result.mean_force.u95, top, outer=0))
    )
    result.findings.append(Finding(finding="drag_high", axis=context.axis, state=high, value=result.mean_force))
    result.findings.append(
        Finding(finding="binding_found", axis=context.axis, state=three_way(of_worst), value=result.worst_force)
    )


def _warn(result: DragResult, context: DragContext, odd: list[int], at: np.ndarray) -> None:
    for i in odd:
        result.warn(
            "odd_reading",
            f"At {at[i]:g} mm the force is ten times, or a tenth of, the others: typed wrongly? Push there again.",
        )
    if len(at) < 10:
        result.warn(
            "few_readings", f"{len(at)} readings: a tight place between two of them is not seen. Every 10 mm is good."
        )
    if context.motor_attached:
        result.warn(
            "motor_attached", "With the belt on, the motor's own detent adds 2 to 3 N: only the evenness is judged."
        )


def _advise(result: DragResult, context: DragContext) -> None:
    target = context.axis or "all"
    mean, median = result.judged[0].verdict, result.median_force.value
    expect = Quantity(value=median, u95=result.median_force.u95, unit="N")
    if any(w.code == "odd_reading" for w in result.warnings):
        words = "Look at the odd reading first: push there again, or put it right."
        result.advice.append(Advice(action="measure_again", target=target, reason=words))
        return
    for tight in result.binding:
        where = (
            f"from {tight.from_mm:.0f} to {tight.to_mm:.0f} mm"
            if tight.to_mm > tight.from_mm
            else f"at {tight.from_mm:.0f} mm"
        )
        result.advice.append(
            Advice(
                action="free_the_place",
                target=target,
                amount=Quantity(value=tight.force_n, u95=result.worst_force.u95, unit="N"),
                reason=f"It binds {where}. Unplugged: look there for dirt, a dent, a cable. Then loosen one end of one guide, "
                "slide through, and tighten where it is easy.",
                expect=expect,
            )
        )
    slope = result.trend
    if (
        slope.u95 is not None
        and abs(slope.value) > slope.u95
        and abs(slope.value) * result.span_mm / 100 > (BINDS - 1) * median
    ):
        end = "far" if slope.value > 0 else "near"
        result.advice.append(
            Advice(
                action="set_rods_parallel",
                target=target,
                reason=f"It grows tight toward the {end} end: the guides are not parallel. Measure their distance at both ends; set it by the nearer.",
                expect=expect,
            )
        )
    if mean == "out_of_tolerance" and not result.binding:
        result.advice.append(
            Advice(
                action="clean_and_lubricate",
                target=target,
                amount=Quantity(value=result.mean_force.value - context.limit_n, u95=result.mean_force.u95, unit="N"),
                reason="It is heavy all along: clean the guides, and lubricate what their material asks for. Then look at the pre-load of rollers or bushings.",
                expect=Quantity(value=context.limit_n, u95=None, unit="N"),
            )
        )
    elif result.verdict == "cannot_tell":
        words = "The limit lies inside the uncertainty: push more slowly, there and back, with a reading every 10 mm."
        result.advice.append(Advice(action="measure_again", target=target, reason=words))


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, object]) -> StandIn:
    """A simulated spring scale on a simulated guide, there and back: on some machines it binds somewhere."""
    guide = machine.guide(place)
    hand = np.random.default_rng(seed)
    rows: list[dict[str, float | str]] = []
    for sign in ("+", "-"):
        for at in range(0, 210, 10) if sign == "+" else range(200, -10, -10):
            force = guide.force(at) + hand.normal(0, 0.06)
            rows.append(
                {"position_mm": float(at), "force_n": round(max(0.1, round(force / 0.1) * 0.1), 1), "direction": sign}
            )
    return StandIn(rows=rows)


PROCEDURE = Procedure(
    "drag",
    "Drag of an axis",
    DragContext,
    DragResult,
    analyse,
    data="csv",
    measures="axis",
    gives="drag",
    table=Push,
    adjustable=True,
    stand_in=_stand_in,
)
