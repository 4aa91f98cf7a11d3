"""steps: commanded against measured travel, theory beside it, and what to set, if anything."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import Field

from ..errors import BadInput
from ..gcode import steps_script
from ..machine import Transmission
from ..quantities import Finite, Limits, Positive, Quantity, decide, mean_of, odd_ones, quadrature, step_shown
from .base import Advice, Context, Finding, Part, Procedure, Result, source_of, three_way

#: Tooth counts of pulleys and leads of screws (mm) that are sold, and so get mixed up.
_TEETH = (12, 16, 18, 20, 24, 30, 32, 36, 40)
_LEADS = (1, 2, 4, 8, 12)


class StepsContext(Context):
    """A travel test. ``stated_u95_mm``: hand and feel beyond the instrument's step (0.03 is typical for calipers);
    ``zero_u95_mm``: its zero, common to the whole sitting (0.02 is typical; none where each travel is a difference).

    Either ``measured_mm``, or for filament a mark: how far it stood before the drive (``mark_before_mm``), and how far it
    still stands after each feed (``mark_after_mm``).

    Motor and gearing stand in the transmission; given beside it, they go before it.
    """

    axis: Literal["x", "y", "z", "e"]
    steps_per_mm: Positive
    commanded_mm: Positive
    measured_mm: Annotated[list[Positive], Field(min_length=1)] | None = None
    mark_before_mm: Positive | None = None
    mark_after_mm: Annotated[list[Annotated[Finite, Field(ge=0)]], Field(min_length=1)] | None = None
    resolution_mm: Annotated[float, Field(ge=0)] = 0.01
    stated_u95_mm: Annotated[float, Field(ge=0)] = 0.03
    zero_u95_mm: Annotated[float, Field(ge=0)] = 0.02
    limit_percent: Positive | None = None
    transmission: Transmission
    motor_steps_per_rev: Positive | None = None
    microsteps: Positive | None = None
    gear_ratio: Positive | None = None


class Suspect(Part):
    """A simple ratio that the error is close to, and what makes such a ratio."""

    ratio: float
    because: str


class Script(Part):
    """The change as G-code, and as travel for one turn of the motor (mm)."""

    gcode: str
    travel_per_turn_mm: float


class StepsResult(Result):
    """``error``: measured over commanded less one, %. ``basis``: what the new figure rests on."""

    procedure: Literal["steps"] = "steps"
    travel: Quantity
    error: Quantity
    theory_steps_per_mm: float | None
    steps_per_mm_new: Quantity
    basis: Literal["kept", "theory", "measured", "ratio"]
    ratio_suspect: list[Suspect]
    script: Script


def analyse(context: StepsContext, data: bytes | None = None) -> StepsResult:
    """New steps = old * commanded / measured; theory where it lies inside the uncertainty; nothing on noise."""
    readings, stated, resolution = _readings(context)
    step = step_shown(readings, resolution)
    mean, own = mean_of(readings, step, stated)
    ratio, u = mean / context.commanded_mm, own / context.commanded_mm
    error = Quantity(value=100 * (ratio - 1), u95=100 * u, unit="%")
    limit = context.limit_percent or (2.0 if context.axis == "e" else 0.2)
    theory, travel_per_turn = _theory(context)
    measured = context.steps_per_mm / ratio
    u_steps = measured * u / ratio
    odd = odd_ones(readings, 0.002 * context.commanded_mm, context.commanded_mm)
    suspects = [] if odd else _suspects(ratio, u, context.transmission.kind)
    basis: Literal["kept", "theory", "measured", "ratio"]
    if theory is not None and abs(theory - measured) <= u_steps:
        basis, new = "theory", theory
    elif odd or abs(error.value) <= 100 * u:
        basis, new = "kept", context.steps_per_mm
    else:
        basis, new = ("ratio" if suspects else "measured"), measured
    turn = travel_per_turn if travel_per_turn is not None else _per_turn(context) / new
    if basis == "measured":
        turn = _per_turn(context) / new
    result = StepsResult(
        verdict="cannot_tell" if odd else decide(error.value, error.u95, Limits(low=-limit, high=limit)),
        travel=Quantity(value=mean, u95=own, unit="mm"),
        error=error,
        theory_steps_per_mm=theory,
        steps_per_mm_new=Quantity(value=new, u95=u_steps if basis != "theory" else 0.0, unit="steps/mm"),
        basis=basis,
        ratio_suspect=suspects,
        script=Script(gcode=steps_script(context.axis, new), travel_per_turn_mm=turn),
    )
    if step > resolution:
        result.warn(
            "rounded_readings",
            f"All readings are whole steps of {step:g} mm: so coarse they count, whatever the instrument shows.",
        )
    words = (
        "Feeds too much (+) or too little (−) by" if context.axis == "e" else "Travels too far (+) or too short (−) by"
    )
    limits = Limits(low=-limit, high=limit)
    result.judge(words, error, limits, source_of(context, "limit_percent"), result.verdict)
    for i, words in odd:
        result.warn("odd_reading", f"Reading {i + 1}: {words} mm. A slip of the pen, or inches? Measure it again.")
    if len(readings) == 1:
        result.warn("single_reading", "One reading only: steps are never changed on one. Measure three times or more.")
    if context.transmission.kind == "extruder" and theory is None:
        result.warn(
            "no_theory",
            "Without the drive's diameter there is no theory to compare with: its teeth bite in, so measure.",
        )
    result.findings += [
        Finding(finding="steps_off", axis=context.axis, state=three_way(result.verdict), value=error),
        Finding(
            finding="steps_ratio",
            axis=context.axis,
            state="present" if suspects else ("unknown" if u > 0.05 else "absent"),
        ),
    ]
    _advise(result, context, limit, u, len(readings))
    return result


def _readings(context: StepsContext) -> tuple[list[float], float, float]:
    """Travels (mm) with the stated u95 and the step of one; by marks each is a difference of two readings."""
    if context.measured_mm is not None:
        return list(context.measured_mm), quadrature(context.stated_u95_mm, context.zero_u95_mm), context.resolution_mm
    before, after = context.mark_before_mm, context.mark_after_mm
    if before is None or after is None:
        raise BadInput(
            "missing_field", "measured_mm: give what was measured, or the mark before and after.", "measured_mm"
        )
    travels = [before - a for a in after]
    if min(travels) <= 0:
        raise BadInput(
            "out_of_range", "mark_after_mm: the mark must be nearer to the drive after the feed.", "mark_after_mm"
        )
    return travels, math.sqrt(2) * context.stated_u95_mm, math.sqrt(2) * context.resolution_mm


def _per_turn(context: StepsContext) -> float:
    """Microsteps in one turn of the motor."""
    drive = context.transmission
    return (context.motor_steps_per_rev or drive.motor_steps_per_rev) * (context.microsteps or drive.microsteps)


def _theory(context: StepsContext) -> tuple[float | None, float | None]:
    """Steps per mm and travel per motor turn (mm) from teeth, pitch, lead, diameter and gearing."""
    drive = context.transmission
    gear = context.gear_ratio or drive.gear_ratio
    if drive.kind == "belt":
        travel = drive.pitch_mm * drive.teeth / gear
    elif drive.kind == "screw":
        travel = drive.lead_mm / gear
    elif drive.drive_diameter_mm is not None:
        travel = math.pi * drive.drive_diameter_mm / gear
    else:
        return None, None
    return _per_turn(context) / travel, travel


def _suspects(ratio: float, u: float, kind: str) -> list[Suspect]:
    """Powers of two, and ratios of two counts, that the travel's ratio is close to; all that fit are named."""
    near = max(3 * u, 0.01)
    if abs(ratio - 1) < max(near, 0.03):
        return []
    found = [
        Suspect(
            ratio=p,
            because=f"a driver that makes {1 / p:g} times the microsteps"
            if p < 1
            else f"a driver that makes 1/{p:g} of the microsteps",
        )
        for p in (0.0625, 0.125, 0.25, 0.5, 2.0, 4.0, 8.0, 16.0)
        if abs(ratio / p - 1) < near
    ]
    counts, what = {"belt": (_TEETH, "teeth"), "screw": (_LEADS, "mm lead")}.get(kind, ((), ""))
    pairs = [
        (is_, meant) for is_ in counts for meant in counts if is_ != meant and abs(ratio / (is_ / meant) - 1) < near
    ]
    if pairs:
        is_, meant = min(pairs, key=lambda p: (abs(ratio / (p[0] / p[1]) - 1) > 1e-3, p[0] + p[1]))
        found.append(
            Suspect(
                ratio=is_ / meant,
                because=f"{is_:g} {what} where the settings mean {meant:g} (or another pair of this ratio)",
            )
        )
    return found


