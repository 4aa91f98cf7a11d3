"""What each input shaper would leave of some modes, and cost: shared by the procedures that find modes.

The shapers themselves are in ``signals.shapers``.
"""

from __future__ import annotations

from typing import Literal

from ..quantities import Quantity
from .base import Part

ShaperName = Literal["zv", "zvd", "zvdd", "ei", "ei2", "ei3"]
#: A shaper fits when it leaves at most this much.
RESIDUAL_LIMIT = 0.05


class ModeFound(Part):
    """One damped mode: undamped natural frequency, damping ratio, share of the vibration's energy."""

    frequency: Quantity
    damping_ratio: Quantity
    share: float


class Impulse(Part):
    """One impulse of a shaper."""

    amplitude: float
    time_s: float


class Shaped(Part):
    """What a shaper leaves at worst over all modes within their u95 (%), lasts, and costs.

    ``leaves``: the spectrum that would be left of a capture, at its spectrum's frequencies.
    """

    name: ShaperName
    frequency_hz: float
    impulses: list[Impulse]
    residual_percent: float
    duration_ms: float
    smoothing_mm_per_1000: float
    max_acceleration_mm_s2: float
    leaves: list[float] = []


def shapers_for(modes: list[ModeFound], smoothing_limit_mm: float) -> list[Shaped]:
    """Every shaper at the frequency where its worst residual, over all modes within their u95, is least."""
    import numpy as np

    from ..signals import shapers

    if not modes:
        return []
    corners = np.array(
        [
            (
                m.frequency.value + i * (m.frequency.u95 or 0),
                min(0.6, max(0.0, m.damping_ratio.value + j * (m.damping_ratio.u95 or 0))),
            )
            for m in modes
            for i in (-1, 0, 1)
            for j in (-1, 0, 1)
        ]
    )
    corners = corners[corners[:, 0] > 0]
    damping = min(0.25, sum(m.share * m.damping_ratio.value for m in modes) / max(sum(m.share for m in modes), 1e-9))
    low, high = 0.6 * corners[:, 0].min(), 1.5 * corners[:, 0].max()
    out = []
    for name in shapers.NAMES:
        try:
            amplitudes, times = shapers.impulses(name, 1.0, damping)
        except ValueError:
            continue
        span = (low, high)
        for _ in range(3):
            tried = np.linspace(*span, 120)
            worst = shapers.residual(amplitudes, times, corners[:, 0] / tried[:, None], corners[:, 1]).max(1)
            best = tried[int(worst.argmin())]
            step = tried[1] - tried[0]
            span = (best - step, best + step)
        at = times / best
        smoothing = shapers.smoothing_seconds2(amplitudes, at)
        out.append(
            Shaped(
                name=name,  # type: ignore[arg-type]
                frequency_hz=float(best),
                impulses=[Impulse(amplitude=float(a), time_s=float(t)) for a, t in zip(amplitudes, at, strict=True)],
                residual_percent=100 * float(worst.min()),
                duration_ms=1000 * float(at[-1]),
                smoothing_mm_per_1000=500 * smoothing,
                max_acceleration_mm_s2=2 * smoothing_limit_mm / smoothing,
            )
        )
    return out


def least_smoothing(table: list[Shaped]) -> ShaperName | None:
    """The shaper with least smoothing of those that leave 5 % or less; None where none does."""
    fit = [s for s in table if s.residual_percent <= 100 * RESIDUAL_LIMIT * (1 + 1e-6)]
    return min(fit, key=lambda s: s.smoothing_mm_per_1000).name if fit else None
