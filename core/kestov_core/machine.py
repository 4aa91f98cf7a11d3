"""A printer as mathematics: kinematics, places, transmissions, tensioners, motor and axis coordinates.

Not here: how a particular printer is drawn or stored.
"""

from __future__ import annotations

import math
from typing import Annotated, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field, model_validator

from .asked import Asked, Choice
from .errors import BadInput

Kinematics = Literal["bed_slinger", "fixed_bed", "corexy", "delta", "belt_bed"]
#: What a place is. Belt x and axis x are two places: their evidence is never mixed.
PlaceKind = Literal["belt", "axis", "motor", "screw", "bed", "frame", "head", "print"]
Turning = Literal["clockwise", "anticlockwise"]
#: How a tensioner is moved: a screw is turned; a slider goes away from its belt (tighter) or toward it (slacker).
Moving = Literal["clockwise", "anticlockwise", "away", "toward"]
TensionerKind = Literal["threaded_idler", "threaded_clamp", "sprung_lock", "slider"]

Axis = Literal["x", "y", "z"]
#: How an axis finds its home; friction: by the motor's own load, which drag can upset.
Homing = Literal["switch", "probe", "nozzle_probe", "friction"]
#: What an axis runs on, with its material: it says what to lubricate with.
GuideKind = Literal["rods_ball", "rods_polymer", "rails", "tubes_polymer", "rollers"]

#: Every place a finding or a component can have (field ``axis``).
Place = Literal[
    "x", "y", "z", "e", "a", "b", "y1", "y2", "t1", "t2", "t3", "z1", "z2", "z3", "z4", "bed", "frame", "head", "all"
]
PLACES: tuple[str, ...] = get_args(Place)
#: Those that every machine has and that are no axis: the parts that carry the axes, and all of it.
WHOLE: tuple[Place, Place, Place, Place] = ("head", "bed", "frame", "all")
HEAD, BED, FRAME, ALL = WHOLE

#: Where the belts of each kinematics usually sit; a model may leave some out or double one (y1, y2).
BELTS: dict[str, tuple[str, ...]] = {
    "bed_slinger": ("x", "y"),
    "fixed_bed": ("x", "y"),
    "corexy": ("a", "b"),
    "delta": ("t1", "t2", "t3"),
    "belt_bed": ("x", "y", "z"),
}
#: Belts that pull together, where they are two.
PAIRS: dict[str, tuple[str, str]] = {"corexy": ("a", "b"), "fixed_bed": ("y1", "y2")}
#: Screws that lift beam or bed; a model's own transmissions go before them.
SCREWS: dict[str, tuple[str, ...]] = {
    "bed_slinger": ("z1", "z2"), "fixed_bed": ("z1", "z2"), "corexy": ("z1", "z2", "z3"), "delta": (), "belt_bed": (),
}  # fmt: skip
#: Axes with straight guides of their own.
GUIDED: dict[str, tuple[str, ...]] = {
    "bed_slinger": ("x", "y", "z"), "fixed_bed": ("x", "y", "z"), "corexy": ("x", "y", "z"), "delta": ("t1", "t2", "t3"),
    "belt_bed": ("x", "y", "z"),
}  # fmt: skip
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

    x: Annotated[float, Field(ge=-5000, le=5000)]
    y: Annotated[float, Field(ge=-5000, le=5000)]


class Span(Model):
    """A free length of belt between two contact points, with the head position at which it is meant."""

    name: Annotated[str, Field(max_length=80), Asked("Which run to pluck")]
    at: Point | None = None
    span_mm: Annotated[float, Field(ge=1, le=5000), Asked("Free span", "mm", "Pulley to clamp.")]


def _choices(**words: str) -> tuple[Choice, ...]:
    return tuple(Choice(value=v, label=label) for v, label in words.items())


