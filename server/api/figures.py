"""All figures as a table to take along: CSV or Parquet, for others' tools (docs/figures.md)."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, timedelta
from typing import Any, Literal

from django.utils import timezone
from measuring.figures import FigureRow, as_parquet, figures
from ninja import Query, Router
from people.clock import now

from .downloads import download, table
from .permissions import may
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["captures"])


class FiguresAsked(Shape):
    """From which day to which, both whole (the last year, where nothing is told); of one machine, or of all."""

    since: date | None = None
    until: date | None = None
    printer_id: int | None = None


@router.get("/figures.{kind}", auth=may("captures.export"), operation_id="captures.figures")
def take_along(request: SignedIn, kind: Literal["csv", "parquet"], asked: Query[FiguresAsked]):
    """All figures as a table: a row for each figure that was judged, with its uncertainty, unit, limits and verdict."""
    until = asked.until or timezone.localdate(now())
    since = asked.since or until - timedelta(days=365)
    rows, name = figures(since, until, asked.printer_id), f"figures-{since}-{until}.{kind}"
    if kind == "parquet":
        return download(as_parquet(rows), "application/vnd.apache.parquet", name)
    return table(_with_head(rows), name)


def _with_head(rows: Iterator[FigureRow]) -> Iterator[list[Any]]:
    yield list(FigureRow._fields)
    for r in rows:
        yield [r.taken_at.isoformat() if f == "taken_at" else v for f, v in zip(FigureRow._fields, r, strict=True)]
