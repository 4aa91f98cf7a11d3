"""What happened to a machine, told in one place: each app registers how its rows read.

The machine's record and a case's log draw from it, newest first, page by page.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Literal
from uuid import UUID

Kind = Literal["reported", "comment", "measured", "turned", "seen", "closed", "picture", "tag", "happened"]


@dataclass(frozen=True)
class Line:
    """One thing that happened: when, by whom, in words; where on the machine, and what it leads to."""

    at: datetime
    who: str
    kind: Kind
    words: str
    place: str = "all"
    case_id: int | None = None
    capture_id: UUID | None = None


@dataclass(frozen=True)
class Asked:
    """Of which machine, or of which case of it; of one place, where ``place`` is told. At most ``most`` of the newest."""

    printer: int
    case: int | None = None
    kind: str = ""
    place: str = ""
    most: int = 50


Source = Callable[[Asked], Iterable[Line]]
_sources: list[Source] = []


def register(source: Source) -> Source:
    """Let a source tell its lines, newest first and not more than asked for."""
    if source not in _sources:
        _sources.append(source)
    return source


def told(asked: Asked, page: int = 1) -> tuple[list[Line], bool]:
    """A page of lines, newest first, and whether older ones follow."""
    size = asked.most
    wide = Asked(asked.printer, asked.case, asked.kind, asked.place, page * size + 1)
    lines = [line for source in _sources for line in source(wide)]
    # What happened at one moment stands in the order in which the sources tell it.
    lines.sort(key=lambda line: line.at, reverse=True)
    return lines[(page - 1) * size : page * size], len(lines) > page * size