def _advise(result: StepsResult, context: StepsContext, limit: float, u: float, count: int) -> None:
    axis = context.axis
    if result.ratio_suspect:
        result.advice.append(
            Advice(
                action="check_ratio",
                target=axis,
                reason=f"It travels {1 + result.error.value / 100:.3f} times as far as told. That is no calibration error but "
                + ", or ".join(s.because for s in result.ratio_suspect)
                + ". Look before anything is set.",
            )
        )
    elif result.basis in ("measured", "theory") and result.verdict == "out_of_tolerance" and count > 1:
        result.advice.append(
            Advice(
                action="set_steps",
                target=axis,
                amount=result.steps_per_mm_new,
                direction="up" if result.steps_per_mm_new.value > context.steps_per_mm else "down",
                reason=f"It is {result.error.value:+.2f} % off in a travel of {context.commanded_mm:g} mm. "
                + (
                    "What teeth and pitch say lies inside the uncertainty: set that."
                    if result.basis == "theory"
                    else "Theory does not explain it: belt, pulley and grub screw first; then set it and measure again."
                ),
                expect=Quantity(value=context.commanded_mm, u95=result.travel.u95, unit="mm"),
            )
        )
    elif any(w.code == "odd_reading" for w in result.warnings):
        result.advice.append(
            Advice(
                action="measure_again",
                target=axis,
                reason="One reading or more is odd: take it out and measure it again.",
            )
        )
    elif result.verdict == "cannot_tell" or count == 1:
        longer = context.commanded_mm * quadrature(u) * 100 / limit * 2
        result.advice.append(
            Advice(
                action="measure_longer",
                target=axis,
                amount=Quantity(value=max(longer, 1.5 * context.commanded_mm), unit="mm"),
                reason=f"The reading is good to {100 * u:.2f} %, the limit is {limit:g} %: measure a longer travel or more often. Nothing is changed on this.",
            )
        )
    else:
        result.advice.append(
            Advice(
                action="leave",
                target=axis,
                reason="Leave it: what is left of the error is smaller than what can be told or matters.",
            )
        )


PROCEDURE = Procedure("steps", "Steps and travel", StepsContext, StepsResult, analyse, adjustable=True, sets="steps")
