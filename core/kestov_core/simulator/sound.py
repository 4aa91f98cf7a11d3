"""Plucked belts as a microphone hears them: the truth that the pluck procedure is tested against.

A string's partials with stiffness, losses, pluck place, pitch glide; what rings along (the belt's other run, the
partner belt) and the finger that stills it; a microphone that cuts the lows and limits the loud; hum, fan, motors,
speech and hiss.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Pluck:
    """One pluck. ``kind``: ``good``; ``rubbed`` (a finger stays on: flat, short); ``knock`` (no string at all).

    ``at_s`` below zero: the recording begins in the middle of it.
    """

    at_s: float
    level: float = 0.5
    place: float = 0.31
    kind: str = "good"


@dataclass(frozen=True)
class Belt:
    """A belt as a string: ``f0_hz`` freed of stiffness, inharmonicity ``b``, decay time (s) of the first partial.

    ``glide``: relative rise of pitch at full level, falling with the square of the amplitude. With ``q`` every partial
    dies away in q / (pi f_n) instead, as belts in machines do (20 to 50).
    """

    f0_hz: float
    b: float = 2e-4
    decay_s: float = 0.35
    glide: float = 0.0
    q: float | None = None

    def decay_of(self, n: int) -> float:
        """Decay time (s) of partial ``n``."""
        if self.q is not None:
            return float(self.q / (np.pi * partial_hz(self, n)))
        return self.decay_s / (1 + 0.25 * (n - 1))


@dataclass(frozen=True)
class Along:
    """Another belt or run that rings along with each pluck, ``level_db`` under the plucked one."""

    belt: Belt
    level_db: float = -15.0


@dataclass(frozen=True)
class Room:
    """What else the microphone hears. Levels are r.m.s. of full scale; ``low_cut_hz`` the microphone's corner.

    ``motor``: a motor that runs, its whine at ``motor_hz`` and overtones, unsteady by a hundredth. ``speech``: somebody
    talks beside it. ``limiter``: the phone turns down what is loud (share of full scale above which it bends).
    """

    hiss: float = 0.001
    hum: float = 0.0
    hum_hz: float = 50.0
    fan: float = 0.0
    fan_tone_hz: float = 0.0
    low_cut_hz: float = 0.0
    low_cut_order: int = 2
    gain: float = 1.0
    motor: float = 0.0
    motor_hz: float = 310.0
    speech: float = 0.0
    limiter: float = 0.0


@dataclass(frozen=True)
class Recording:
    """Sampled sound: ``samples`` (n,) in full scale (clipped at ±1) at ``rate_hz``."""

    samples: Array
    rate_hz: int
    plucks: list[Pluck] = field(default_factory=list)


def partial_hz(belt: Belt, n: NDArray[np.int_] | int) -> Array:
    """f_n = n f0 sqrt(1 + B n^2) (Fletcher and Rossing, The Physics of Musical Instruments, ch. 2)."""
    return np.asarray(n * belt.f0_hz * np.sqrt(1 + belt.b * np.asarray(n, dtype=float) ** 2))


def record(
    belt: Belt,
    plucks: list[Pluck],
    seconds: float,
    rate_hz: int = 48000,
    room: Room | None = None,
    seed: int = 0,
    along: Sequence[Along] = (),
) -> Recording:
    """A recording of ``seconds`` with the given plucks, each of which sets what is ``along`` ringing, too."""
    room = room or Room()
    rng = np.random.default_rng(seed)
    n = int(seconds * rate_hz)
    t = np.arange(n) / rate_hz
    x = np.zeros(n)

    def add(sound: Array, at_s: float) -> None:
        start = int(at_s * rate_hz)
        if start < 0:
            sound, start = sound[-start:], 0
        sound = sound[: n - start]
        x[start : start + len(sound)] += sound

    for pluck in plucks:
        if pluck.at_s >= seconds:
            continue
        add(_one(belt, pluck, t, rate_hz, room, rng), pluck.at_s)
        for other in along if pluck.kind != "knock" else ():
            # It is not plucked itself, but shaken over the idlers: nearer its end, and without a finger's noise.
            level = pluck.level * 10 ** (other.level_db / 20)
            moved = replace(pluck, level=level, place=float(rng.uniform(0.15, 0.45)), kind="good")
            add(_one(other.belt, moved, t, rate_hz, room, rng, finger=0.0), pluck.at_s)
    x += room.hiss * rng.standard_normal(n) + _room_sounds(room, t, rng)
    x *= room.gain
    if room.limiter:
        x = room.limiter * np.tanh(x / room.limiter)
    return Recording(np.clip(x, -1.0, 1.0), rate_hz, plucks)


def _room_sounds(room: Room, t: Array, rng: np.random.Generator) -> Array:
    x = np.zeros(len(t))
    n, rate_hz = len(t), 1 / (t[1] - t[0])
    if room.hum:
        for k, a in ((1, 1.0), (2, 0.6), (3, 0.35), (4, 0.15)):
            x += room.hum * 1.2 * a * np.sin(2 * np.pi * k * room.hum_hz * t + rng.uniform(0, 6.28))
    if room.fan:
        white = np.fft.rfft(rng.standard_normal(n))
        f = np.fft.rfftfreq(n, 1 / rate_hz)
        rushing = np.fft.irfft(white / np.sqrt(1 + (f / 300) ** 2), n)
        x += room.fan * rushing / (rushing.std() + 1e-12)
        if room.fan_tone_hz:
            x += room.fan * np.sin(2 * np.pi * room.fan_tone_hz * t)
    if room.motor:
        wander = np.cumsum(rng.normal(0, 1, len(t)))
        turns = np.cumsum(room.motor_hz * (1 + 0.01 * wander / (np.abs(wander).max() + 1e-9))) / rate_hz
        for k, a in ((1, 1.0), (2, 0.4), (3, 0.25)):
            x += room.motor * a * np.sin(2 * np.pi * k * turns)
    if room.speech:
        x += room.speech * _speech(t, rng)
    return x


def _speech(t: Array, rng: np.random.Generator) -> Array:
    """Syllables: pulses of a gliding pitch through two resonances, swelling within 80 ms; r.m.s. about 1 while it sounds."""
    x = np.zeros(len(t))
    rate_hz = 1 / (t[1] - t[0])
    at = float(rng.uniform(0, 0.3))
    while at < t[-1] - 0.4:
        length = float(rng.uniform(0.15, 0.35))
        u = np.arange(int(length * rate_hz)) / rate_hz
        pitch = rng.uniform(95, 200) * (1 + 0.12 * np.sin(2 * np.pi * 1.5 * u + rng.uniform(0, 6)))
        phase = np.cumsum(pitch) / rate_hz
        formants = rng.uniform((300, 900), (800, 2300))
        voice = sum(
            np.sin(2 * np.pi * k * phase) * sum(1 / (1 + ((k * pitch[0] - f) / 150) ** 2) for f in formants)
            for k in range(1, 18)
        )
        start = int(at * rate_hz)
        x[start : start + len(u)] += voice * np.sin(np.pi * u / length) ** 0.7
        at += length + float(rng.uniform(0.02, 0.4))
    return x


def _one(
    belt: Belt, pluck: Pluck, t: Array, rate_hz: int, room: Room, rng: np.random.Generator, finger: float = 0.25
) -> Array:
    longest = int((8 if belt.q else 4) * max(belt.decay_of(1), 0.05) * rate_hz)
    t = np.arange(min(longest, len(t))) / rate_hz
    out = np.zeros(len(t))
    if pluck.kind == "knock":
        for f, d in ((rng.uniform(180, 400), 0.02), (rng.uniform(500, 1500), 0.012)):
            out += pluck.level * np.exp(-t / d) * np.sin(2 * np.pi * f * t)
    else:
        flat, dead = (0.95, 0.12) if pluck.kind == "rubbed" else (1.0, 1.0)
        decay = belt.decay_of(1) * dead
        # Phase of the first partial with the glide: the tension rises with the square of the amplitude.
        glide = belt.glide * (pluck.level / 0.5) ** 2
        turns = belt.f0_hz * flat * (t + glide * decay / 2 * (1 - np.exp(-2 * t / decay)))
        for n in range(1, 40):
            f = float(partial_hz(belt, n)) * flat
            if f > min(0.45 * rate_hz, 4000):
                break
            amplitude = pluck.level * np.sin(n * np.pi * pluck.place) / n**1.3
            if room.low_cut_hz:
                r = (f / room.low_cut_hz) ** room.low_cut_order
                amplitude *= r / np.sqrt(1 + r * r)
            tau = belt.decay_of(n) * dead
            m = min(len(t), int(9 * tau * rate_hz))  # after nine time constants it is below the last bit
            wave = np.sin(2 * np.pi * f / (belt.f0_hz * flat) * turns[:m] + rng.uniform(-0.6, 0.6))
            out[:m] += amplitude * np.exp(-t[:m] / tau) * wave
        # The finger's own short noise.
        out += finger * pluck.level * np.exp(-t / 0.004) * rng.standard_normal(len(t))
    short = np.exp(-t[::-1] / 0.01)
    tail: Array = out * (1 - short)
    return tail


def wav(recording: Recording, subtype: str = "PCM_16", channels: int = 1) -> bytes:
    """The recording as a WAV file: ``PCM_16``, ``PCM_24``, ``PCM_32`` or ``FLOAT``."""
    import soundfile

    buffer = io.BytesIO()
    data = np.repeat(recording.samples[:, None], channels, axis=1) if channels > 1 else recording.samples
    soundfile.write(buffer, data, recording.rate_hz, subtype=subtype, format="WAV")
    return buffer.getvalue()
