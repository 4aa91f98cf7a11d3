"""What machines are made of, as data: ``part_kinds.toml``, checked on load."""

from __future__ import annotations

import tomllib
from functools import cache
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from ..machine import GuideKind
from . import cards, events, faults

_HERE = Path(__file__).parent
Deed = Literal["adjust", "lubricate", "replace"]


class PartKind(BaseModel):
    """One kind of part (see the head of ``part_kinds.toml``)."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    id: Annotated[str, Field(pattern=r"^[a-z][a-z_]*$", max_length=30)]
    label: Annotated[str, Field(min_length=3, max_length=40)]
    at: Literal["belt", "motor", "guide", "screw", "head", "bed", "frame", "e", "all"]
    guides: list[GuideKind] = []
    life_hours: Annotated[float, Field(gt=0, le=1e5)] | None = None
    can: Annotated[list[Deed], Field(min_length=1)]
    adjusted: str | None = None
    replaced: str | None = None
    told_by: list[str] = []
    lubricant: Annotated[str, Field(max_length=200)] = ""
    stuff: Annotated[str, Field(max_length=40)] = ""
    look: Annotated[str, Field(min_length=5, max_length=200)]
    faults: list[str]


@cache
def part_kinds() -> dict[str, PartKind]:
    """All kinds of parts by id, in the order in which they are told."""
    rows = tomllib.loads((_HERE / "part_kinds.toml").read_text("utf-8"))["part"]
    found = {k.id: k for k in map(PartKind.model_validate, rows)}
    if len(found) != len(rows):
        raise ValueError("part_kinds.toml names an id twice")
    for kind in found.values():
        for event in (kind.adjusted, kind.replaced):
            if event is not None and event not in events():
                raise ValueError(f"{kind.id}: {event} is no event that the diagnosis knows")
        for fault in kind.faults:
            if fault not in faults():
                raise ValueError(f"{kind.id} is to blame for {fault}, which is no fault")
        for name in kind.told_by:
            if name not in cards():
                raise ValueError(f"{kind.id} is told by {name}, which is no procedure")
        if "lubricate" in kind.can and not kind.lubricant:
            raise ValueError(f"{kind.id} is lubricated: with what?")
        if kind.stuff and "lubricate" not in kind.can:
            raise ValueError(f"{kind.id} is not lubricated: what is {kind.stuff} fetched for?")
    return found
