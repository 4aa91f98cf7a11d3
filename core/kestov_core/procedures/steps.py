"""steps: commanded against measured travel, theory beside it, and what to set, if anything."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import Field

from .. import gcode
from ..asking import (
    PLACE,
    Asked,
    AxisBegins,
    AxisEnds,
    Known,
    instrument_u95,
    last_time,
    limit,
    model,
    resolution,
    stored,
    told,
    typical,
)
from ..errors import BadInput
from ..machine import Description, ExtruderTransmission, Transmission
from ..quantities import Limits, Quantity, decide, mean_of, odd_ones, quadrature, step_shown
from .base import Advice, Context, Finding, Part, Procedure, Program, Result, StandIn, source_of, three_way

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

#: Tooth counts of pulleys and leads of screws (mm) that are sold, and so get mixed up.
_TEETH = (12, 16, 18, 20, 24, 30, 32, 36, 40)
_LEADS = (1, 2, 4, 8, 12)


def _is_filament(known: Known) -> bool:
    return known.place == "e"


def _typical_limit(axis: str) -> float:
    return 2.0 if axis == "e" else 0.2


class StepsContext(Context):
    """A travel test. ``stated_u95_mm``: hand and feel beyond the instrument's step (0.03 is typical for calipers);
    ``zero_u95_mm``: its zero, common to the whole sitting (0.02 is typical; none where each travel is a difference).

    Either ``measured_mm``, or for filament a mark: how far it stood before the drive (``mark_before_mm``), and how far it
    still stands after each feed (``mark_after_mm``).

    Motor and gearing stand in the transmission; given beside it, they go before it.
    """

    axis: Annotated[Literal["x", "y", "z", "e"], told(PLACE)]
    mark_before_mm: Annotated[
        Annotated[float, Field(ge=0.01, le=3000)] | None,
        Asked("Mark stood at", "mm", "Before the feed.", (typical(lambda k: 120.0),), here=_is_filament),
    ] = None
    commanded_mm: Annotated[
        float, Field(ge=0.01, le=3000), Asked("Told to travel", "mm", "Longer is surer.", (typical(lambda k: 100.0),))
    ]
    steps_per_mm: Annotated[
        float,
        Field(ge=0.001, le=1e6),
        Asked(
            "Steps per mm now", "", "Read it back from the machine.",
            (stored("steps"), last_time("steps_per_mm"), model(lambda k: theory_of(k.drive) if _is_told(k.drive) else None), typical(lambda k: theory_of(k.drive))),
        ),
    ]  # fmt: skip
    measured_mm: Annotated[
        Annotated[list[Annotated[float, Field(ge=0.001, le=3000)]], Field(min_length=1, max_length=200)] | None,
        Asked("Measured", "mm", here=lambda k: not _is_filament(k), expect=("commanded_mm",)),
    ] = None
    mark_after_mm: Annotated[
        Annotated[list[Annotated[float, Field(ge=0, le=3000)]], Field(min_length=1, max_length=200)] | None,
        Asked("To the mark now", "mm", here=_is_filament, expect=("mark_before_mm", "commanded_mm")),
    ] = None
    resolution_mm: Annotated[
        float, Field(ge=0, le=20), Asked("Reads to", "mm", "Its smallest step.", (resolution("mm"),))
    ] = 0.01
    stated_u95_mm: Annotated[
        float, Field(ge=0, le=20), Asked("Hand and feel ±", "mm", "0.03 is typical of calipers, 0.3 of a rule.")
    ] = 0.03
    zero_u95_mm: Annotated[
        float,
        Field(ge=0, le=20),
        Asked(
            "Its zero good to ±", "mm", "0.02 is typical of calipers.", (instrument_u95("mm"),),
            here=lambda k: not _is_filament(k), more=True,
        ),
    ] = 0.02  # fmt: skip
    limit_percent: Annotated[
        Annotated[float, Field(ge=0.001, le=100)] | None,
        Asked(
            "May be off by", "%", "0.2 is typical, 2 for filament.",
            (limit("steps", "Travel may be off by", "%"), typical(lambda k: _typical_limit(k.place))), more=True,
        ),
    ] = None  # fmt: skip
    transmission: Annotated[Transmission, told(model(lambda k: k.drive), typical(lambda k: ExtruderTransmission()))]
    motor_steps_per_rev: Annotated[float, Field(ge=1, le=100_000)] | None = None
    microsteps: Annotated[float, Field(ge=1, le=4096)] | None = None
    gear_ratio: Annotated[float, Field(ge=0.01, le=1e4)] | None = None


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
    """New steps = old * commanded / measured; theory where it lies inside the uncertainty; nothing on noise.

    Parameters
    ----------
    context : StepsContext
        What was commanded and measured (mm), and the drive; each figure's unit is in its name.
    data : None
        It has no file.

    Returns
    -------
    StepsResult
        Theory, new steps (steps/mm) with u95, what a ratio suggests, the scripts.

    Raises
    ------
    BadInput
        Where a reading cannot be one.

    Examples
    --------
    100 mm commanded, 99.5 measured three times with a caliper, on a 2 mm belt over 20 teeth:

    >>> result = analyse(StepsContext(axis="x", steps_per_mm=80, commanded_mm=100, measured_mm=[99.49, 99.50, 99.51],
    ...     transmission={"kind": "belt", "pitch_mm": 2, "teeth": 20}))
    >>> result.theory_steps_per_mm, round(result.error.value, 2)
    (80.0, -0.5)
    """
    readings, stated, resolution = _readings(context)
    step = step_shown(readings, resolution)
    mean, own = mean_of(readings, step, stated)
    ratio, u = mean / context.commanded_mm, own / context.commanded_mm
    error = Quantity(value=100 * (ratio - 1), u95=100 * u, unit="%")
    most = context.limit_percent or _typical_limit(context.axis)
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
        verdict="cannot_tell" if odd else decide(error.value, error.u95, Limits(low=-most, high=most)),
        travel=Quantity(value=mean, u95=own, unit="mm"),
        error=error,
        theory_steps_per_mm=theory,
        steps_per_mm_new=Quantity(value=new, u95=u_steps if basis != "theory" else 0.0, unit="steps/mm"),
        basis=basis,
        ratio_suspect=suspects,
        script=Script(gcode=gcode.steps_script(context.axis, new), travel_per_turn_mm=turn),
    )
    if step > resolution:
        result.warn(
            "rounded_readings",
            f"All readings are whole steps of {step:g} mm: so coarse they count, whatever the instrument shows.",
        )
    words = (
        "Feeds too much (+) or too little (−) by" if context.axis == "e" else "Travels too far (+) or too short (−) by"
    )
    limits = Limits(low=-most, high=most)
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
    _advise(result, context, most, u, len(readings))
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


def _travel_of(drive: Transmission, gear: float) -> float | None:
    """Travel for one turn of the motor (mm) from teeth and pitch, lead, or diameter; None where that is not told."""
    if drive.kind == "belt":
        return drive.pitch_mm * drive.teeth / gear
    if drive.kind == "screw":
        return drive.lead_mm / gear
    return math.pi * drive.drive_diameter_mm / gear if drive.drive_diameter_mm is not None else None


def _theory(context: StepsContext) -> tuple[float | None, float | None]:
    """Steps per mm and travel per motor turn (mm) from teeth, pitch, lead, diameter and gearing."""
    travel = _travel_of(context.transmission, context.gear_ratio or context.transmission.gear_ratio)
    return (None, None) if travel is None else (_per_turn(context) / travel, travel)


def _is_told(drive: Transmission | None) -> bool:
    """Whether the model tells what the theory rests on, or it would be typical figures."""
    of = {"belt": "teeth", "screw": "lead_mm", "extruder": "drive_diameter_mm"}
    return drive is not None and of[drive.kind] in drive.model_fields_set


def theory_of(drive: Transmission | None) -> float | None:
    """Microsteps per mm of a drive as the model tells it, to three places; None where it does not tell enough."""
    travel = None if drive is None else _travel_of(drive, drive.gear_ratio)
    if drive is None or travel is None:
        return None
    return round(drive.motor_steps_per_rev * drive.microsteps / travel, 3)


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


class TravelProgram(Part):
    """Where a travel test runs, and the axis's own ends (mm). ``pause_s`` left out: it waits for a key."""

    axis: Literal["x", "y", "z"]
    start_mm: Annotated[float, Field(ge=-5000, le=5000), Asked("Begin at", "mm")] = 20
    travel_mm: Annotated[float, Field(ge=0.01, le=5000), Asked("Travel", "mm")] = 100
    repeats: Annotated[int, Field(ge=1, le=50)] = 5
    low_mm: AxisBegins = 0
    high_mm: AxisEnds = 200
    pause_s: Annotated[float, Field(ge=1, le=600)] | None = None


