"""What a machine stores and what puts it in doubt, as data: ``stored.toml`` and ``doubts.toml``, checked on load."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from ..errors import BadInput
from . import cards, events

_HERE = Path(__file__).parent
#: The places that each kind of stored value has, with the letter under which a machine prints it.
PLACES: dict[str, dict[str, str]] = {
    "drive": {"x": "X", "y": "Y", "z": "Z", "e": "E"},
    "axis": {"x": "X", "y": "Y", "z": "Z"},
    "side": {"x": "X", "y": "Y"},
    "plane": {"xy": "I", "xz": "J", "yz": "K"},
    "whole": {"": ""},
}
Words = Annotated[str, Field(min_length=3, max_length=160)]
Sentence = Annotated[str, Field(min_length=10, max_length=200)]


class _Read(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class StoredKind(_Read):
    """One kind of stored value (see the head of ``stored.toml``). ``prints``: decimals that it is printed
    with at the least, noughts at the end left out. ``feeds_more``, ``feeds_less``: what it means at the drive."""

    id: Annotated[str, Field(pattern=r"^[a-z][a-z_]*$", max_length=30)]
    label: Annotated[str, Field(min_length=3, max_length=60)]
    at: Literal["drive", "axis", "side", "plane", "whole"]
    kind: Literal["figure", "text"] = "figure"
    unit: str = ""
    low: float = 0.0
    high: float = 0.0
    word: Annotated[str, Field(pattern=r"^M[0-9]{1,4}$")] | None = None
    letter: Annotated[str, Field(pattern=r"^[A-Z]$")] | None = None
    flag: bool = False
    factor: float = 1.0
    digits: Annotated[int, Field(ge=0, le=6)] = 2
    prints: Annotated[int, Field(ge=0, le=6)] = 2
    more: Words | None = None
    less: Words | None = None
    off: Words | None = None
    feeds_more: Words | None = None
    feeds_less: Words | None = None
    measured_by: str | None = None

    @model_validator(mode="after")
    def _whole(self) -> StoredKind:
        if self.kind == "figure" and (not self.unit or self.low >= self.high or self.more is None or self.less is None):
            raise ValueError(f"{self.id}: a figure has a unit, bounds, and what more and less of it mean")
        if self.word and not self.letter and (self.at == "whole" or self.flag):
            raise ValueError(f"{self.id}: which letter of {self.word}?")
        return self


class Upset(_Read):
    """What was done, and what may no longer be believed after it (see the head of ``doubts.toml``)."""

    event: str
    words: Words
    at: bool = False
    measured: list[str] = []
    lost: list[str] = []
    stale: list[str] = []
    by_hand: list[Sentence] = []


Names = Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=80)]


class UpsetMended(_Read):
    """What an event puts in doubt, as a workshop has it; what is not told stays as it came. Titles are the words a person is told."""

    measured: Names | None = Field(default=None, title="what has to be measured again")
    lost: Names | None = Field(default=None, title="what the machine may have forgotten")
    stale: Names | None = Field(default=None, title="what may no longer fit")
    by_hand: Annotated[list[Sentence], Field(max_length=10)] | None = Field(
        default=None, title="what is looked at by hand"
    )


def table(mended: Mapping[str, UpsetMended]) -> Mapping[str, Upset]:
    """What each event puts in doubt, with what a workshop has changed.

    Raises
    ------
    BadInput
        ``out_of_range`` for an event, a procedure or a stored value that there is not.
    """
    out = dict(upsets())
    for event, told in mended.items():
        if event not in out:
            raise BadInput("out_of_range", f"“{event}” is no event that puts anything in doubt.", event)
        for field, known in (("measured", cards()), ("lost", stored_kinds()), ("stale", stored_kinds())):
            for i, name in enumerate(getattr(told, field) or []):
                if name not in known:
                    raise BadInput("out_of_range", f"“{name}” is not known here.", f"{field}.{i}")
        out[event] = out[event].model_copy(update=told.model_dump(exclude_none=True))
    return out


@cache
def stored_kinds() -> dict[str, StoredKind]:
    """All kinds of stored values by id, in the order of the sheet."""
    rows = tomllib.loads((_HERE / "stored.toml").read_text("utf-8"))["stored"]
    found = {k.id: k for k in map(StoredKind.model_validate, rows)}
    if len(found) != len(rows):
        raise ValueError("stored.toml names an id twice")
    for kind in found.values():
        if kind.measured_by is not None and kind.measured_by not in cards():
            raise ValueError(f"{kind.id} is measured by {kind.measured_by}, which is no procedure")
    return found


@cache
def upsets() -> dict[str, Upset]:
    """What each event puts in doubt, by the event."""
    rows = tomllib.loads((_HERE / "doubts.toml").read_text("utf-8"))["upset"]
    found = {u.event: u for u in map(Upset.model_validate, rows)}
    if len(found) != len(rows):
        raise ValueError("doubts.toml names an event twice")
    for upset in found.values():
        if upset.event not in events():
            raise ValueError(f"{upset.event} is no event that the diagnosis knows")
        for name in upset.measured:
            if name not in cards():
                raise ValueError(f"{upset.event} puts {name} in doubt, which is no procedure")
        for name in (*upset.lost, *upset.stale):
            if name not in stored_kinds():
                raise ValueError(f"{upset.event} puts {name} in doubt, which no machine stores")
    return found
