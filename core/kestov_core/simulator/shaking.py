"""A simulated axis that is shaken, and the accelerometer on its carriage.

The carriage hangs on the drive by one or more springs (modes); the motors move the drive, the accelerometer feels the
carriage. Play is a dead band in the spring: inside it nothing holds the carriage but a little friction.
Units: mm, s, Hz; accelerations in mm/s2 inside, in the accelerometer's own unit outside.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from ..quantities import UNITS

Array = NDArray[np.float64]
Excitation = Literal["sweep", "impulse", "ambient"]
Unit = Literal["m/s2", "g", "mm/s2"]
_INNER_HZ = 12800


class SimMode(BaseModel):
    """One spring of the axis: undamped frequency, damping ratio, and its share of the carriage's motion."""

    model_config = ConfigDict(extra="forbid")

    hz: float
    damping: float = 0.05
    share: float = 1.0


class SimAxis(BaseModel):
    """One axis as it truly is. ``play_mm``: half the dead band, 0 for none. ``cross``: share that the other axis takes up."""

    model_config = ConfigDict(extra="forbid")

    modes: list[SimMode]
    play_mm: Annotated[float, Field(ge=0)] = 0.0
    cross: Annotated[float, Field(ge=0)] = 0.05


@dataclass(frozen=True)
class Sensor:
    """An accelerometer: samples a second, noise of one sample (mm/s2), clock jitter (of a sample's time), unit.

    ``gaps``: (from second, for how long) in which samples are lost.
    """

    rate_hz: float = 1600.0
    noise_mm_s2: float = 60.0
    jitter: float = 0.02
    unit: Unit = "m/s2"
    gaps: list[tuple[float, float]] = field(default_factory=list)


@dataclass(frozen=True)
class Shake:
    """What the motors (or a knuckle) do. ``level_mm_s2``: base acceleration of sweep and noise; of a knock, its peak."""

    kind: Excitation = "sweep"
    seconds: float = 30.0
    from_hz: float = 5.0
    to_hz: float = 140.0
    level_mm_s2: float = 800.0
    knocks: int = 6


@dataclass(frozen=True)
class Shaken:
    """What came out: ``time_s`` (n,), ``acceleration`` (3, n) in ``unit``."""

    time_s: Array
    acceleration: Array
    unit: Unit

    def csv(self) -> bytes:
        """As the file that an accelerometer writes: header ``time_s,ax,ay,az``."""
        import io

        out = io.StringIO()
        out.write("time_s,ax,ay,az\n")
        digits = 3 if self.unit == "mm/s2" else 6
        np.savetxt(
            out, np.column_stack([self.time_s, self.acceleration.T]), fmt=["%.6f"] + [f"%.{digits}f"] * 3, delimiter=","
        )
        return out.getvalue().encode()


def shake(axis: SimAxis, along: str, how: Shake, sensor: Sensor, seed: int = 0) -> Shaken:
    """Shake one axis (``x``, ``y``, ``z``, or a diagonal ``a``, ``b``) and write down what the accelerometer says."""
    rng = np.random.default_rng(seed)
    n = int(how.seconds * _INNER_HZ)
    base, force = _excitation(how, n, rng)
    response = np.zeros(n)
    for mode in axis.modes:
        response += mode.share * _respond(mode, axis.play_mm, base, force)
    three = _along(along, response, axis.cross)
    three[2] += UNITS["g"][1]
    step = 1 / sensor.rate_hz
    times = np.arange(0.0, how.seconds - 2 * step, step)
    times = times + np.clip(rng.normal(0, sensor.jitter * step, len(times)), -0.45 * step, 0.45 * step)
    times = times - min(times[0], 0.0)
    keep = np.ones(len(times), bool)
    for start, length in sensor.gaps:
        keep &= (times < start) | (times > start + length)
    times = times[keep]
    inner = np.arange(n) / _INNER_HZ
    seen = np.stack([np.interp(times, inner, a) for a in three])
    seen += rng.normal(0, sensor.noise_mm_s2, seen.shape)
    return Shaken(times, seen / UNITS[sensor.unit][1], sensor.unit)


def _along(along: str, response: Array, cross: float) -> Array:
    """The three axes' accelerations from the response along one direction and what the other direction takes up."""
    other = cross * response
    small = 0.02 * response
    if along == "x":
        return np.stack([response, other, small])
    if along == "y":
        return np.stack([other, response, small])
    if along == "z":
        return np.stack([other, small, response])
    sign = 1.0 if along == "a" else -1.0
    root = np.sqrt(0.5)
    return np.stack([root * (response + other), root * sign * (response - other), small])


def _excitation(how: Shake, n: int, rng: np.random.Generator) -> tuple[Array, Array]:
    """Acceleration of the drive, and of a knuckle on the carriage (mm/s2)."""
    t = np.arange(n) / _INNER_HZ
    base, force = np.zeros(n), np.zeros(n)
    if how.kind == "sweep":
        rate = (how.to_hz - how.from_hz) / how.seconds
        ease = np.clip(np.minimum(t, how.seconds - t) / 0.3, 0, 1)
        base = how.level_mm_s2 * ease * np.sin(2 * np.pi * (how.from_hz * t + rate * t**2 / 2))
    elif how.kind == "impulse":
        for k in range(how.knocks):
            at = 0.4 + (how.seconds - 0.8) * (k + float(rng.uniform(0, 0.2))) / how.knocks
            width = float(rng.uniform(0.002, 0.004))
            inside = (t >= at) & (t <= at + width)
            force[inside] = how.level_mm_s2 * float(rng.uniform(0.5, 1.0)) * np.sin(np.pi * (t[inside] - at) / width)
    else:
        base = rng.normal(0, how.level_mm_s2 * np.sqrt(_INNER_HZ / 400), n)
    return base, force


def _respond(mode: SimMode, play: float, base: Array, force: Array) -> Array:
    """Absolute acceleration of the carriage: the spring's and damper's pull, and the knuckle's."""
    w = 2 * np.pi * mode.hz
    if play > 0:
        return _respond_loose(w, mode.damping, play, base, force) + force
    from scipy.signal import bilinear, lfilter

    # From the drive's acceleration to the carriage's: (2 z w s + w^2) / (s^2 + 2 z w s + w^2).
    below = [1.0, 2 * mode.damping * w, w**2]
    b, a = bilinear([2 * mode.damping * w, w**2], below, _INNER_HZ)
    # From a push on the carriage: s^2 over the same.
    bf, af = bilinear([1.0, 0.0, 0.0], below, _INNER_HZ)
    return np.asarray(lfilter(b, a, base) + lfilter(bf, af, force))


def _respond_loose(w: float, z: float, play: float, base: Array, force: Array) -> Array:
    """The same with a dead band, step by step (semi-implicit Euler; the step is far below the period)."""
    dt = 1 / _INNER_HZ
    offset = speed = 0.0
    out = np.empty(len(base))
    drag = 2 * 0.01 * w
    stiff, damp = w * w, 2 * z * w
    for i, drive in enumerate((force - base).tolist()):
        if offset > play:
            pull = -stiff * (offset - play) - damp * speed
        elif offset < -play:
            pull = -stiff * (offset + play) - damp * speed
        else:
            pull = -drag * speed
        speed += dt * (drive + pull)
        offset += dt * speed
        out[i] = pull
    return out
