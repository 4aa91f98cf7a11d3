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
#: Rates at which a phone is asked for its readings, one after the other: what one shows elsewhere the others tell apart.
PHONE_RATES_HZ = (60.0, 50.0, 42.0)
#: Travel of a belt axis in the four full steps after which a motor's unevenness repeats (20 teeth of 2 mm, 200 steps).
_FOUR_STEPS_MM = 0.8


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

    def laden(self, share: float) -> SimAxis:
        """The same with a sensor on it that weighs this share of what swings."""
        modes = [m.model_copy(update={"hz": m.hz / (1 + share) ** 0.5}) for m in self.modes]
        return self.model_copy(update={"modes": modes})


@dataclass(frozen=True)
class Sensor:
    """An accelerometer: samples a second, noise of one sample (mm/s2), clock jitter (of a sample's time), unit.

    ``gaps``: (from second, for how long) in which samples are lost. ``stale``: share of samples that repeat the one
    before; ``lost``: share that is missing, strewn. ``clock``: how fast its own clock runs (1.02: times read 2 % short).
    ``range_mm_s2``: beyond it a sample stands at the end of the range. ``tilt_deg``: mounted askew about the excited
    direction's neighbour, so that gravity and the axes mix. ``stamp_step_s``: times are rounded down to this;
    ``step_mm_s2``: what is read is rounded to this.
    """

    rate_hz: float = 1600.0
    noise_mm_s2: float = 60.0
    jitter: float = 0.02
    unit: Unit = "m/s2"
    gaps: list[tuple[float, float]] = field(default_factory=list)
    stale: float = 0.0
    lost: float = 0.0
    clock: float = 1.0
    range_mm_s2: float | None = None
    tilt_deg: float = 0.0
    stamp_step_s: float = 0.0
    step_mm_s2: float = 0.0


@dataclass(frozen=True)
class Shake:
    """What the motors (or a knuckle) do. ``level_mm_s2``: base acceleration of sweep and noise; of a knock, its peak.

    Machines sweep by moves of constant acceleration: ``wave`` square, or trapezoid where the jerk is bounded; a sine only
    where a controller can. ``path``: a glide, octaves, steps of ``rung_hz``, or up and down again. ``ramp``: share of the
    level at the sweep's beginning. ``ripple``: the motor's uneven steps, as a share of the level (every 0.8 mm).
    ``doubled``: share of the knocks that bounce; ``early``: share that comes while the one before still rings.
    """

    kind: Excitation = "sweep"
    seconds: float = 30.0
    from_hz: float = 5.0
    to_hz: float = 140.0
    level_mm_s2: float = 800.0
    knocks: int = 6
    wave: Literal["square", "trapezoid", "sine"] = "square"
    path: Literal["glide", "octaves", "steps", "up_and_down"] = "glide"
    rung_hz: float = 1.0
    ramp: float = 1.0
    ripple: float = 0.02
    doubled: float = 0.0
    early: float = 0.0


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
    return _read(three, how.seconds, sensor, rng)


def knocked_by_phone(
    axis: SimAxis,
    along: str,
    rates_hz: tuple[float, ...] = PHONE_RATES_HZ,
    seconds: float = 16.0,
    knocks: int = 8,
    seed: int = 0,
) -> Shaken:
    """What a phone on the (laden) axis writes down while it is knocked, at one rate after the other.

    Readings a tenth of a m/s2 apart, times to a tenth of a millisecond.
    """
    parts, begin = [], 0.0
    for k, rate in enumerate(rates_hz):
        sensor = Sensor(rate_hz=rate, noise_mm_s2=30.0, stamp_step_s=1e-4, step_mm_s2=100.0)
        how = Shake(kind="impulse", seconds=seconds, knocks=knocks, level_mm_s2=15_000.0)
        part = shake(axis, along, how, sensor, 10 * seed + k)
        parts.append(Shaken(part.time_s + begin, part.acceleration, part.unit))
        begin += seconds + 3.0
    return Shaken(
        np.concatenate([p.time_s for p in parts]),
        np.concatenate([p.acceleration for p in parts], axis=1),
        parts[0].unit,
    )