class Tensioner(Model):
    """How a belt is tightened. ``tighten`` is the direction seen from the screw's head.

    ``relief``: a screw that slackens when it is turned in (clockwise), as beside some springs; turning it out tightens.
    """

    kind: Annotated[
        TensionerKind,
        Asked(
            "Tensioner",
            choices=_choices(
                threaded_idler="screw moves an idler", threaded_clamp="screw draws the end",
                sprung_lock="spring, screws lock", slider="slider by hand",
            ),
        ),
    ] = "threaded_idler"  # fmt: skip
    relief: Annotated[bool, Asked("It has a relief screw: turned in, it slackens", when=("kind", ("sprung_lock",)))] = (
        False
    )
    thread_pitch_mm: Annotated[
        Annotated[float, Field(ge=0.1, le=10)] | None,
        Asked(
            "Thread pitch", "mm", "M3 0.5, M4 0.7, M5 0.8.",
            when=("kind", ("threaded_idler", "threaded_clamp", "sprung_lock")), spare=True,
        ),
    ] = None  # fmt: skip
    tighten: Annotated[
        Turning,
        Asked(
            "Tightens", "", "Seen from the screw's head.",
            choices=_choices(clockwise="clockwise", anticlockwise="anticlockwise"),
            when=("kind", ("threaded_idler", "threaded_clamp")),
        ),
    ] = "clockwise"  # fmt: skip
    wrap_deg: Annotated[
        float,
        Field(gt=0, le=360),
        Asked(
            "Belt wraps its idler by",
            "°",
            "180 is typical.",
            when=("kind", ("threaded_idler", "sprung_lock", "slider")),
            more=True,
        ),
    ] = 180.0

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


#: What a motor and its driver may be: rated current (A), sense resistor (ohm), the driver's factor, motors on one driver.
RatedA = Annotated[float, Field(ge=0.01, le=50)]
Ohm = Annotated[float, Field(ge=0.0001, le=100)]
Gain = Annotated[float, Field(ge=0.01, le=1000)]
Motors = Annotated[int, Field(ge=1, le=4)]


class Drive(Model):
    """What every motor drive has: the motor, and how its driver is set."""

    motor_steps_per_rev: Annotated[
        float, Field(ge=1, le=2000), Asked("Motor's full steps a turn", "", "200 on most, 400 on fine ones.", more=True)
    ] = 200
    microsteps: Annotated[
        float, Field(ge=1, le=1024), Asked("Microsteps", "", "As the driver is set; 16 is typical.", more=True)
    ] = 16
    gear_ratio: Annotated[
        float, Field(ge=0.01, le=500), Asked("Gear ratio", "", "Motor turns for one of the drive.", more=True)
    ] = 1
    rated_a: Annotated[
        RatedA | None,
        Asked("Motor's rating", "A", "R.m.s. a phase, on its label.", more=True),
    ] = None
    current_set: Annotated[
        Literal["reference", "stored"] | None,
        Asked("Its current is set", choices=_choices(reference="at the driver", stored="as a stored value"), more=True),
    ] = None
    sense_ohm: Annotated[
        Ohm | None,
        Asked(
            "Sense resistor",
            "Ω",
            "On the driver: R100 is 0.1 Ω.",
            when=("current_set", ("reference",)),
            more=True,
            spare=True,
        ),
    ] = None
    gain: Annotated[
        Gain | None,
        Asked(
            "Driver's factor",
            "",
            "Peak current is V / (factor × Ω); data sheet.",
            when=("current_set", ("reference",)),
            more=True,
            spare=True,
        ),
    ] = None
    motors_on_driver: Annotated[
        Motors,
        Asked(
            "Motors on its driver", "", "Two screws often hang on one.",
            choices=tuple(Choice(value=str(i + 1), label=w) for i, w in enumerate(("one", "two", "three", "four"))),
            more=True,
        ),
    ] = 1  # fmt: skip
    wiring: Annotated[
        Literal["parallel", "series"],
        Asked(
            "Wired", choices=_choices(parallel="in parallel", series="in series"),
            when=("motors_on_driver", ("2", "3", "4")), more=True,
        ),
    ] = "parallel"  # fmt: skip


class BeltTransmission(Drive):
    """A toothed belt on a pulley."""

    kind: Literal["belt"] = "belt"
    width_mm: Annotated[float, Field(ge=0.5, le=100), Asked("Width", "mm", "6 is typical.")] = 6.0
    loop_length_mm: Annotated[
        Annotated[float, Field(ge=10, le=50_000)] | None,
        Asked("Whole loop", "mm", "All round; both ends to the clamp."),
    ] = None
    linear_density_g_per_m: Annotated[
        Annotated[float, Field(ge=0.1, le=500)] | None,
        Asked("Weight of a metre", "g", "Empty: typical for its width, ± 12 %."),
    ] = None
    linear_density_u95_percent: Annotated[
        Annotated[float, Field(ge=0, le=100)] | None, Asked("That weight good to ±", "%", "3 when weighed.", more=True)
    ] = None
    axial_stiffness_n: Annotated[
        Annotated[float, Field(ge=1, le=1e6)] | None,
        Asked("Stiffness (EA)", "N", "Empty: typical for its width, ± 40 %.", more=True),
    ] = None
    pitch_mm: Annotated[float, Field(ge=0.2, le=50), Asked("Pitch of its teeth", "mm", "2 is typical.")] = 2.0
    teeth: Annotated[float, Field(ge=1, le=500), Asked("Teeth of the pulley", "", "20 is typical.")] = 20
    idler_teeth: Annotated[
        Annotated[float, Field(ge=1, le=500)] | None,
        Asked("Teeth of an idler", "", "Empty where it is smooth.", more=True),
    ] = None
    spans: Annotated[list[Span], Field(max_length=8)] = []
    tensioner: Tensioner | None = None
    tensioner_place: Annotated[str, Field(max_length=80), Asked("Where the tensioner is")] = ""


