"""What wants somebody: each app registers its source, with how pressing it is. The floor's side draws from it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from django.db.models import QuerySet, Value
from django.db.models.functions import JSONObject
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


#: Of a row, by the names that its source gave: what it wants. Moments are told as JSON tells them.
Told = Callable[[dict[str, Any]], Pressing]


@dataclass(frozen=True)
class _Few:
    rows: Callable[[], QuerySet[Any]]
    names: Mapping[str, str]
    told: Told


_few: list[_Few] = []


def few(rows: Callable[[], QuerySet[Any]], **names: str) -> Callable[[Told], Told]:
    """Let a source of a few rows say what each wants; ``names``: what it takes of a row, each with the path to it. All such sources are
    read at once.
    """

    def keep(told: Told) -> Told:
        if all(told is not known.told for known in _few):
            _few.append(_Few(rows, names, told))
        return told

    return keep


def wanted(machines: Sequence[Any], most: int) -> tuple[list[Wanted], int]:
    """What wants somebody, most pressing first: so many of them, and how many there are."""
    rows = [w for source in _sources for w in source(machines)] + _of_few()
    rows.sort(key=lambda w: (w.rank, w.since))
    return [w.wanted for w in rows[:most]], len(rows)


def _of_few() -> list[Pressing]:
    parts = [
        f.rows().annotate(which=Value(k), shown=JSONObject(**f.names)).values_list("which", "shown")
        for k, f in enumerate(_few)
    ]
    return [_few[k].told(row) for k, row in parts[0].union(*parts[1:], all=True)] if parts else []
