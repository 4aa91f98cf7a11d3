"""What a slow or a heavy sensor, as a phone is both, changes in what `resonance` says: which frequency it is, and how much higher without it.

The fits are in ``signals.slowly``.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from ..quantities import Quantity, own_u95, quadrature

if TYPE_CHECKING:
    from ..signals.response import Response
    from ..signals.sampling import Array
    from .resonance import ResonanceContext, ResonanceResult

#: What swings is weighed or guessed within this (u95, a share of it; typical).
_MOVED_U95 = 0.33
WHY_NO_SHAPER = (
    "So few samples a second give a first look: about where it rings, not how linear it is. "
    "A shaper wants an accelerometer, or a printed corner."
)
PRINT_IT = (
    "Print a corner and count its ripples: that tells the same figure without a sensor, and which shaper would suit."
)


@dataclass
class Slow:
    """A record of few samples a second, at these times, taken at these ``rates``; ``elsewhere``: what the strongest mode may be as well;
    ``left_out``: weaker ones that might be elsewhere, too.
    """

    time_s: Array
    rates: list[float]
    elsewhere: list[float] = field(default_factory=list)
    left_out: list[float] = field(default_factory=list)


def taken_slowly(context: ResonanceContext, rate_hz: float, time_s: Array) -> Slow | None:
    """Whether knocks were taken at too few samples a second for the band that is looked at; None where not."""
    if context.excitation != "impulse" or rate_hz >= 2 * context.max_frequency_hz:
        return None
    from ..signals.sampling import spread_stamps
    from ..signals.slowly import rates

    times = spread_stamps(time_s)[0]
    return Slow(times, rates(times))


def listen_slowly(slow: Slow, turned: Array, top_hz: float) -> Response:
    """The response to knocks, with the modes of which it is known where they are; the strongest stays with what it may be as well."""
    from ..signals.slowly import images, knocked_slowly

    response, elsewhere = knocked_slowly(slow.time_s, turned, top_hz)
    if response.fit is None or not response.fit.modes:
        return response
    strongest = max(response.fit.modes, key=lambda m: m.share)
    kept = []
    for mode, others in zip(response.fit.modes, elsewhere, strict=True):
        if mode is strongest:
            slow.elsewhere = others if len(slow.rates) > 1 else images(mode.hz, slow.rates[0], top_hz)
        elif others or len(slow.rates) < 2:
            slow.left_out.append(mode.hz)
            continue
        kept.append(mode)
    response.fit = replace(response.fit, modes=kept)
    return response


def doubt_slow(result: ResonanceResult, slow: Slow, lowered: float, refuse: Callable[[str, str], None]) -> None:
    """What few samples a second leave open."""
    result.elsewhere = [hz * lowered for hz in slow.elsewhere]
    told = " and ".join(f"{r:.0f}" for r in slow.rates)
    if result.frequency is not None and (slow.elsewhere or len(slow.rates) < 2):
        also = ", ".join(f"{hz:.0f}" for hz in result.elsewhere) or "what is faster"
        refuse(
            "aliasing_possible",
            f"At {told} samples a second {result.frequency.value:.0f} Hz looks like {also}{' Hz' if slow.elsewhere else ''}. "
            "More knocks at more rates may tell; a printed corner does.",
        )
    if slow.left_out:
        hz = " and ".join(f"{f * lowered:.0f} Hz" for f in slow.left_out)
        result.warn("left_out", f"Something weaker shows at {hz}, or elsewhere: too few samples a second to tell.")


def lowered_by(context: ResonanceContext) -> float:
    """By how much the sensor's weight lowers what it shows: sqrt(1 + m/M), where what swings is one mass on one spring; 1 where not known."""
    return 1.0 if context.moved_g is None else math.sqrt(1 + context.added_g / context.moved_g)


def without_sensor(f: Quantity, lowered: float) -> Quantity:
    """A frequency as it is without the sensor's weight, which lowers it so."""
    if lowered == 1.0:
        return f
    share = lowered**2 - 1
    # Of d ln f = 1/2 share / (1 + share) d ln M; it does not cancel against a record with another sensor.
    u_mass = f.value * lowered * 0.5 * share / (1 + share) * _MOVED_U95
    own = quadrature(own_u95(f) * lowered, u_mass)
    shared = (f.shared or 0.0) * lowered
    return Quantity(value=f.value * lowered, u95=quadrature(own, shared), own=own, shared=shared, unit="Hz")