class ScrewTransmission(Drive):
    """A lead screw. With several starts the lead is a multiple of the thread pitch."""

    kind: Literal["screw"] = "screw"
    lead_mm: Annotated[float, Field(ge=0.1, le=200), Asked("Lead", "mm", "Travel for one turn; 8 is typical.")] = 8.0
    thread_pitch_mm: Annotated[
        Annotated[float, Field(ge=0.1, le=50)] | None,
        Asked("Thread pitch", "mm", "From one thread to the next; 2 is typical."),
    ] = None
    starts: Annotated[
        Annotated[int, Field(ge=1, le=20)] | None, Asked("Starts", "", "Count the threads at its end; 4 is typical.")
    ] = None


class ExtruderTransmission(Drive):
    """Drive gears on filament."""

    kind: Literal["extruder"] = "extruder"
    drive_diameter_mm: Annotated[
        Annotated[float, Field(ge=0.5, le=100)] | None,
        Asked("Drive gear, where it grips", "mm", "Its teeth bite in: measure."),
    ] = None
    drive_teeth: Annotated[
        Annotated[float, Field(ge=1, le=500)] | None, Asked("Teeth of the drive gear", "", "Counted.")
    ] = None


Transmission = Annotated[BeltTransmission | ScrewTransmission | ExtruderTransmission, Field(discriminator="kind")]


class Travel(Model):
    """Where an axis ends (mm): its soft limits."""

    low_mm: Annotated[float, Field(ge=-5000, le=5000), Asked("Begins at", "mm", "Its soft limit.")] = 0.0
    high_mm: Annotated[float, Field(ge=-5000, le=5000), Asked("Ends at", "mm", "Its soft limit.")] = 200.0


class BedScrew(Model):
    """A screw under the bed: where it stands (mm), its thread, and the turn that raises the bed there."""

    name: Annotated[str, Field(min_length=1, max_length=40), Asked("Called")]
    x_mm: Annotated[float, Field(ge=-5000, le=5000), Asked("X", "mm")]
    y_mm: Annotated[float, Field(ge=-5000, le=5000), Asked("Y", "mm")]
    thread_pitch_mm: Annotated[float, Field(ge=0.1, le=10), Asked("Thread pitch", "mm", "M3 0.5, M4 0.7.")] = 0.5
    raises: Annotated[
        Turning, Asked("Raises when turned", choices=_choices(clockwise="clockwise", anticlockwise="anticlockwise"))
    ] = "anticlockwise"


class Bed(Model):
    """The bed: its size, its screws, and what measures it."""

    width_mm: Annotated[Annotated[float, Field(ge=0.5, le=5000)] | None, Asked("Wide (X)", "mm")] = None
    depth_mm: Annotated[Annotated[float, Field(ge=1, le=5000)] | None, Asked("Deep (Y)", "mm")] = None
    probe: Annotated[
        Literal["none", "probe", "nozzle_probe"],
        Asked(
            "Measured by", choices=_choices(none="nothing: by hand", probe="a probe", nozzle_probe="the nozzle itself")
        ),
    ] = "none"
    screws: Annotated[list[BedScrew], Field(max_length=9)] = []


class HotEnd(Model):
    """The hot end's record: cautions carry its figures."""

    lined: Annotated[bool, Asked("Its liner reaches the nozzle", choices=_choices(true="lined", false="all metal"))] = (
        True
    )
    highest_c: Annotated[
        Annotated[float, Field(ge=20, le=600)] | None,
        Asked("Highest temperature", "°C", "By its maker; a liner gives out first."),
    ] = None
    cutout_c: Annotated[Annotated[float, Field(ge=20, le=700)] | None, Asked("Firmware cuts out at", "°C")] = None
    nozzle_mm: Annotated[float, Field(ge=0.01, le=5), Asked("Nozzle", "mm", "0.4 is typical.")] = 0.4
    nozzle_material: Annotated[
        Literal["brass", "steel", "copper", "other"],
        Asked(
            "Nozzle of",
            "",
            "A better conductor prints cooler.",
            choices=_choices(brass="brass", steel="steel", copper="plated copper", other="something else"),
        ),
    ] = "brass"


