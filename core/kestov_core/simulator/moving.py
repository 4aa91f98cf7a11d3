"""A simulated axis that runs a ladder of speeds in front of a microphone: the motor's tone, the run's rush, and parts that answer."""

from __future__ import annotations

import math
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from .sound import Recording

#: The mark before the ladder: three bursts of motion of so long, so far apart, then so long a rest (s).
MARK_BURST_S, MARK_GAP_S, MARK_REST_S = 0.3, 0.3, 1.0


class SimPart(BaseModel):
    """A part that answers: its pitch (Hz), how sharp it is, and how loud it is when the step rate meets it (of full scale)."""

    model_config = ConfigDict(extra="forbid")

    hz: Annotated[float, Field(gt=0)]
    q: Annotated[float, Field(gt=0)] = 25.0
    level: Annotated[float, Field(ge=0)] = 0.08
    #: The step rate's multiples at which it is shaken.
    orders: tuple[float, ...] = (1.0,)


def ladder_sound(
    ladder_mm_s: list[float],
    steps_per_mm: float,
    parts: list[SimPart],
    rung_s: float = 1.5,
    pause_s: float = 0.5,
    rate_hz: int = 16000,
    before_s: float = 1.2,
    tone: float = 0.01,
    rush: float = 0.004,
    hiss: float = 0.0012,
    seed: int = 1,
) -> Recording:
    """What is heard of a mark and a ladder of speeds."""
    rng = np.random.default_rng(seed)
    mark = 3 * MARK_BURST_S + 2 * MARK_GAP_S + MARK_REST_S
    seconds = before_s + mark + len(ladder_mm_s) * (rung_s + pause_s) + 0.8
    n = int(seconds * rate_hz)
    t = np.arange(n) / rate_hz
    out = rng.normal(0, hiss, n)

    def run(at_s: float, for_s: float, speed: float) -> None:
        a, b = int(at_s * rate_hz), min(n, int((at_s + for_s) * rate_hz))
        u = t[a:b] - at_s
        # It starts and stops within some hundredths of a second.
        ramp = np.clip(np.minimum(u, for_s - u) / 0.03, 0, 1)
        steps = speed * steps_per_mm
        sound = rng.normal(0, rush * (0.5 + speed / 100), b - a)
        for order, share in ((1.0, 1.0), (2.0, 0.4), (3.0, 0.2)):
            if order * steps < rate_hz / 2:
                sound += tone * share * np.sin(2 * np.pi * order * steps * u + rng.uniform(0, 6.28))
        for part in parts:
            gain = sum(_gain(order * steps, part) for order in part.orders)
            sound += part.level * gain * np.sin(2 * np.pi * part.hz * u + rng.uniform(0, 6.28))
        out[a:b] += ramp * sound

    for i in range(3):
        run(before_s + i * (MARK_BURST_S + MARK_GAP_S), MARK_BURST_S, ladder_mm_s[len(ladder_mm_s) // 2])
    begins = before_s + mark
    for i, speed in enumerate(ladder_mm_s):
        run(begins + i * (rung_s + pause_s), rung_s, speed)
    return Recording(samples=np.clip(out, -1, 1), rate_hz=rate_hz)


def _gain(hz: float, part: SimPart) -> float:
    """How far a part answers when it is shaken at a pitch (a resonance's own curve, its peak one)."""
    r = hz / part.hz
    return 1.0 / math.sqrt(1 + (part.q * (r - 1 / max(r, 1e-6))) ** 2)


def made_parts(seed: int, place: str) -> list[SimPart]:
    """What answers on an axis of which nothing else is said: on one in two a panel."""
    rng = np.random.default_rng([seed, 61, sum(place.encode())])
    if rng.random() < 0.5:
        return []
    return [SimPart(hz=float(rng.uniform(180, 420)), q=float(rng.uniform(15, 30)), level=0.06)]
