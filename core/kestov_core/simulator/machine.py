"""A simulated machine's belts: what they truly are, what a microphone hears of them, what turning a screw does.

The truth differs from the model's nominal figures, as on a real machine: thread, stiffness, a little slip and settling.
"""

from __future__ import annotations

import math
from typing import Annotated, Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

from ..errors import BadInput
from ..machine import AXES_OF_BELT, Tensioner, across, newtons_per_turn
from .drives import SimDrive
from .frame import SimBeam, SimBed, SimFrame, SimScrew, made_beam, made_bed, made_frame, made_screw
from .guides import SimGuide, made_guide
from .instruments import SimTravel
from .moving import SimPart, made_parts
from .shaking import Excitation, Sensor, Shake, Shaken, SimAxis, SimMode, knocked_by_phone, shake
from .signs import SEEN_MM
from .sound import Along, Belt, Pluck, Recording, Room, record


class SimBelt(BaseModel):
    """One true belt. ``gain`` is what its thread and stiffness truly give, relative to nominal; ``slip`` the share of
    each tightening that is lost at once; ``settle`` the share of its tension that a change loses by the next look.
    ``q``: how long it rings; ``other_run_mm``: the free length of its other run, which rings along.
    """

    model_config = ConfigDict(extra="forbid")

    tension_n: float
    linear_density_g_per_m: float
    span_mm: float
    axial_stiffness_n: float
    loop_length_mm: float
    tensioner: Tensioner
    gain: float = 1.0
    slip: Annotated[float, Field(ge=0, lt=1)] = 0.03
    settle: Annotated[float, Field(ge=0, lt=1)] = 0.02
    b: float = 2e-4
    partner: str | None = None
    q: Annotated[float, Field(gt=1)] = 35.0
    other_run_mm: Annotated[float, Field(gt=0)] | None = None

    @model_validator(mode="before")
    @classmethod
    def _of_old(cls, data: Any) -> Any:
        """Machines kept by earlier versions told a decay time instead of ``q``."""
        if isinstance(data, dict):
            data.pop("decay_s", None)
        return data


class SimMachine(BaseModel):
    """All true belts of a machine by place, their coupling, the room's noise, and how often it was touched.

    ``axes``: what each direction rings with, and its dead band; ``travel``: how each axis comes to its place; ``guides``: how it
    slides; ``beam``, ``bed``, ``screws``, ``frame``: how it stands; ``parts``: what buzzes along; ``drives``: what moves it; ``ripples``: how deep (mm) each axis leaves them on a wall (none: deep enough to count). What is not given is sound, or for guides and frame made by
    the seed.
    """

    model_config = ConfigDict(extra="forbid")

    belts: dict[str, SimBelt]
    coupling: Annotated[float, Field(ge=0, lt=0.9)] = 0.1
    seed: int = 1
    touched: int = 0
    hiss: float = 0.001
    hum: float = 0.003
    axes: dict[str, SimAxis] = {}
    travel: dict[str, SimTravel] = {}
    guides: dict[str, SimGuide] = {}
    beam: SimBeam | None = None
    bed: SimBed | None = None
    screws: dict[str, SimScrew] = {}
    frame: SimFrame | None = None
    parts: dict[str, list[SimPart]] = {}
    drives: dict[str, SimDrive] = {}
    ripples: dict[str, float] | None = None

    def answering(self, place: str) -> list[SimPart]:
        """What truly answers when an axis runs."""
        return self.parts.get(place, made_parts(self.seed, place))

    def drive(self, place: str) -> SimDrive:
        """What truly drives a place; screws that lift together are driven alike."""
        return self.drives.get(place) or self.drives.get("z" if place.startswith("z") else place) or SimDrive()

    def counted(self, axis: str) -> bool:
        """Whether ripples of an axis can be counted on a wall."""
        return self.ripples is None or self.ripples.get(axis, 0.0) >= SEEN_MM

    def pattern_mm(self, wall: str, speed_mm_s: float) -> float | None:
        """How far apart a pattern on a wall along ``wall`` stands (mm) at a speed: a length of its drive, or the ringing of the axis across
        it; None where the wall is even.
        """
        moves = AXES_OF_BELT["corexy" if "a" in self.belts else "bed_slinger"]
        lengths = (d.repeats_mm for at, d in self.drives.items() if d.repeats_mm and wall in moves.get(at, (at,)))
        if (length := next(lengths, None)) is not None:
            return length
        swings = across(wall) if wall in ("x", "y") else wall
        return speed_mm_s / self.axis(swings).modes[0].hz if self.counted(swings) else None

    def true_beam(self) -> SimBeam:
        """How its beam truly stands."""
        return self.beam or made_beam(self.seed)

    def true_bed(self) -> SimBed:
        """How its bed truly lies."""
        return self.bed or made_bed(self.seed)

    def screw(self, place: str) -> SimScrew:
        """How a screw truly runs."""
        return self.screws.get(place) or made_screw(self.seed, place)

    def true_frame(self) -> SimFrame:
        """How square it truly is, and what its prints truly come out like."""
        return self.frame or made_frame(self.seed)

    def guide(self, place: str) -> SimGuide:
        """How an axis truly slides."""
        return self.guides.get(place) or made_guide(self.seed, place)

    def axis(self, place: str) -> SimAxis:
        """What a direction truly rings with."""
        if place in self.axes:
            return self.axes[place]
        hz = 36.0 + (self.seed * 7 + sum(place.encode()) * 3) % 26
        return SimAxis(modes=[SimMode(hz=hz, damping=0.06)])

    def truly_travels(self, place: str) -> SimTravel:
        """How an axis truly travels."""
        return self.travel.get(place, SimTravel())

    def belt(self, place: str) -> SimBelt:
        """The belt at a place; refuses one that this machine has not."""
        if place not in self.belts:
            raise BadInput("out_of_range", f"This machine has no belt “{place}”.", "place")
        return self.belts[place]


