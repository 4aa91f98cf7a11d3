"""A printer as mathematics: kinematics, places, transmissions, tensioners, motor and axis coordinates.

Not here: how a particular printer is drawn or stored.
"""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from .errors import BadInput
from .quantities import Finite, Positive

Kinematics = Literal["bed_slinger", "fixed_bed", "corexy", "delta", "belt_bed"]
#: What a place is. Belt x and axis x are two places: their evidence is never mixed.
PlaceKind = Literal["belt", "axis", "motor", "screw", "bed", "frame", "head", "print"]
Turning = Literal["clockwise", "anticlockwise"]
#: How a tensioner is moved: a screw is turned; a slider goes away from its belt (tighter) or toward it (slacker).
Moving = Literal["clockwise", "anticlockwise", "away", "toward"]
TensionerKind = Literal["threaded_idler", "threaded_clamp", "sprung_lock", "slider"]

#: Every place a finding or a component can have (field ``axis``).
PLACES = (
    "x", "y", "z", "e", "a", "b", "y1", "y2", "t1", "t2", "t3",
    "z1", "z2", "z3", "z4", "bed", "frame", "head", "all",
)  # fmt: skip
Place = Literal[
    "x", "y", "z", "e", "a", "b", "y1", "y2", "t1", "t2", "t3", "z1", "z2", "z3", "z4", "bed", "frame", "head", "all"
]

#: Where the belts of each kinematics usually sit; a model may leave some out or double one (y1, y2).
BELTS: dict[str, tuple[str, ...]] = {
    "bed_slinger": ("x", "y"),
    "fixed_bed": ("x", "y"),
    "corexy": ("a", "b"),
    "delta": ("t1", "t2", "t3"),
    "belt_bed": ("x", "y", "z"),
}
#: Which axes each belt moves: a slack A on a CoreXY shows in X and in Y.
AXES_OF_BELT: dict[str, dict[str, tuple[str, ...]]] = {
    "bed_slinger": {"x": ("x",), "y": ("y",)},
    "fixed_bed": {"x": ("x",), "y": ("y",), "y1": ("y",), "y2": ("y",)},
    "corexy": {"a": ("x", "y"), "b": ("x", "y")},
    "delta": {t: ("x", "y", "z") for t in ("t1", "t2", "t3")},
    "belt_bed": {"x": ("x",), "y": ("y",), "z": ("z",)},
}


