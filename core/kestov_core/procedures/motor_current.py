"""motor-current: phase current from the driver's reference voltage, or as the machine has it stored.

I_peak = Vref / (gain * Rs), r.m.s. = peak / sqrt 2. Motors in parallel on one driver share its current.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING, Annotated, Any, Literal

import numpy as np
from pydantic import Field, model_validator

from ..asking import PLACE, Asked, Choice, asked_of, drive, instrument_u95, last_time, limit, resolution, told, typical
from ..errors import BadInput
from ..machine import Drive, Gain, Motors, Ohm, Place, RatedA
from ..quantities import U95_OF_STEP, Limits, Quantity, decide, quadrature
from .base import Advice, Context, Finding, Part, Procedure, Result, StandIn, source_of, three_way

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine


class Share(Part):
    """Band of the rated current (%), typical unless the maker says otherwise."""

    low: Annotated[float, Field(ge=0.01, le=10000)] = 60.0
    high: Annotated[float, Field(ge=0.01, le=10000)] = 100.0

    @model_validator(mode="after")
    def _in_order(self) -> Share:
        if self.high <= self.low:
            raise ValueError("the band's high must be above its low")
        return self


_AT_DRIVER = ("current_set", ("reference",))
_ASKED_OF_DRIVE = asked_of(Drive)


def _of_drive(name: str, when: tuple[str, tuple[str, ...]] | None = None) -> Asked:
    """A figure of the drive as the description asks for it: from there where it is told, else as last time."""
    return replace(_ASKED_OF_DRIVE[name], sources=(drive(name), last_time(name)), when=when, more=False, spare=False)


class MotorCurrentContext(Context):
    """The reading at the driver: ``reference_v``, ``sense_ohm`` and ``gain`` (factor in its data sheet), or
    ``stored_rms_a`` where the current is a stored value. ``rated_a``: a motor's own rating, r.m.s. a phase.

    ``current_set``: which of the two; left out, it follows from what is given. ``motors_on_driver``: in parallel each
    gets its share, in series each gets all. The meter's own uncertainty: ``meter_u95_v`` where known, else
    ``meter_u95_percent``.
    """

    current_set: Annotated[
        Literal["reference", "stored"] | None,
        Asked(
            "How is it set?", "", "By a screw at the driver, or as a stored value.",
            (drive("current_set"), last_time("current_set"), typical(lambda k: "reference")),
            (Choice(value="reference", label="At the driver"), Choice(value="stored", label="Stored value")),
        ),
    ] = None  # fmt: skip
    stored_rms_a: Annotated[
        RatedA | None,
        Asked("Stored current", "A", "R.m.s. a phase, as the machine tells it.", when=("current_set", ("stored",))),
    ] = None
    reference_v: Annotated[
        Annotated[float, Field(ge=0.001, le=50)] | None,
        Asked("Reference", "V", "As the meter shows it.", when=_AT_DRIVER),
    ] = None
    sense_ohm: Annotated[Ohm | None, _of_drive("sense_ohm", when=_AT_DRIVER)] = None
    gain: Annotated[Gain | None, _of_drive("gain", when=_AT_DRIVER)] = None
    motors_on_driver: Annotated[Motors, _of_drive("motors_on_driver")] = 1
    wiring: Annotated[
        Literal["parallel", "series"],
        Asked(
            "How are they wired?", "", "In parallel each gets its share, in series each gets all.", (drive("wiring"), last_time("wiring")),
            (Choice(value="parallel", label="In parallel"), Choice(value="series", label="In series")),
            when=("motors_on_driver", ("2", "3", "4")),
        ),
    ] = "parallel"  # fmt: skip
    rated_a: Annotated[RatedA, _of_drive("rated_a")]
    case_temperature_c: Annotated[
        Annotated[float, Field(ge=-50, le=300)] | None, Asked("Motor's case", "°C", "After a print.")
    ] = None
    resolution_v: Annotated[
        float,
        Field(ge=0, le=5),
        Asked("Meter reads to", "V", "Its smallest step.", (resolution("V"),), when=_AT_DRIVER),
    ] = 0.01
    meter_u95_v: Annotated[
        Annotated[float, Field(ge=0, le=5)] | None,
        Asked(
            "Meter good to ±",
            "V",
            "As it was checked; 1 % is typical.",
            (instrument_u95("V"),),
            when=_AT_DRIVER,
            more=True,
            spare=True,
        ),
    ] = None
    meter_u95_percent: Annotated[float, Field(ge=0, le=100)] = 1.0
    sense_u95_percent: Annotated[
        float, Field(ge=0, le=100), Asked("Resistor good to ±", "%", "2 is typical.", when=_AT_DRIVER, more=True)
    ] = 2.0
    stored_u95_percent: Annotated[
        float,
        Field(ge=0, le=100),
        Asked("Stored current good to ±", "%", "5 is typical.", when=("current_set", ("stored",)), more=True),
    ] = 5.0
    limit_percent: Annotated[
        Share,
        Asked(
            "Of its rating it should have",
            "%",
            "60 to 100 is typical.",
            (limit("current", "Share of a motor's rating", "%", "band"),),
            more=True,
        ),
    ] = Share()
    axis: Annotated[Place | None, told(PLACE)] = None

    @property
    def share(self) -> float:
        """Of the driver's current, what one motor gets."""
        return 1 / self.motors_on_driver if self.wiring == "parallel" else 1.0


