"""Simulated guides: how an axis slides, how stiff it is, and what a scale and an indicator read of it.

The dead band is the axis's own (`shaking.SimAxis`), so that a push and a shake tell of one machine.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

#: What the mode of a sound axis carries (kg): with its frequency it gives the stiffness that a slow push meets.
CARRIED_KG = 0.5


class SimGuide(BaseModel):
    """A guide: the force (N) that slides it along, and a place (mm) round which it takes ``tight_n`` more."""

    model_config = ConfigDict(extra="forbid")

    drag_n: Annotated[float, Field(gt=0)] = 1.5
    tight_at_mm: float = 100.0
    tight_n: Annotated[float, Field(ge=0)] = 0.0

    def force(self, at_mm: float) -> float:
        """What it takes to push it past a place (N)."""
        return self.drag_n + self.tight_n * math.exp(-(((at_mm - self.tight_at_mm) / 18) ** 2))


def made_guide(seed: int, place: str) -> SimGuide:
    """The guide of a machine of which nothing else is said: on one in three it binds somewhere."""
    truth = np.random.default_rng([seed, sum(place.encode())])
    return SimGuide(
        drag_n=truth.uniform(0.9, 2.4), tight_at_mm=truth.uniform(60, 150), tight_n=truth.choice([0.0, 0.0, 2.2])
    )


def stiffness(hz: float) -> float:
    """What a slow push meets (N/mm) on an axis that rings at ``hz``."""
    return CARRIED_KG * (2 * math.pi * hz) ** 2 / 1000


def pushed(
    forces_n: Sequence[float],
    gap_mm: float,
    k_push: float,
    k_pull: float,
    friction_n: float,
    noise_mm: float = 0.0,
    seed: int = 1,
) -> list[float]:
    """Where the head stands (mm) as it is pushed and pulled slowly: a dead band ``gap_mm``, a spring on either side (N/mm), and
    friction beside them, which holds until the force has changed by twice its own.
    """
    rng = np.random.default_rng(seed)
    spring, out = 0.0, []
    for force in forces_n:
        # What the springs feel is the force less what friction takes of it.
        spring = min(max(spring, force - friction_n), force + friction_n)
        half = gap_mm / 2
        x = (
            half + spring / k_push
            if spring > 0
            else -half + spring / k_pull
            if spring < 0
            else (half if force > 0 else -half)
        )
        out.append(x + float(rng.normal(0, noise_mm)) if noise_mm else x)
    return out
