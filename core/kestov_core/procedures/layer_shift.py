"""layer-shift: what made the layers step aside, from how far they did, in the motors' own units.

The shift is turned into motor travel and compared with whole belt teeth and whole four-step cycles of the motor. Each
mechanism gives a density of what one would measure; the chances follow by Bayes' rule from typical shares.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import Field

from ..asking import Asked, Choice, model, told
from ..errors import BadInput
from ..machine import Kinematics, Place, Transmission, motor_travel
from ..quantities import Quantity
from .base import Advice, Context, Finding, Part, Procedure, Result, StandIn

if TYPE_CHECKING:
    from ..simulator.machine import SimMachine

Mechanism = Literal["tooth_jump", "lost_cycles", "pulley_slip", "part_moved", "resolution_mismatch"]
#: Typical: out of a hundred shifted layers, and how far a step aside may go (mm).
_PRIOR: dict[Mechanism, float] = {
    "tooth_jump": 0.25,
    "lost_cycles": 0.4,
    "pulley_slip": 0.15,
    "part_moved": 0.15,
    "resolution_mismatch": 0.05,
}
_REACH_MM = 30.0
_CHECK = {
    "tooth_jump": "Pluck the belt; look for worn teeth and a jumped clamp. A slack belt jumps whole teeth.",
    "lost_cycles": "The motor stalled and fell into step again: feel for binding and a nozzle that hit a curled edge, then motor current, speed, heat of the driver.",
    "pulley_slip": "Pen mark over shaft and pulley: print again and see whether it moved. Grub screw on the flat, thread lock.",
    "part_moved": "Look at the part's underside and the plate: a part that came loose shifts once and by any amount.",
    "resolution_mismatch": "Compare the microsteps set in the firmware with the driver's jumpers or type.",
}
#: The procedure that a check begins with.
MEASURE = {"tooth_jump": "belt-pluck"}


class LayerShiftContext(Context):
    """The shift of one step. ``shifts``: how many steps in all; ``progressive``: each a little, creeping one way."""

    shift_x_mm: Annotated[
        float, Field(ge=-2000, le=2000), Asked("To the right (X)", "mm", "Minus where it is to the left.")
    ]
    shift_y_mm: Annotated[
        float, Field(ge=-2000, le=2000), Asked("Away from you (Y)", "mm", "Minus where it is towards you.")
    ]
    u95_mm: Annotated[
        float, Field(ge=1e-4, le=100), Asked("Good to ±", "mm", "0.1 is typical for calipers on layers.")
    ] = 0.1
    shifts: Annotated[
        int, Field(ge=1, le=10_000), Asked("How many steps in all", "", "The figures are those of one.")
    ] = 1
    progressive: Annotated[
        bool,
        Asked(
            "How did it come?", "", "Creeping: a little at each of many layers.",
            choices=(Choice(value="false", label="At once"), Choice(value="true", label="Creeping one way")),
        ),
    ] = False  # fmt: skip
    drivers_changed: Annotated[
        bool,
        Asked(
            "Drivers or firmware changed lately?", "", "Then microsteps may not match.",
            choices=(Choice(value="false", label="No"), Choice(value="true", label="Yes")),
        ),
    ] = False  # fmt: skip
    kinematics: Annotated[Kinematics, told(model(lambda k: k.description.kinematics))]
    transmissions: Annotated[
        dict[Place, Transmission], Field(max_length=19), told(model(lambda k: k.description.transmissions))
    ]
    axis: Place | None = None


class MotorShift(Part):
    """What the shift is for one motor: travel, in teeth of its belt, in four-step cycles; the nearest whole numbers."""

    motor: Place
    travel: Quantity
    travel_mm: float
    teeth: float | None
    cycles: float
    tooth_mm: float | None
    cycle_mm: float
    whole_teeth: int | None
    whole_cycles: int | None


class MechanismFound(Part):
    """A mechanism, the motor it sits at (null: none, or both), its chance, and the check that tells it apart."""

    mechanism: Mechanism
    motor: Place | None
    probability: float
    check: str


class LayerShiftResult(Result):
    """In motor coordinates, and what explains it, likeliest first."""

    procedure: Literal["layer-shift"] = "layer-shift"
    motors: list[MotorShift]
    mechanisms: list[MechanismFound]


def analyse(context: LayerShiftContext, data: bytes | None = None) -> LayerShiftResult:
    """The shift in motor travel, against whole teeth of the belt and whole four-step cycles of the motor.

    Parameters
    ----------
    context : LayerShiftContext
        The shift of one step in x and y (mm), the kinematics, and each motor's transmission.
    data : None
        It has no file.

    Returns
    -------
    LayerShiftResult
        Each motor's travel (mm, teeth, cycles), and the mechanisms ranked by probability.

    Raises
    ------
    BadInput
        ``not_for_this_kinematics``; ``missing_field`` where a motor's transmission is not given.

    Examples
    --------
    Two millimetres along x on a moving bed are one tooth of its belt:

    >>> drive = {"kind": "belt", "pitch_mm": 2, "teeth": 20}
    >>> result = analyse(LayerShiftContext(shift_x_mm=2.0, shift_y_mm=0.0, u95_mm=0.05, kinematics="bed_slinger",
    ...     transmissions={"x": drive, "y": drive}))
    >>> result.motors[0].motor, result.motors[0].teeth
    ('x', 1.0)
    """
    travel = motor_travel(context.kinematics, context.shift_x_mm, context.shift_y_mm)
    u = context.u95_mm * (math.sqrt(2) if context.kinematics == "corexy" else 1.0)
    motors = [_motor(name, t, u, _drive(context, name)) for name, t in travel.items()]
    result = LayerShiftResult(verdict="not_judged", motors=motors, mechanisms=_weigh(context, motors, u))
    shifts = [("To the right (X)", context.shift_x_mm), ("Away from you (Y)", context.shift_y_mm)]
    for words, shift in sorted(shifts, key=lambda s: -abs(s[1])):  # the larger is the headline
        result.judge(words, Quantity(value=shift, u95=context.u95_mm, unit="mm"))
    if all(abs(m.travel_mm) <= u for m in motors):
        result.warn(
            "shift_within_uncertainty",
            "The shift is smaller than its uncertainty: measure it at several heights with calipers.",
        )
    _find(result, u)
    best = result.mechanisms[0]
    second = next((m for m in result.mechanisms if m.mechanism != best.mechanism), None)
    result.advice.append(_check(best))
    if second is not None and second.probability > 0.6 * best.probability:
        result.warn("left_open", "Two mechanisms explain it as well: both checks are needed to tell them apart.")
        result.advice.append(_check(second))
    return result


def _check(found: MechanismFound) -> Advice:
    return Advice(action="check", target=found.motor or "all", reason=found.check, measure=MEASURE.get(found.mechanism))


def _drive(context: LayerShiftContext, motor: str) -> Transmission:
    for name in (motor, f"{motor}1"):
        if name in context.transmissions:
            return context.transmissions[name]
    raise BadInput(
        "missing_field",
        f"transmissions.{motor}: the drive of motor {motor.upper()} is needed.",
        f"transmissions.{motor}",
    )


def _motor(name: str, travel: float, u: float, drive: Transmission) -> MotorShift:
    if drive.kind == "extruder":
        raise BadInput(
            "out_of_range", f"transmissions.{name}: an extruder does not move layers.", f"transmissions.{name}"
        )
    turn = (drive.pitch_mm * drive.teeth if drive.kind == "belt" else drive.lead_mm) / drive.gear_ratio
    tooth = drive.pitch_mm if drive.kind == "belt" else None
    cycle = 4 * turn / drive.motor_steps_per_rev

    def whole(unit: float | None) -> int | None:
        if unit is None:
            return None
        n = round(travel / unit)
        # A unit finer than the uncertainty fits anything, and so says nothing.
        return n if n and abs(travel - n * unit) <= u and u < unit / 2 else None

    return MotorShift(
        motor=name,  # type: ignore[arg-type]
        travel=Quantity(value=travel, u95=u, unit="mm"),
        travel_mm=travel,
        teeth=travel / tooth if tooth else None,
        cycles=travel / cycle,
        tooth_mm=tooth,
        cycle_mm=cycle,
        whole_teeth=whole(tooth),
        whole_cycles=whole(cycle),
    )


def _bell(x: float, sigma: float) -> float:
    return math.exp(-0.5 * (x / sigma) ** 2) / (sigma * math.sqrt(2 * math.pi))


def _lattice(travel: float, unit: float, sigma: float) -> float:
    """Density of a travel that is a whole number of units, small numbers likelier (1/n)."""
    most = max(1, int(_REACH_MM / unit))
    weights = [1 / n for n in range(1, most + 1)]
    total = 2 * sum(weights)
    return sum(w * _bell(abs(travel) - (n + 1) * unit, sigma) for n, w in enumerate(weights)) / total


def _weigh(context: LayerShiftContext, motors: list[MotorShift], u: float) -> list[MechanismFound]:
    sigma = u / 1.96
    anywhere = 1 / (2 * _REACH_MM)
    prior = dict(_PRIOR)
    if context.progressive:
        prior["pulley_slip"] *= 6
        prior["tooth_jump"] *= 0.3
        prior["part_moved"] *= 0.3
    if context.shifts > 1:
        prior["part_moved"] *= 0.3
        prior["resolution_mismatch"] *= 2 if context.shifts > 4 else 1
    if context.drivers_changed:
        prior["resolution_mismatch"] *= 8 if context.shifts > 2 else 2
    weights: list[tuple[Mechanism, Place | None, float]] = []
    for m in motors:
        rest = math.prod(_bell(o.travel_mm, sigma) for o in motors if o is not m)
        if m.tooth_mm is not None:
            weights.append(
                ("tooth_jump", m.motor, prior["tooth_jump"] / 2 * rest * _lattice(m.travel_mm, m.tooth_mm, sigma))
            )
        weights.append(
            ("lost_cycles", m.motor, prior["lost_cycles"] * 0.4 * rest * _lattice(m.travel_mm, m.cycle_mm, sigma))
        )
        weights.append(("pulley_slip", m.motor, prior["pulley_slip"] / 2 * rest * anywhere))
        weights.append(("resolution_mismatch", m.motor, prior["resolution_mismatch"] / 2 * rest * anywhere))
    # A head that hit something stalls both motors at once.
    both = math.prod(_lattice(m.travel_mm, m.cycle_mm, sigma) for m in motors)
    weights.append(("lost_cycles", None, prior["lost_cycles"] * 0.2 * both))
    weights.append(("part_moved", None, prior["part_moved"] * anywhere ** len(motors)))
    total = math.fsum(w for _, _, w in weights) or 1.0
    found = [MechanismFound(mechanism=k, motor=m, probability=w / total, check=_CHECK[k]) for k, m, w in weights]
    return sorted((f for f in found if f.probability > 0.005), key=lambda f: -f.probability)


def _find(result: LayerShiftResult, u: float) -> None:
    for m in result.motors:
        moved = abs(m.travel_mm) > u
        for finding, whole, unit in (
            ("step_whole_teeth", m.whole_teeth, m.tooth_mm),
            ("step_whole_cycles", m.whole_cycles, m.cycle_mm),
        ):
            if not moved or unit is None:
                continue
            state: Literal["present", "absent", "unknown"] = (
                "present" if whole else ("absent" if u < unit / 2 else "unknown")
            )
            if m.whole_teeth and m.whole_cycles:
                state = "unknown"  # both explain it
            result.findings.append(Finding(finding=finding, axis=m.motor, state=state))


def _stand_in(machine: SimMachine, place: str, seed: int, context: dict[str, object]) -> StandIn:
    """A step by calipers: the machine's own where it is known, else of one tooth of the first motor."""
    from ..simulator.instruments import shift_readings

    kinematics = "corexy" if "a" in machine.belts else "bed_slinger"
    known = {motor: drive.step_mm for motor, drive in machine.drives.items() if motor in ("a", "b", "x", "y")}
    made = {"a" if kinematics == "corexy" else "x": 2.0}
    motor, travel = max((known or made).items(), key=lambda row: abs(row[1]))
    x, y = shift_readings(kinematics, motor, travel, seed)
    return StandIn(told={"shift_x_mm": x, "shift_y_mm": y})


PROCEDURE = Procedure(
    "layer-shift",
    "Layers that stepped aside",
    LayerShiftContext,
    LayerShiftResult,
    analyse,
    measures="print",
    kinematics=("bed_slinger", "fixed_bed", "corexy"),
    stand_in=_stand_in,
)