class MotorCurrentResult(Result):
    """Currents of one motor, and their share of its rating. ``driver_rms_current``: what the driver gives to all on it.
    ``cautions`` stand at the step where they matter.
    """

    procedure: Literal["motor-current"] = "motor-current"
    peak_current: Quantity
    rms_current: Quantity
    percent_of_rated: Quantity
    driver_rms_current: Quantity | None = None
    cautions: list[str]


def analyse(context: MotorCurrentContext, data: bytes | None = None) -> MotorCurrentResult:
    """Current, its share of the rating, and the reference to set instead where it is out.

    Parameters
    ----------
    context : MotorCurrentContext
        Reference (V), sense resistor (ohm) and the driver's factor, or the stored r.m.s. current (A); the motor's rating (A, r.m.s.).
    data : None
        It has no file.

    Returns
    -------
    MotorCurrentResult
        Peak and r.m.s. current of one motor (A), and per cent of its rating, each with u95.

    Notes
    -----
    I_peak = V_ref / (gain R_s), from the driver's datasheet; I_rms = I_peak / sqrt 2 of a sine.

    Examples
    --------
    >>> result = analyse(MotorCurrentContext(axis="x", reference_v=0.8, sense_ohm=0.1, gain=8, rated_a=1.0))
    >>> round(result.peak_current.value, 3), round(result.percent_of_rated.value, 1)
    (1.0, 70.7)
    """
    driver_rms, relative = _driver_current(context)
    rms = driver_rms * context.share
    peak = rms * math.sqrt(2)
    share = 100 * rms / context.rated_a
    band = Limits(low=context.limit_percent.low, high=context.limit_percent.high)
    result = MotorCurrentResult(
        verdict=decide(share, share * relative, band),
        peak_current=Quantity(value=peak, u95=peak * relative, unit="A"),
        rms_current=Quantity(value=rms, u95=rms * relative, unit="A"),
        percent_of_rated=Quantity(value=share, u95=share * relative, unit="%"),
        driver_rms_current=Quantity(value=driver_rms, u95=driver_rms * relative, unit="A"),
        cautions=_cautions(context),
    )
    result.judge(
        "Of the motor's rating", result.percent_of_rated, band, source_of(context, "limit_percent"), result.verdict
    )
    result.judge("R.m.s. current a phase, in each motor", result.rms_current)
    if context.share < 1:
        result.judge("The driver gives, to all on it", Quantity(value=driver_rms, u95=driver_rms * relative, unit="A"))
    if context.stored_rms_a is None:
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


