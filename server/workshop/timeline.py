"""What happened to a machine, told in one place: each app registers how its rows read.

The machine's record and a case's log draw from it, newest first, page by page.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any, Literal, TypeVar
from uuid import UUID

from django.db.models import F, Model, QuerySet, Value

Row = TypeVar("Row", bound=Model)
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
    """Of which machine, or of which case of it; of one place, where ``place`` is told. At most ``most`` of the newest,
    none newer than ``until``.
    """

    printer: int
    case: int | None = None
    kind: str = ""
    place: str = ""
    most: int = 50
    until: datetime | None = None

    def newest(self, rows: QuerySet[Row], at: str) -> QuerySet[Row]:
        """The rows that are asked for by their time, newest first."""
        if self.until is not None:
            rows = rows.filter(**{f"{at}__lte": self.until})
        return rows.order_by(f"-{at}", "-pk")[: self.most]


Source = Callable[[Asked], Iterable[Line]]
#: What a source tells of, each with the name of its time.
Times = Callable[[Asked], list[tuple[QuerySet[Any], str]]]
_sources: list[tuple[Source, Times | None]] = []


def register(times: Times | None = None) -> Callable[[Source], Source]:
    """Let a source tell its lines, newest first and not more than asked for; what is paged gives its times, too."""

    def keep(source: Source) -> Source:
        if all(source is not known for known, _ in _sources):
            _sources.append((source, times))
        return source

    return keep


def told(asked: Asked, page: int = 1) -> tuple[list[Line], bool]:
    """A page of lines, newest first, and whether older ones follow. Only the page's own rows are read whole."""
    size, offset = asked.most, (page - 1) * asked.most
    sources, skip = [source for source, _ in _sources], offset
    if asked.case is None:
        # What happened at the moment with which the page begins is told from its first line on: as a rule few lines before it.
        since = max(0, offset - size)
        newest = _newest(asked, since, offset + size + 1)
        if since and newest and newest[0][0] == newest[min(offset - since, len(newest) - 1)][0]:
            since, newest = 0, _newest(asked, 0, offset + size + 1)
        if len(newest) <= offset - since:
            return [], False
        begins, _ = newest[offset - since]
        skip = offset - since - next(i for i, (at, _) in enumerate(newest) if at == begins)
        asked = replace(asked, until=begins if page > 1 else asked.until)
        # Who tells nothing of this page is not asked.
        there = {k for _, k in newest[offset - since :]}
        sources = [source for k, (source, times) in enumerate(_sources) if times is None or k in there]
    wide = replace(asked, most=skip + size + 1)
    lines = [line for source in sources for line in source(wide)]
    # What happened at one moment stands in the order in which the sources tell it.
    lines.sort(key=lambda line: line.at, reverse=True)
    return lines[skip : skip + size], len(lines) > skip + size


def _newest(asked: Asked, since: int, until: int) -> list[tuple[datetime, int]]:
    """When the newest lines were, from one number to another, each with the number of the source that tells it."""
    rows = [
        rows.order_by(f"-{at}", "-pk").annotate(moment=F(at), teller=Value(k)).values_list("moment", "teller")[:until]
        for k, (_, times) in enumerate(_sources)
        if times is not None
        for rows, at in times(asked)
    ]
    # Of each source only as many as the page could want: what it costs does not grow with the age of the machine.
    return list(rows[0].union(*rows[1:], all=True).order_by("-moment")[since:until])