def _gcode(q: TravelProgram) -> str:
    return gcode.travel_test(q.axis, q.start_mm, q.travel_mm, q.repeats, q.low_mm, q.high_mm, q.pause_s)


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, object]) -> StandIn:
    """A travel of 100 mm read five times: with calipers, or from a mark on the filament."""
    from ..simulator.instruments import travel_readings

    travels = travel_readings(machine.truly_travels(place), 100.0, 5, seed)
    if place == "e":
        return StandIn(
            rows=[{"mark_after_mm": round(120 - t, 2)} for t in travels],
            told={"mark_before_mm": 120.0, "commanded_mm": 100.0},
        )
    return StandIn(rows=[{"measured_mm": t} for t in travels], told={"commanded_mm": 100.0})


def _at(description: Description) -> tuple[str, ...]:
    return ("x", "y", "z", "e")


PROCEDURE = Procedure(
    "steps",
    "Steps and travel",
    StepsContext,
    StepsResult,
    analyse,
    measures="axis",
    at=_at,
    gives="steps",
    adjustable=True,
    sets="steps",
    program=Program(
        "travel",
        TravelProgram,
        _gcode,
        "Slow, each end approached from below; it waits for you at both ends.",
        not_at=("e",),
    ),
    stand_in=_stand_in,
    true=("error", lambda m, place: 100 * (m.truly_travels(place).scale - 1)),
)
