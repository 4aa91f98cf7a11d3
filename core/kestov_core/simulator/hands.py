"""What hands do to figures: readings as people in a workshop take and type them, not as an instrument would.

Each habit changes a list of true-to-the-instrument readings. Units are the readings' own (mm, N).
"""

from __future__ import annotations

from typing import Literal, get_args

import numpy as np

Habit = Literal[
    "careful", "askew", "zero_off", "favourite_digits", "slip_of_a_digit", "typed_in_inches", "point_misplaced",
    "places_swapped", "another_spot",
]  # fmt: skip
HABITS: tuple[Habit, ...] = get_args(Habit)
#: The habits that spoil single figures: they are to be noticed and asked about, not averaged over.
SLIPS: tuple[Habit, ...] = ("slip_of_a_digit", "typed_in_inches", "point_misplaced")


def as_typed(readings: list[float], habit: Habit, step: float, rng: np.random.Generator) -> list[float]:
    """Readings as somebody with this habit types them.

    ``askew``: the instrument is not square to the part (up to 1.5 degrees, so it reads high); ``zero_off``: its zero is a
    step or two off for the whole sitting; ``favourite_digits``: rounded to fives of the last place but one; a slip of one
    digit; one typed in inches; one with the point misplaced; two swapped; one ``another_spot``: where the part differs.
    """
    out = [float(r) for r in readings]
    k = int(rng.integers(len(out)))
    if habit == "askew":
        angle = np.radians(rng.uniform(0, 1.5))
        out = [r / float(np.cos(angle)) for r in out]
    elif habit == "zero_off":
        off = float(rng.normal(0, 1.0)) * step
        out = [r + off for r in out]
    elif habit == "favourite_digits":
        out = [round(r / (5 * step)) * 5 * step for r in out]
    elif habit == "slip_of_a_digit":
        place = 10.0 ** int(np.floor(np.log10(max(abs(out[k]), 10 * step))) - rng.integers(1, 3))
        out[k] += place * float(rng.choice([-3, -2, -1, 1, 2, 3]))
    elif habit == "typed_in_inches":
        out[k] /= 25.4
    elif habit == "point_misplaced":
        out[k] *= float(rng.choice([0.1, 10.0]))
    elif habit == "places_swapped" and len(out) > 1:
        j = (k + 1) % len(out)
        out[k], out[j] = out[j], out[k]
    elif habit == "another_spot":
        out[k] += float(rng.normal(0, 5.0)) * step
    return [round(r / step) * step if habit not in SLIPS else r for r in out]
