"""Simulated hand instruments: what a person reads off calipers, a rule, a dial indicator; and a print's figures.

A reading is the truth plus the hand's own spread, rounded to the instrument's step.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field


@dataclass(frozen=True)
class Instrument:
    """``step``: what it shows in; ``spread``: standard deviation of hand and eye (mm)."""

    step: float
    spread: float

    def read(self, truth: float, rng: np.random.Generator) -> float:
        """One reading."""
        return round(float(truth + rng.normal(0, self.spread)) / self.step) * self.step


CALIPER = Instrument(0.01, 0.015)
RULE = Instrument(0.5, 0.2)
DIAL = Instrument(0.01, 0.002)


class SimTravel(BaseModel):
    """How an axis truly travels: ``scale`` of what is told, lost motion at reversal, scatter of one approach (mm)."""

    model_config = ConfigDict(extra="forbid")

    scale: float = 1.0
    backlash_mm: Annotated[float, Field(ge=0)] = 0.01
    scatter_mm: Annotated[float, Field(ge=0)] = 0.003


def reversal_csv(axis: SimTravel, targets: list[float], cycles: int, seed: int) -> bytes:
    """A reversal test read off a dial indicator, as CSV ``target_mm,approach,reading_mm``."""
    rng = np.random.default_rng(seed)
    lines = ["target_mm,approach,reading_mm"]
    for _ in range(cycles):
        for sign, way in ((1, targets), (-1, targets[::-1])):
            for t in way:
                truth = targets[0] + (t - targets[0]) * axis.scale - sign * axis.backlash_mm / 2
                shown = DIAL.read(truth + float(rng.normal(0, axis.scatter_mm)), rng)
                lines.append(f"{t:g},{'+' if sign > 0 else '-'},{shown:.3f}")
    return ("\n".join(lines) + "\n").encode()


def travel_readings(axis: SimTravel, commanded_mm: float, repeats: int, seed: int) -> list[float]:
    """A travel test read with calipers; longer than 150 mm with a rule."""
    rng = np.random.default_rng(seed)
    instrument = CALIPER if commanded_mm <= 150 else RULE
    return [
        round(instrument.read(commanded_mm * axis.scale + float(rng.normal(0, axis.scatter_mm)), rng), 3)
        for _ in range(repeats)
    ]


def ripple_counts(
    frequency_hz: float, speed_mm_s: float, ripples: int, walls: int, seed: int
) -> list[tuple[int, float]]:
    """Ripples counted on a print, and the calipers' reading over them."""
    rng = np.random.default_rng(seed)
    out = []
    for _ in range(walls):
        n = int(rng.integers(max(3, ripples - 2), ripples + 3))
        out.append((n, round(CALIPER.read(n * speed_mm_s / frequency_hz + float(rng.normal(0, 0.06)), rng), 2)))
    return out


def shift_readings(kinematics: str, motor: str, travel_mm: float, seed: int) -> tuple[float, float]:
    """A layer's step aside in x and y, by calipers, when one motor lost so much travel."""
    from ..machine import axis_travel

    rng = np.random.default_rng(seed)
    motors = {"a": 0.0, "b": 0.0} if kinematics == "corexy" else {"x": 0.0, "y": 0.0}
    motors[motor] = travel_mm
    x, y = axis_travel(kinematics, motors)
    return round(CALIPER.read(x, rng), 2), round(CALIPER.read(y, rng), 2)


def wall_picture(
    spacing_mm: float,
    px_per_mm: float = 14.0,
    width: int = 1200,
    height: int = 700,
    depth: float = 0.12,
    lean_deg: float = 0.0,
    grain: float = 0.03,
    seed: int = 1,
) -> tuple[NDArray[np.uint8], dict[str, list[tuple[float, float]]]]:
    """A made picture of a rippled wall beside a rule with a mark every 10 mm, seen aslant by ``lean_deg``.

    Returns grey values (height, width) and where things are in it (px): ``rule`` the marks, ``frame`` the corners of a
    drawn rectangle of 60 by 30 mm (clockwise from the upper left), ``line`` two ends of a line across the ripples.
    """
    rng = np.random.default_rng(seed)
    # Plane coordinates (mm) of every pixel, the plane turned about its upright middle line by the lean.
    c, s = np.cos(np.radians(lean_deg)), np.sin(np.radians(lean_deg))
    distance = 400.0

    def to_px(x: NDArray[np.float64], y: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        depth_ = distance + x * s
        return width / 2 + px_per_mm * distance * x * c / depth_, height / 2 + px_per_mm * distance * y / depth_

    col, row = np.meshgrid((np.arange(width) - width / 2) / px_per_mm, (np.arange(height) - height / 2) / px_per_mm)
    x = col * distance / (distance * c - col * s)
    y = row * (distance + x * s) / distance
    tone = 0.55 + depth * np.sin(2 * np.pi * x / spacing_mm) + 0.04 * np.sin(2 * np.pi * y / 0.2)
    frame = (np.abs(x) < 30.3) & (np.abs(y + 2) < 15.3) & ~((np.abs(x) < 29.8) & (np.abs(y + 2) < 14.8))
    marks = (y > 16) & (y < 19) & (np.abs((x + 5) % 10 - 5) < 0.12)
    tone = np.where(frame | marks, 0.08, tone) + rng.normal(0, grain, tone.shape)
    points = {
        "rule": [(-20.0, 17.0), (20.0, 17.0)],
        "frame": [(-30.0, -17.0), (30.0, -17.0), (30.0, 13.0), (-30.0, 13.0)],
        "line": [(-27.0, -3.0), (27.0, -3.0)],
    }
    found = {}
    for name, mm in points.items():
        px, py = to_px(np.array([m[0] for m in mm]), np.array([m[1] for m in mm]))
        found[name] = [(float(a), float(b)) for a, b in zip(px, py, strict=True)]
    return (np.clip(tone, 0, 1) * 255).astype(np.uint8), found
