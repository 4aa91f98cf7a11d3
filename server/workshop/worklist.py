"""What wants somebody: each app registers its source, with how pressing it is. The floor's side draws from it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel


class Wanted(BaseModel):
    """Something that wants attention: words, why, and where it leads."""

    title: str
    why: str
    kind: Literal["case", "measure", "look", "instrument", "stored", "near_miss", "round", "told"]
    printer_id: int | None = None
    case_id: int | None = None
    instrument_id: int | None = None
    place: str | None = None
    procedure: str | None = None


@dataclass(frozen=True)
class Pressing:
    """How pressing something is. ``rank``: 0 is most pressing; then the older first."""

    rank: int
    since: datetime
    wanted: Wanted


#: ``machines``: what each machine on the floor is now, as `cases.machines` knows it.
Source = Callable[[Sequence[Any]], Iterable[Pressing]]
_sources: list[Source] = []


def register(source: Source) -> Source:
    """Let a source say what wants somebody."""
    if source not in _sources:
        _sources.append(source)
    return source


def wanted(machines: Sequence[Any], most: int) -> tuple[list[Wanted], int]:
    """What wants somebody, most pressing first: so many of them, and how many there are."""
    rows = sorted((w for source in _sources for w in source(machines)), key=lambda w: (w.rank, w.since))
    return [w.wanted for w in rows[:most]], len(rows)
