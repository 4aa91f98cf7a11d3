"""motor-current: phase current from the driver's reference voltage. I_peak = Vref / (gain * Rs), r.m.s. = peak / sqrt 2."""

from __future__ import annotations

import math
from typing import Annotated

from pydantic import Field, model_validator

from ..machine import Place
from ..quantities import U95_OF_STEP, Finite, Limits, Positive, Quantity, decide, quadrature
from .base import Advice, Context, Finding, Part, Procedure, Result, three_way


class Share(Part):
    """Band of the rated current (%), typical unless the maker says otherwise."""

    low: Positive = 60.0
    high: Positive = 100.0

    @model_validator(mode="after")
    def _in_order(self) -> Share:
        if self.high <= self.low:
            raise ValueError("the band's high must be above its low")
        return self


class MotorCurrentContext(Context):
    """The reading at the driver. ``gain``: factor in the driver's data sheet; ``rated_a``: r.m.s. a phase."""

    reference_v: Positive
    sense_ohm: Positive
    gain: Positive
    rated_a: Positive
    case_temperature_c: Finite | None = None
    resolution_v: Annotated[float, Field(ge=0)] = 0.01
    meter_u95_percent: Annotated[float, Field(ge=0, le=100)] = 1.0
    sense_u95_percent: Annotated[float, Field(ge=0, le=100)] = 2.0
    limit_percent: Share = Share()
    axis: Place | None = None


class MotorCurrentResult(Result):
    """Currents, and the share of the motor's rating. ``cautions`` stand at the step where they matter."""

    peak_current: Quantity
    rms_current: Quantity
    percent_of_rated: Quantity
    cautions: list[str]


def analyse(context: MotorCurrentContext, data: bytes | None = None) -> MotorCurrentResult:
    """Current, its share of the rating, and the reference to set instead where it is out."""
    peak = context.reference_v / (context.gain * context.sense_ohm)
    relative = quadrature(
        U95_OF_STEP * context.resolution_v / context.reference_v,
        context.meter_u95_percent / 100,
        context.sense_u95_percent / 100,
    )
    rms = peak / math.sqrt(2)
    share = 100 * rms / context.rated_a
    band = Limits(low=context.limit_percent.low, high=context.limit_percent.high)
    result = MotorCurrentResult(
        verdict=decide(share, share * relative, band),
        peak_current=Quantity(value=peak, u95=peak * relative, unit="A"),
        rms_current=Quantity(value=rms, u95=rms * relative, unit="A"),
        percent_of_rated=Quantity(value=share, u95=share * relative, unit="%"),
        cautions=[
            "The board is live while you read: insulated tool, one hand, nothing metal hanging over it.",
            "Adjust unpowered, then read again: a slip of the screwdriver takes the driver with it.",
            "Never unplug a motor while its driver is powered.",
        ],
    )
    result.warn("single_reading", "One reading: read again after the adjustment and with the motor holding.")
    hot = context.case_temperature_c
    if hot is not None and hot >= 80:
        result.cautions.append(
            f"The motor's case is at {hot:.0f} °C: it burns skin. Let it cool, and set the current lower."
        )
    if hot is not None and hot >= 50 and context.axis in (None, "e"):
        result.cautions.append(
            f"At {hot:.0f} °C a motor at the drive gears softens filament: slipping there is heat before it is current."
        )
    if hot is not None and hot >= 60:
        result.warn(
            "hot_motor",
            f"The case is at {hot:.0f} °C; printed mounts of a soft plastic creep from about 55 °C (typical).",
        )
    for finding, low, high in (("current_low", band.low, None), ("current_high", None, band.high)):
        side = decide(share, share * relative, Limits(low=low, high=high), outer=0)
        result.findings.append(
            Finding(finding=finding, axis=context.axis, state=three_way(side), value=result.percent_of_rated)
        )
    _advise(result, context, share, relative)
    return result


def _advise(result: MotorCurrentResult, context: MotorCurrentContext, share: float, relative: float) -> None:
    target = context.axis or "all"
    if result.verdict == "out_of_tolerance":
        low = share < context.limit_percent.low
        middle = (context.limit_percent.low + context.limit_percent.high) / 2
        volts = context.reference_v * middle / share
        result.advice.append(
            Advice(
                action="raise_current" if low else "lower_current",
                target=target,
                amount=Quantity(value=volts, u95=volts * relative, unit="V"),
                direction="up" if low else "down",
                reason=f"{share:.0f} % of the rating: "
                + ("it loses steps when pushed." if low else "motor and driver run hot for nothing.")
                + f" Unpowered, set the reference to {volts:.2f} V, then read again.",
                expect=Quantity(value=middle, u95=middle * relative, unit="%"),
            )
        )
    elif result.verdict == "cannot_tell":
        result.advice.append(
            Advice(
                action="measure_again",
                target=target,
                reason="The limit lies inside the uncertainty: a meter with a finer step, and the sense resistor's figure from the board.",
            )
        )


PROCEDURE = Procedure("motor-current", "Motor current", MotorCurrentContext, MotorCurrentResult, analyse)
