"""What was changed on a machine after something was measured: the figure then says nothing of today."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime

from django.db.models import Q
from kestov_core import procedures
from kestov_core.machine import Description

from .happened import Happening, happened
from .models import Capture, StoredValue


def since(
    capture: Capture, motion: Description, done: Sequence[Happening] | None = None
) -> tuple[datetime, str] | None:
    """The newest change after a capture that puts it in doubt: when, and in words; None where there is none.

    ``done``: all that was done to its machine, where that is known already.
    """
    rows = happened(capture.printer, capture.taken_at) if done is None else done
    overtaken = (
        (h.at, h.words)
        for h in rows
        if h.at > capture.taken_at and h.overtakes(motion, capture.procedure, capture.place)
    )
    return max([*_set(capture), *overtaken], default=None)


def _set(capture: Capture) -> Iterator[tuple[datetime, str]]:
    setting = procedures.get(capture.procedure).sets
    if setting is None:
        return
    rows = StoredValue.objects.filter(printer=capture.printer_id, name=f"{setting}_{capture.place}")
    for row in rows.filter(Q(at__gt=capture.taken_at) | Q(capture=capture)).exclude(value=None):
        yield row.at, f"{capture.place.upper()} was set to {row.value:g}{f' {row.unit}' if row.unit else ''}"


def ago(then: float, moment: float) -> str:
    """A day as people say it; both in seconds since 1970."""
    days = int((moment - then) // 86400)
    if days < 1:
        return "today"
    if days < 14:
        return f"{days} days ago" if days > 1 else "yesterday"
    return f"{days // 7} weeks ago"