class Fan(Model):
    """A fan and how fast it turns."""

    name: Annotated[str, Field(min_length=1, max_length=40), Asked("Which fan")]
    rpm: Annotated[float, Field(ge=1, le=60_000), Asked("Turns a minute", "1/min", "On its label.")]


class Description(Model):
    """A printer model's motion system: what the workshop writes down once for all machines of one model.

    ``pairs``: belts that share a load and are compared with each other.
    """

    kinematics: Kinematics
    transmissions: Annotated[dict[Place, Transmission], Field(max_length=19)]
    homing: dict[Axis, Homing] = {}
    guides: dict[Axis, GuideKind] = {}
    travel: dict[Axis, Travel] = {}
    bed: Bed | None = None
    hot_end: HotEnd | None = None
    fans: Annotated[list[Fan], Field(max_length=12)] = []
    pairs: Annotated[list[Annotated[list[Place], Field(min_length=2, max_length=2)]], Field(max_length=9)] = []
    beam_angle_deg: Annotated[
        Annotated[float, Field(gt=0, le=89)] | None, Asked("The beam leans at", "°", "45 is typical.")
    ] = None

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
    """Typical weight of a 2 mm pitch round-tooth belt with glass cords, by its width.

    Parameters
    ----------
    width_mm : float

    Returns
    -------
    (float, float)
        Linear density in g/m and its u95 in per cent; typical.

    Examples
    --------
    >>> linear_density_typical(6.0)
    (8.0, 12.0)
    """
    known = {6.0: 8.0, 9.0: 12.0, 10.0: 13.3}
    return known.get(width_mm, width_mm * 8.0 / 6.0), 12.0


def axial_stiffness_typical(width_mm: float) -> tuple[float, float]:
    """Typical axial stiffness EA of the same belt: 15 kN at 6 mm, in proportion to its width.

    Parameters
    ----------
    width_mm : float

    Returns
    -------
    (float, float)
        EA in N and its u95 in per cent; typical.

    Examples
    --------
    >>> axial_stiffness_typical(9.0)
    (22500.0, 40.0)
    """
    return 15000.0 * width_mm / 6.0, 40.0


def tension_band_typical(width_mm: float) -> tuple[float, float]:
    """Typical tension band of a belt: 20 to 50 N at 6 mm, in proportion to its width.

    Parameters
    ----------
    width_mm : float

    Returns
    -------
    (float, float)
        Least and most in N; typical.

    Examples
    --------
    >>> tension_band_typical(9.0)
    (30.0, 75.0)
    """
    return 20.0 * width_mm / 6.0, 50.0 * width_mm / 6.0


def newtons_per_turn(tensioner: Tensioner, axial_stiffness_n: float, loop_length_mm: float) -> float:
    """Tension gained by a turn of the tensioner's screw.

    Parameters
    ----------
    tensioner : Tensioner
        Its kind, thread pitch (mm) and the wrap of the belt round its idler (degrees).
    axial_stiffness_n : float
        EA of the belt in N.
    loop_length_mm : float
        The whole belt.

    Returns
    -------
    float
        N per turn, or N per mm for a slider.

    Raises
    ------
    BadInput
        ``missing_field`` where a thread's pitch is needed and not told.

    Notes
    -----
    Hooke's law over the whole loop; the belt is held at both ends or closed.
    ``threaded_idler`` (the screw moves an idler round which the belt wraps): EA 2 p sin(wrap/2) / loop.
    ``threaded_clamp`` (the screw draws a belt end): EA p / loop.
    ``slider`` and ``sprung_lock`` have no thread that sets the tension: here it is per mm of slider travel,
    i.e. as a threaded idler of 1 mm pitch. With a relief screw it is per turn of that, counted as it tightens.

    Examples
    --------
    A screw of 0.5 mm pitch that draws the end of a 6 mm belt of 1500 mm:

    >>> clamp = Tensioner(kind="threaded_clamp", thread_pitch_mm=0.5)
    >>> newtons_per_turn(clamp, 15000, 1500)
    5.0
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
