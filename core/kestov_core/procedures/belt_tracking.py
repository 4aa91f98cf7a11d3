"""belt-tracking: whether a belt runs true between the flanges of its idlers over the whole travel."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from pydantic import Field

from ..asking import PLACE, Asked, limit, resolution, told
from ..machine import Place
from ..quantities import U95_OF_STEP, Limits, Quantity, decide, worst
from .base import Advice, Context, Finding, Part, Procedure, Result, StandIn, source_of

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine


class Position(Part):
    """Clearance to the upper and the lower flange at one place of the travel."""

    travel_mm: Annotated[float, Field(ge=-5000, le=5000), Asked("Place", "mm", varies=True)]
    clearance_top_mm: Annotated[float, Field(ge=0, le=20), Asked("Above", "mm")]
    clearance_bottom_mm: Annotated[float, Field(ge=0, le=20), Asked("Below", "mm")]


class BeltTrackingContext(Context):
    """Clearances along the travel, by feeler gauge or loupe."""

    positions: Annotated[list[Position], Field(min_length=2, max_length=200), Asked("Gaps")]
    limit_mm: Annotated[
        float,
        Field(ge=0.0001, le=20),
        Asked("May wander", "mm", "0.2 is typical.", (limit("tracking", "A belt may wander", "mm"),)),
    ] = 0.2
    resolution_mm: Annotated[
        float, Field(ge=0, le=5), Asked("Gauge reads to", "mm", "Its smallest step.", (resolution("mm"),))
    ] = 0.05
    axis: Annotated[Place | None, told(PLACE)] = None


class BeltTrackingResult(Result):
    """How far the belt wanders, how near it comes to a flange, and which it touches."""

    procedure: Literal["belt-tracking"] = "belt-tracking"
    wander: Quantity
    smallest_clearance: Quantity
    touches: Literal["top", "bottom", "both", "none"]


def analyse(context: BeltTrackingContext, data: bytes | None = None) -> BeltTrackingResult:
    """How far a belt wanders on its idlers, and whether it touches a flange.

    Parameters
    ----------
    context : BeltTrackingContext
        Positions along the travel (mm), each with the clearance to both flanges (mm).
    data : None
        It has no file.

    Returns
    -------
    BeltTrackingResult
        ``wander`` (mm): largest less smallest of (top - bottom) / 2; the smallest clearance; what it touches (a clearance not
        above its uncertainty).

    Examples
    --------
    >>> result = analyse(BeltTrackingContext(positions=[
    ...     {"travel_mm": 0, "clearance_top_mm": 0.5, "clearance_bottom_mm": 0.5},
    ...     {"travel_mm": 200, "clearance_top_mm": 0.6, "clearance_bottom_mm": 0.4}]))
    >>> round(result.wander.value, 3), result.touches
    (0.1, 'none')
    """
    top = np.array([p.clearance_top_mm for p in context.positions])
    bottom = np.array([p.clearance_bottom_mm for p in context.positions])
    u = U95_OF_STEP * context.resolution_mm
    # Half a difference of two readings has u / sqrt 2; the difference of two such has u.
    offset = (top - bottom) / 2
    wander = Quantity(value=float(np.ptp(offset)), u95=u, unit="mm")
    at_top, at_bottom = bool(top.min() <= u), bool(bottom.min() <= u)
    touches: Literal["top", "bottom", "both", "none"] = (
        "both" if at_top and at_bottom else "top" if at_top else "bottom" if at_bottom else "none"
    )
    of_wander = decide(wander.value, wander.u95, Limits(high=context.limit_mm))
    result = BeltTrackingResult(
        verdict=worst([of_wander, "out_of_tolerance" if touches != "none" else "in_tolerance"]),
        wander=wander,
        smallest_clearance=Quantity(value=float(min(top.min(), bottom.min())), u95=u, unit="mm"),
        touches=touches,
    )
    result.judge("Wanders", wander, Limits(high=context.limit_mm), source_of(context, "limit_mm"), of_wander)
    nothing = touches == "none"
    result.judge(
        "Smallest gap; touches nothing" if nothing else f"Smallest gap; touches {touches}",
        result.smallest_clearance,
        verdict="in_tolerance" if nothing else "out_of_tolerance",
    )
    state: Literal["present", "absent"] = "present" if touches != "none" else "absent"
    result.findings.append(
        Finding(finding="belt_touches_flange", axis=context.axis, state=state, value=result.smallest_clearance)
    )
    if len(context.positions) < 3:
        result.warn("few_positions", "Two places only: look at both ends and the middle of the travel.")
    where = context.axis or "belt"
    if touches in ("top", "bottom"):
        other = "bottom" if touches == "top" else "top"
        result.advice.append(
            Advice(
                action="tip_tensioner",
                target=where,
                direction=f"away from the {touches} flange",
                reason=f"The belt climbs to the {touches} flange. Lock screws until they only just hold; tip the tensioner's "
                f"{touches} end a hair toward slack so that the belt moves to the {other}; run end to end; look again.",
            )
        )
    elif touches == "both":
        result.advice.append(
            Advice(
                action="check_idlers",
                target=where,
                reason="It touches both flanges: an idler or pulley stands askew or too narrow. Look at each before tipping the tensioner.",
            )
        )
    elif of_wander == "out_of_tolerance":
        result.advice.append(
            Advice(
                action="align_idlers",
                target=where,
                amount=Quantity(value=wander.value - context.limit_mm, u95=u, unit="mm"),
                reason="It touches nothing yet, but wanders more than the limit: idler or pulley shafts are not parallel.",
            )
        )
    elif result.verdict == "cannot_tell":
        result.advice.append(
            Advice(
                action="measure_again",
                target=where,
                reason="The limit lies inside the uncertainty: use a finer feeler gauge, at more places.",
            )
        )
    return result


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, Any]) -> StandIn:
    """A loupe along a simulated belt."""
    seen = machine.drive(place).gaps(np.random.default_rng([seed, 61]))
    names = ("travel_mm", "clearance_top_mm", "clearance_bottom_mm")
    return StandIn(rows=[dict(zip(names, row, strict=True)) for row in seen])


PROCEDURE = Procedure(
    "belt-tracking",
    "Belt tracking",
    BeltTrackingContext,
    BeltTrackingResult,
    analyse,
    measures="belt",
    gives="tracking",
    adjustable=True,
    interval_days=30,
    stand_in=_stand_in,
)
