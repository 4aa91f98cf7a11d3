"""Where on a part something is measured: numbered, named, with what it should be."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


class SheetPlace(BaseModel):
    """One place of a part: its number on the drawing, its words, and what of a reading is known beforehand."""

    model_config = ConfigDict(extra="forbid")

    number: int
    words: str
    row: dict[str, float | str] = {}


class DrawnPlace(SheetPlace):
    """A place on the drawing: what it should be (mm), and where it is measured (mm): from x, y to x, y."""

    nominal_mm: float
    line: tuple[float, float, float, float]