def _read(three: Array, seconds: float, sensor: Sensor, rng: np.random.Generator) -> Shaken:
    """What the accelerometer writes down of three accelerations (3, n) at the inner rate."""
    if sensor.tilt_deg:
        c, s = np.cos(np.radians(sensor.tilt_deg)), np.sin(np.radians(sensor.tilt_deg))
        three = np.stack([c * three[0] + s * three[2], three[1], c * three[2] - s * three[0]])
    step = 1 / sensor.rate_hz
    times = np.arange(0.0, seconds - 2 * step, step)
    times = times + np.clip(rng.normal(0, sensor.jitter * step, len(times)), -0.45 * step, 0.45 * step)
    times = times - min(times[0], 0.0)
    keep = rng.random(len(times)) >= sensor.lost
    for start, length in sensor.gaps:
        keep &= (times < start) | (times > start + length)
    times = times[keep]
    inner = np.arange(three.shape[1]) / _INNER_HZ
    seen = np.stack([np.interp(times, inner, a) for a in three])
    seen += rng.normal(0, sensor.noise_mm_s2, seen.shape)
    if sensor.stale:
        repeats = np.flatnonzero(rng.random(len(times) - 1) < sensor.stale) + 1
        seen[:, repeats] = seen[:, repeats - 1]
    if sensor.range_mm_s2 is not None:
        seen = np.clip(seen, -sensor.range_mm_s2, sensor.range_mm_s2)
    if sensor.step_mm_s2:
        seen = np.round(seen / sensor.step_mm_s2) * sensor.step_mm_s2
    stamps = times / sensor.clock
    if sensor.stamp_step_s:
        stamps = np.floor(stamps / sensor.stamp_step_s + 1e-9) * sensor.stamp_step_s
    return Shaken(stamps, seen / UNITS[sensor.unit][1], sensor.unit)


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
        base = _sweep(how, t)
    elif how.kind == "impulse":
        for k in range(how.knocks):
            at = 0.4 + (how.seconds - 0.8) * (k + float(rng.uniform(0, 0.2))) / how.knocks
            if k and rng.random() < how.early:
                at -= 0.7 * (how.seconds - 0.8) / how.knocks
            width = float(rng.uniform(0.002, 0.004))
            inside = (t >= at) & (t <= at + width)
            peak = how.level_mm_s2 * float(rng.uniform(0.5, 1.0))
            force[inside] = peak * np.sin(np.pi * (t[inside] - at) / width)
            if rng.random() < how.doubled:
                again = at + float(rng.uniform(0.03, 0.09))
                inside = (t >= again) & (t <= again + width)
                force[inside] += 0.4 * peak * np.sin(np.pi * (t[inside] - again) / width)
    else:
        base = rng.normal(0, how.level_mm_s2 * np.sqrt(_INNER_HZ / 400), n)
    return base, force


def _sweep(how: Shake, t: Array) -> Array:
    """The drive's acceleration over a sweep (mm/s2)."""
    share = t / how.seconds
    span = how.to_hz - how.from_hz
    if how.path == "octaves":
        hz = how.from_hz * (how.to_hz / how.from_hz) ** share
    elif how.path == "up_and_down":
        hz = how.from_hz + span * (1 - np.abs(2 * share - 1))
    elif how.path == "steps":
        rungs = int(span / how.rung_hz) + 1
        hz = how.from_hz + how.rung_hz * np.minimum((share * rungs).astype(int), rungs - 1)
    else:
        hz = how.from_hz + span * share
    swing = np.sin(2 * np.pi * np.cumsum(hz) / _INNER_HZ)
    shape = {"sine": swing, "square": np.sign(swing), "trapezoid": np.clip(2.5 * swing, -1, 1)}[how.wave]
    ease = np.clip(np.minimum(t, how.seconds - t) / 0.3, 0, 1)
    base = how.level_mm_s2 * ease * (how.ramp + (1 - how.ramp) * share) * shape
    if how.ripple:
        # Twice summed up, less its slow drift, the acceleration is the place of the rotor.
        speed = np.cumsum(base - base.mean()) / _INNER_HZ
        place = np.cumsum(speed - _slow(speed)) / _INNER_HZ
        base = base + how.ripple * how.level_mm_s2 * np.sin(2 * np.pi * place / _FOUR_STEPS_MM)
    return np.asarray(base)


def _slow(x: Array) -> Array:
    """Running mean over a second."""
    sums = np.concatenate([[0.0], np.cumsum(x)])
    half = _INNER_HZ // 2
    lo, hi = np.maximum(np.arange(len(x)) - half, 0), np.minimum(np.arange(len(x)) + half, len(x))
    return np.asarray((sums[hi] - sums[lo]) / (hi - lo))


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