class Model(BaseModel):
    """Base of all shapes here: unknown fields are refused, so that a misspelt one is not silently ignored."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Point(Model):
    """A head position in mm."""

    x: Finite
    y: Finite


class Span(Model):
    """A free length of belt between two contact points, with the head position at which it is meant."""

    name: str
    at: Point | None = None
    span_mm: Positive


class Tensioner(Model):
    """How a belt is tightened. ``tighten`` is the direction seen from the screw's head.

    ``relief``: a screw that slackens when it is turned in (clockwise), as beside some springs; turning it out tightens.
    """

    kind: TensionerKind = "threaded_idler"
    thread_pitch_mm: Positive | None = None
    wrap_deg: Annotated[float, Field(gt=0, le=360)] = 180.0
    tighten: Turning = "clockwise"
    relief: bool = False

    @property
    def unit(self) -> Literal["mm", "turns"]:
        """What it is moved by: sliders and sprung locks by hand, in mm; what has a screw that sets it, in turns."""
        return "mm" if self.kind in ("slider", "sprung_lock") and not self.relief else "turns"

    def moved(self, tighter: bool) -> Moving:
        """Which way it is moved to tighten, or to slacken."""
        if self.unit == "mm":
            return "away" if tighter else "toward"
        tighten = "anticlockwise" if self.relief else self.tighten
        other: Turning = "anticlockwise" if tighten == "clockwise" else "clockwise"
        return tighten if tighter else other


class Drive(Model):
    """What every motor drive has."""

    motor_steps_per_rev: Positive = 200
    microsteps: Positive = 16
    gear_ratio: Positive = 1


class BeltTransmission(Drive):
    """A toothed belt on a pulley."""

    kind: Literal["belt"] = "belt"
    pitch_mm: Positive = 2.0
    teeth: Positive = 20
    width_mm: Positive = 6.0
    linear_density_g_per_m: Positive | None = None
    linear_density_u95_percent: Annotated[float, Field(ge=0, le=100)] | None = None
    axial_stiffness_n: Positive | None = None
    loop_length_mm: Positive | None = None
    spans: list[Span] = []
    tensioner: Tensioner | None = None
    tensioner_place: str = ""


class ScrewTransmission(Drive):
    """A lead screw. With several starts the lead is a multiple of the thread pitch."""

    kind: Literal["screw"] = "screw"
    lead_mm: Positive
    thread_pitch_mm: Positive | None = None


class ExtruderTransmission(Drive):
    """Drive gears on filament."""

    kind: Literal["extruder"] = "extruder"
    drive_diameter_mm: Positive | None = None


Transmission = Annotated[BeltTransmission | ScrewTransmission | ExtruderTransmission, Field(discriminator="kind")]


class Description(Model):
    """A printer model's motion system: what the workshop writes down once for all machines of one model.

    ``pairs``: belts that share a load and are compared with each other.
    """

    kinematics: Kinematics
    transmissions: dict[Place, Transmission]
    pairs: list[Annotated[list[Place], Field(min_length=2, max_length=2)]] = []
    beam_angle_deg: Annotated[float, Field(gt=0, lt=90)] | None = None

    @model_validator(mode="after")
    def _pairs_are_belts(self) -> Description:
        belts = self.belts()
        for pair in self.pairs:
            for place in pair:
                if place not in belts:
                    raise ValueError(f"the pair names {place}, which is no belt of this model")
        return self

    def belts(self) -> dict[str, BeltTransmission]:
        """The belts by place."""
        return {p: t for p, t in self.transmissions.items() if isinstance(t, BeltTransmission)}

    def places(self, kind: PlaceKind) -> tuple[str, ...]:
        """Where this machine has a place of that kind; of a print there is one, the print (``all``)."""
        if kind == "belt":
            return tuple(self.belts())
        if kind == "axis":
            return ("x", "y", "z")
        if kind == "motor":
            return tuple(self.transmissions)
        if kind == "screw":
            return tuple(p for p, t in self.transmissions.items() if t.kind == "screw")
        return ("all",) if kind == "print" else (kind,)

    def drive_of(self, place: str) -> Transmission | None:
        """The drive that moves a place: its own, or one of those that share it; None where the model tells none."""
        shared = {"x": ("a", "t1"), "y": ("y1", "b", "t1"), "z": ("z1", "t1")}.get(place, ())
        return next((self.transmissions[p] for p in (place, *shared) if p in self.transmissions), None)

    def partner(self, place: str) -> str | None:
        """The other belt of the pair, where there is one."""
        for a, b in self.pairs:
            if place in (a, b):
                return b if place == a else a
        return None


def across(wall_runs: str) -> Literal["x", "y"]:
    """The axis whose ringing a wall shows: ripples are motion across the wall they stand on."""
    return "y" if wall_runs == "x" else "x"


def whose_motion(kinematics: str | None, wall_runs: str) -> str:
    """In words: whose ringing a wall that runs along ``wall_runs`` shows on this machine."""
    axis = across(wall_runs)
    moves = {
        "bed_slinger": "the bed" if axis == "y" else "the head",
        "corexy": "both belts move it",
        "delta": "all three towers move it",
    }.get(kinematics or "", "")
    return (
        f"The wall runs along {wall_runs.upper()}; ripples are motion across it: it is {axis.upper()} that rings"
        + (f" ({moves})" if moves else "")
        + "."
    )


def linear_density_typical(width_mm: float) -> tuple[float, float]:
    """Typical linear density (g/m) and its u95 (%) of 2 mm pitch round-tooth glass-cord belt by width."""
    known = {6.0: 8.0, 9.0: 12.0, 10.0: 13.3}
    return known.get(width_mm, width_mm * 8.0 / 6.0), 12.0


def axial_stiffness_typical(width_mm: float) -> tuple[float, float]:
    """Typical axial stiffness EA (N) and its u95 (%) of the same belt: 15 kN at 6 mm, in proportion to width."""
    return 15000.0 * width_mm / 6.0, 40.0


def tension_band_typical(width_mm: float) -> tuple[float, float]:
    """Typical tension band (N) by belt width: 20 to 50 N at 6 mm, in proportion."""
    return 20.0 * width_mm / 6.0, 50.0 * width_mm / 6.0


def newtons_per_turn(tensioner: Tensioner, axial_stiffness_n: float, loop_length_mm: float) -> float:
    """Tension gained per turn of the tensioner's screw, for EA in N and the loop in mm.

    ``threaded_idler`` (the screw moves an idler round which the belt wraps): EA 2 p sin(wrap/2) / loop.
    ``threaded_clamp`` (the screw draws a belt end): EA p / loop.
    ``slider`` and ``sprung_lock`` have no thread that sets the tension: here it is per mm of slider travel,
    i.e. as a threaded idler of 1 mm pitch. With a relief screw it is per turn of that, counted as it tightens.
    """
    ea_per_mm = axial_stiffness_n / loop_length_mm
    if tensioner.kind == "threaded_clamp":
        return ea_per_mm * _pitch(tensioner)
    travel = 1.0 if tensioner.unit == "mm" else _pitch(tensioner)
    return ea_per_mm * 2 * travel * math.sin(math.radians(tensioner.wrap_deg) / 2)


def _pitch(tensioner: Tensioner) -> float:
    if tensioner.thread_pitch_mm is None:
        raise BadInput(
            "missing_field",
            "The tensioner's thread pitch is needed: 0.5 mm is typical for M3, 0.7 for M4, 0.8 for M5.",
            "tensioner.thread_pitch_mm",
        )
    return tensioner.thread_pitch_mm


def motor_travel(kinematics: str, dx: float, dy: float) -> dict[str, float]:
    """Motor travel (mm of belt) that makes the head move by (dx, dy) against the part.

    CoreXY: A = x + y, B = x - y. Bed-slinger and fixed bed: a motor an axis.
    Delta and belt-bed have no such linear pair: ``not_for_this_kinematics``.
    """
    if kinematics == "corexy":
        return {"a": dx + dy, "b": dx - dy}
    if kinematics in ("bed_slinger", "fixed_bed"):
        return {"x": dx, "y": dy}
    raise BadInput(
        "not_for_this_kinematics",
        f"On a {kinematics.replace('_', '-')} machine no fixed pair of motors makes X and Y: "
        "the same shift is a different motor travel at each place.",
        "kinematics",
    )


def axis_travel(kinematics: str, motors: dict[str, float]) -> tuple[float, float]:
    """Head travel (dx, dy) in mm from motor travel; the inverse of `motor_travel`."""
    if kinematics == "corexy":
        return (motors["a"] + motors["b"]) / 2, (motors["a"] - motors["b"]) / 2
    if kinematics in ("bed_slinger", "fixed_bed"):
        return motors["x"], motors["y"]
    motor_travel(kinematics, 0.0, 0.0)
    raise AssertionError("unreachable")