def _driver_current(context: MotorCurrentContext) -> tuple[float, float]:
    """R.m.s. current a phase that the driver gives (A), and its relative u95."""
    at_driver = {"reference_v": context.reference_v, "sense_ohm": context.sense_ohm, "gain": context.gain}
    if context.current_set == "stored" and context.stored_rms_a is None:
        raise BadInput("missing_field", "stored_rms_a: enter the current as the machine tells it.", "stored_rms_a")
    if context.current_set == "reference" and context.stored_rms_a is not None:
        raise BadInput("out_of_range", "stored_rms_a: the current is set at the driver; leave it out.", "stored_rms_a")
    if context.stored_rms_a is not None:
        if any(v is not None for v in at_driver.values()):
            raise BadInput(
                "out_of_range",
                "stored_rms_a: give the stored current, or the reading at the driver, not both.",
                "stored_rms_a",
            )
        return context.stored_rms_a, context.stored_u95_percent / 100
    for name, value in at_driver.items():
        if value is None:
            raise BadInput(
                "missing_field", f"{name}: enter it, or stored_rms_a where the machine stores the current.", name
            )
    assert context.reference_v is not None and context.sense_ohm is not None and context.gain is not None
    relative = quadrature(
        U95_OF_STEP * context.resolution_v / context.reference_v,
        context.meter_u95_percent / 100 if context.meter_u95_v is None else context.meter_u95_v / context.reference_v,
        context.sense_u95_percent / 100,
    )
    return context.reference_v / (context.gain * context.sense_ohm) / math.sqrt(2), relative


def _cautions(context: MotorCurrentContext) -> list[str]:
    never = "Never unplug a motor while its driver is powered."
    if context.stored_rms_a is not None:
        return ["Write down the old value before you change it; store it, and read it back.", never]
    return [
        "The board is live while you read: insulated tool, one hand, nothing metal hanging over it.",
        "Adjust unpowered, then read again: a slip of the screwdriver takes the driver with it.",
        never,
    ]


def _advise(result: MotorCurrentResult, context: MotorCurrentContext, share: float, relative: float) -> None:
    target = context.axis or "all"
    if result.verdict == "out_of_tolerance":
        low = share < context.limit_percent.low
        middle = (context.limit_percent.low + context.limit_percent.high) / 2
        stored = context.stored_rms_a is not None
        value = (context.stored_rms_a or context.reference_v or 0.0) * middle / share
        all_of = f" ({context.motors_on_driver} motors share it)" if context.share < 1 else ""
        how = (
            f" Store {value:.2f} A r.m.s.{all_of}, and read it back."
            if stored
            else f" Unpowered, set the reference to {value:.2f} V{all_of}, then read again."
        )
        result.advice.append(
            Advice(
                action="raise_current" if low else "lower_current",
                target=target,
                amount=Quantity(value=value, u95=value * relative, unit="A" if stored else "V"),
                direction="up" if low else "down",
                reason=f"{share:.0f} % of the rating: "
                + ("it loses steps when pushed." if low else "motor and driver run hot for nothing.")
                + how,
                expect=Quantity(value=middle, u95=middle * relative, unit="%"),
            )
        )
    elif result.verdict == "cannot_tell":
        result.advice.append(
            Advice(
                action="measure_again",
                target=target,
                reason="The limit lies inside the uncertainty: "
                + (
                    "read the reference at the driver as well, where there is one."
                    if context.stored_rms_a is not None
                    else "a meter with a finer step, and the sense resistor's figure from the board."
                ),
            )
        )


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, Any]) -> StandIn:
    """A meter at a simulated driver; what the description does not tell of it is read off the board."""
    from ..simulator.drives import GAIN, RATED_A, SENSE_OHM

    def known(name: str, made: float) -> float:
        return float(context.get(name) or made)

    sense, gain, rated = known("sense_ohm", SENSE_OHM), known("gain", GAIN), known("rated_a", RATED_A)
    motors = int(context.get("motors_on_driver") or 1) if context.get("wiring") != "series" else 1
    rng = np.random.default_rng([seed, 63])
    drive = machine.drive(place)
    if context.get("current_set") == "stored":
        return StandIn(told={"stored_rms_a": round(drive.current * rated * motors, 3), "rated_a": rated})
    volts = drive.reference_v(rated, sense, gain, motors, rng)
    return StandIn(
        told={
            "current_set": "reference",
            "reference_v": round(volts, 2),
            "sense_ohm": sense,
            "gain": gain,
            "rated_a": rated,
        }
    )


PROCEDURE = Procedure(
    "motor-current",
    "Motor current",
    MotorCurrentContext,
    MotorCurrentResult,
    analyse,
    measures="motor",
    gives="current",
    adjustable=True,
    sets="current",
    stand_in=_stand_in,
    true=("percent_of_rated", lambda m, place: 100 * m.drive(place).current),
)
