"""A simulated drive: what its motor is given, how its belt runs past its flanges, what repeats in it, and the step that a print took by it."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

#: What the demo's drivers have where a description tells nothing of them (ohm, factor of the reference), and a motor's rating (A).
SENSE_OHM, GAIN, RATED_A = 0.1, 5.0, 1.0


class SimDrive(BaseModel):
    """``current``: of the motor's rating; ``flange_gap_mm``: the least between belt and flange; ``repeats_mm``: after what travel its
    unevenness comes again (none: even); ``step_mm``: travel lost at once in a print.
    """

    model_config = ConfigDict(extra="forbid")

    current: Annotated[float, Field(gt=0)] = 0.8
    flange_gap_mm: float = 0.5
    repeats_mm: Annotated[float, Field(gt=0)] | None = None
    step_mm: float = 0.0

    def reference_v(
        self, rated_a: float, sense_ohm: float, gain: float, motors: int, rng: np.random.Generator
    ) -> float:
        """What a meter shows at its driver (V): I_peak = V / (gain R)."""
        volts = self.current * rated_a * motors * float(np.sqrt(2)) * gain * sense_ohm
        return max(0.01, round(volts * (1 + float(rng.normal(0, 0.004))) / 0.01) * 0.01)

    def gaps(self, rng: np.random.Generator) -> list[tuple[float, float, float]]:
        """Travel (mm), and what is free above and below the belt (mm, a loupe's twentieths), at five places."""
        out = []
        for k, at in enumerate((10.0, 60.0, 110.0, 160.0, 210.0)):
            low = max(0.0, self.flange_gap_mm + 0.03 * k + float(rng.normal(0, 0.02)))
            high = max(0.0, 1.0 - self.flange_gap_mm - 0.03 * k + float(rng.normal(0, 0.02)))
            out.append((at, round(high / 0.05) * 0.05, round(low / 0.05) * 0.05))
        return out


def press(
    tension_n: float, span_mm: float, stiffness_n: float, length_mm: float, rng: np.random.Generator
) -> list[tuple[float, float]]:
    """Forces (N) and deflections (mm) of a belt pressed at mid-span: F = 4 T d/L + 8 EA d^3/(L^2 length)."""
    out = []
    for share in (0.015, 0.02, 0.025, 0.03):
        d = max(0.5, round(share * span_mm / 0.5) * 0.5)
        force = 4 * tension_n * d / span_mm + 8 * stiffness_n * d**3 / (span_mm**2 * length_mm)
        out.append((round(max(0.1, force + float(rng.normal(0, 0.03))), 1), d))
    return out
