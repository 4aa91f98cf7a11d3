"""The stepped bar: four lengths and more of each kind for each axis, so that scale and wall come apart.

Of stairs lying along X and Y, and one standing: treads give outer lengths from the common end, windows inner ones, and from one tread to
another is a distance between faces that look the same way, in which no wall's width counts.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from .places import SheetPlace

Kind = Literal["outer", "inner", "centre"]

#: Lengths of the lying stairs' treads from their common end, and of the windows in the two longest (mm).
TREADS = (80.0, 60.0, 40.0, 20.0)
WINDOWS = (50.0, 25.0)
#: Heights of the standing stair's treads (mm).
HEIGHTS = (40.0, 30.0, 20.0, 10.0)


@dataclass(frozen=True)
class StepPlace:
    """One size of the bar."""

    axis: Literal["x", "y", "z"]
    feature: str
    kind: Kind
    nominal_mm: float

    def row(self) -> dict[str, float | str]:
        """What of a reading is known beforehand."""
        return {"axis": self.axis, "feature": self.feature, "kind": self.kind, "nominal_mm": self.nominal_mm}

    @property
    def words(self) -> str:
        """Where the caliper goes."""
        name = self.axis.upper()
        if self.kind == "outer":
            return f"{name}: over the {'height' if self.axis == 'z' else 'length'} of {self.nominal_mm:g}"
        if self.kind == "inner":
            return f"{name}: inside the window of {self.nominal_mm:g}"
        return f"{name}: tread to tread, {self.nominal_mm:g} deep"


def _places() -> tuple[StepPlace, ...]:
    out: list[StepPlace] = []
    for axis in ("x", "y"):
        out += [StepPlace(axis, f"tread {t:g}", "outer", t) for t in TREADS]
        out += [StepPlace(axis, f"window {w:g}", "inner", w) for w in WINDOWS]
        out += [StepPlace(axis, f"treads {a:g} to {TREADS[-1]:g}", "centre", a - TREADS[-1]) for a in TREADS[:-1]]
    out += [StepPlace("z", f"tread {h:g}", "outer", h) for h in HEIGHTS]
    out += [StepPlace("z", f"treads {h:g} to {HEIGHTS[-1]:g}", "centre", h - HEIGHTS[-1]) for h in HEIGHTS[:-1]]
    return tuple(out)


#: What is measured on it, in the order of its sheet.
PLACES = _places()


def sheet() -> list[SheetPlace]:
    """Its places as the measuring sheet has them."""
    return [SheetPlace(number=i, words=p.words, row=p.row()) for i, p in enumerate(PLACES, 1)]