def true_pitch(belt: SimBelt) -> float:
    """f_0 = sqrt(T / mu) / 2 L in Hz."""
    return math.sqrt(belt.tension_n / (belt.linear_density_g_per_m / 1000)) / (2 * belt.span_mm / 1000)


def _along(machine: SimMachine, belt: SimBelt, finger: bool) -> list[Along]:
    """What rings along with a pluck: the other run of the belt (stilled by a finger), and the partner belt."""
    other_mm = belt.other_run_mm or 1.3 * belt.span_mm
    pitch = true_pitch(belt)
    runs = [Along(Belt(pitch * belt.span_mm / other_mm, belt.b, q=belt.q), -30.0 if finger else -14.0)]
    if belt.partner in machine.belts:
        partner = machine.belts[belt.partner]
        runs.append(Along(Belt(true_pitch(partner), partner.b, q=partner.q), -22.0))
    return runs


def pluck(
    machine: SimMachine, place: str, plucks: int = 5, rate_hz: int = 22050, finger: bool = True
) -> tuple[SimMachine, Recording]:
    """Pluck a belt a few times in front of the simulated microphone, a ``finger`` on its other run or not.

    Often one of the plucks is spoilt by a hand.
    """
    belt = machine.belt(place)
    rng = np.random.default_rng([machine.seed, machine.touched, sum(place.encode())])
    spoilt = int(rng.integers(plucks)) if rng.random() < 0.6 and plucks > 2 else -1
    made = [
        Pluck(
            at_s=0.5 + 1.1 * i + float(rng.uniform(0, 0.15)),
            level=float(rng.uniform(0.2, 0.5)),
            place=float(rng.uniform(0.18, 0.42)),
            kind="rubbed" if i == spoilt else "good",
        )
        for i in range(plucks)
    ]
    sound = record(
        Belt(f0_hz=true_pitch(belt), b=belt.b, glide=0.004, q=belt.q),
        made,
        seconds=0.9 + 1.1 * plucks,
        rate_hz=rate_hz,
        room=Room(hiss=machine.hiss, hum=machine.hum, low_cut_hz=70, fan=0.001, fan_tone_hz=187),
        seed=int(rng.integers(2**31)),
        along=_along(machine, belt, finger),
    )
    return machine.model_copy(update={"touched": machine.touched + 1}), sound


def turn(machine: SimMachine, place: str, turns: float) -> SimMachine:
    """Turn a tensioner by ``turns`` (positive tightens; mm for sliders): what the belt and its partner have after it."""
    belt = machine.belt(place)
    rng = np.random.default_rng([machine.seed, machine.touched, 7])
    nominal = newtons_per_turn(belt.tensioner, belt.axial_stiffness_n, belt.loop_length_mm)
    change = nominal * belt.gain * turns * (1 - (belt.slip if turns > 0 else 0.0)) * float(rng.normal(1, 0.015))
    change -= belt.settle * max(change, 0.0)
    belts = dict(machine.belts)
    belts[place] = belt.model_copy(update={"tension_n": max(0.5, belt.tension_n + change)})
    if belt.partner in belts:
        other = belts[belt.partner]
        belts[belt.partner] = other.model_copy(
            update={"tension_n": max(0.5, other.tension_n - machine.coupling * change)}
        )
    return machine.model_copy(update={"belts": belts, "touched": machine.touched + 1})


def shake_axis(
    machine: SimMachine, place: str, kind: Excitation, seconds: float = 20.0, laden: float = 0.0, phone: bool = False
) -> tuple[SimMachine, Shaken]:
    """Shake one direction of the machine with an accelerometer on the head (1600 samples a second, m/s2), or knock it with a phone there;
    ``laden``: the sensor's weight over that of what swings.
    """
    level = {"sweep": 900.0, "impulse": 15000.0, "ambient": 1500.0}[kind]
    seed = machine.seed * 1000 + machine.touched * 10 + len(place)
    axis = machine.axis(place).laden(laden)
    if phone:
        got = knocked_by_phone(axis, place, seed=seed)
        return machine.model_copy(update={"touched": machine.touched + 1}), got
    got = shake(
        axis,
        place,
        Shake(kind=kind, seconds=seconds, level_mm_s2=level, wave="trapezoid"),
        Sensor(),
        seed,
    )
    return machine.model_copy(update={"touched": machine.touched + 1}), got
