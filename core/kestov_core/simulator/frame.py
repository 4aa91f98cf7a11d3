"""A simulated machine's frame: how its beam stands, its bed, its screws, how square it is. One truth for every instrument.

Heights in mm, larger is nearer the nozzle; slopes in mm per 100 mm.
"""

from __future__ import annotations

import math
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field


class _Truth(BaseModel):
    model_config = ConfigDict(extra="forbid")


class SimBeam(_Truth):
    """A beam on two screws: its slope along x against the frame. ``answers``: what a turn truly does, relative to its lead."""

    tilt: float = 0.0
    answers: Annotated[float, Field(gt=0)] = 1.0


class SimSpeck(_Truth):
    """Something under the plate: where, how high, over which radius."""

    x_mm: float
    y_mm: float
    height_mm: float = 0.25
    radius_mm: Annotated[float, Field(gt=0)] = 9.0


class SimBed(_Truth):
    """A bed: the plane it lies in, its bow (height of the middle over the corners), its twist, what heat adds to the bow, and a
    speck. ``answers``: what a turn of its screws truly does, relative to their pitch.
    """

    tilt_x: float = 0.0
    tilt_y: float = 0.0
    bow_mm: float = 0.0
    hot_bow_mm: float = 0.0
    twist_mm: float = 0.0
    speck: SimSpeck | None = None
    width_mm: float = 220.0
    depth_mm: float = 220.0
    answers: Annotated[float, Field(gt=0)] = 1.0

    def height(self, x: float, y: float, hot: bool = False) -> float:
        """Height (mm) of the bed at a place, over its middle's plane."""
        w, d = self.width_mm, self.depth_mm
        u, v = 2 * x / w - 1, 2 * y / d - 1
        bow = self.bow_mm + (self.hot_bow_mm if hot else 0.0)
        z = self.tilt_x * (x - w / 2) / 100 + self.tilt_y * (y - d / 2) / 100
        z += bow * (1 - (u * u + v * v) / 2) + self.twist_mm * u * v
        if self.speck is not None:
            far = math.hypot(x - self.speck.x_mm, y - self.speck.y_mm) / self.speck.radius_mm
            z += self.speck.height_mm * math.exp(-far * far)
        return z


class SimScrew(_Truth):
    """A screw as an indicator reads it: a slope along the travel, a wave of one turn, a wave of one thread, play in its nut."""

    drift: float = 0.0
    bent_mm: Annotated[float, Field(ge=0)] = 0.0
    thread_mm: Annotated[float, Field(ge=0)] = 0.004
    play_mm: Annotated[float, Field(ge=0)] = 0.0

    def side(self, z_mm: float, lead_mm: float, pitch_mm: float, down: bool = False) -> float:
        """Where the carriage stands aside (mm) at a height."""
        turn, thread = 2 * math.pi * z_mm / lead_mm, 2 * math.pi * z_mm / pitch_mm
        at = self.drift * z_mm / 100 + self.bent_mm * math.cos(turn + 0.7) + self.thread_mm * math.cos(thread + 0.2)
        return at - (self.play_mm if down else 0.0)


class SimFrame(_Truth):
    """How the axes stand to each other: the lean of the second axis toward the first in each plane (mm per 100 mm); how far the
    workshop's try square is off; and how much wider a printed wall comes out, and how much the plastic shrinks. ``skewed``: what a
    stored correction adds to its prints' lean.
    """

    skewed: float = 0.0
    lean_xy: float = 0.0
    lean_xz: float = 0.0
    lean_yz: float = 0.0
    square_off: float = 0.03
    wall_mm: float = 0.05
    shrinkage_percent: float = 0.0

    def lean(self, plane: str) -> float:
        """The lean in a plane, of the frame itself."""
        return {"xy": self.lean_xy, "xz": self.lean_xz, "yz": self.lean_yz}[plane]

    def printed_lean(self, plane: str) -> float:
        """The lean in a plane that its prints show."""
        return self.lean(plane) + (self.skewed if plane == "xy" else 0.0)


def made_beam(seed: int, place: str = "z") -> SimBeam:
    """The beam of a machine of which nothing else is said: on one in two it stands aslant."""
    rng = np.random.default_rng([seed, 31, sum(place.encode())])
    return SimBeam(tilt=float(rng.choice([0.01, 0.12, -0.09])), answers=float(rng.normal(0.97, 0.02)))


def made_bed(seed: int, width_mm: float = 220.0, depth_mm: float = 220.0) -> SimBed:
    """The bed of a machine of which nothing else is said."""
    rng = np.random.default_rng([seed, 32])
    speck = SimSpeck(x_mm=0.3 * width_mm, y_mm=0.7 * depth_mm) if rng.random() < 0.25 else None
    return SimBed(
        tilt_x=float(rng.normal(0, 0.06)),
        tilt_y=float(rng.normal(0, 0.08)),
        bow_mm=float(rng.normal(0.08, 0.06)),
        hot_bow_mm=float(rng.uniform(0.02, 0.1)),
        twist_mm=float(rng.normal(0, 0.02)),
        speck=speck,
        width_mm=width_mm,
        depth_mm=depth_mm,
        answers=float(rng.normal(0.95, 0.02)),
    )


def made_screw(seed: int, place: str) -> SimScrew:
    """A screw of which nothing else is said: of three one is sound, one misaligned, one bent."""
    rng = np.random.default_rng([seed, 33, sum(place.encode())])
    kind = int(rng.integers(3))
    return SimScrew(
        drift=float(rng.choice([-1, 1])) * 0.06 if kind == 1 else 0.004,
        bent_mm=0.14 if kind == 2 else 0.012,
        play_mm=0.01,
    )


def made_frame(seed: int) -> SimFrame:
    """A frame of which nothing else is said."""
    rng = np.random.default_rng([seed, 34])
    return SimFrame(
        lean_xy=float(rng.choice([0.02, 0.18, -0.22])),
        lean_xz=float(rng.normal(0, 0.03)),
        lean_yz=float(rng.normal(0, 0.03)),
        wall_mm=float(rng.normal(0.08, 0.03)),
        shrinkage_percent=float(rng.choice([0.0, 0.0, 0.35])),
    )
