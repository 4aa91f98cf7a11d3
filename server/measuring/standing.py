"""Standings: for each place and procedure of a machine its newest result, kept in the transaction that stores one.

Floor, machine and work list read these, never the history: a page's cost does not grow with the age of the workshop.
`rebuild` makes them all anew from the captures; both ways give the same.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from datetime import timedelta
from typing import Any

from kestov_core import procedures
from people.clock import now
from people.telling import tell
from workshop.models import Printer

from . import changes, trend
from .happened import happened
from .models import Capture, Result, Standing

#: How far back it counts how often a place was lost again.
_LOOK_BACK = timedelta(days=183)


def refresh(printer: Printer, place: str, procedure: str) -> None:
    """Set one standing from the captures of its place and procedure; none where none is left."""
    tell("printer", printer.pk)
    mine = Capture.objects.filter(printer=printer, place=place, procedure=procedure).current()
    capture = mine.defer("data").order_by("-taken_at").first()
    result = Result.objects.filter(capture=capture).order_by("-computed_at").first() if capture else None
    if capture is None or result is None:
        Standing.objects.filter(printer=printer, place=place, procedure=procedure).delete()
        return
    changed = changes.since(capture, printer.motion())
    judged = _decisive(result)
    limits, quantity = judged.get("limits") or {}, judged.get("quantity") or {}
    Standing.objects.update_or_create(
        printer=printer,
        place=place,
        procedure=procedure,
        defaults={
            "capture": capture,
            "taken_at": capture.taken_at,
            "verdict": result.verdict,
            "words": judged.get("words", "")[:120],
            "value": quantity.get("value", result.value),
            "u95": quantity.get("u95", result.u95),
            "unit": quantity.get("unit", result.unit),
            "low": limits.get("low"),
            "high": limits.get("high"),
            "source": judged.get("source_of_limits", "")[:12],
            "lost": _lost(printer, place, procedure) if result.verdict == "out_of_tolerance" else 0,
            "doubt": changed[1][:160] if changed else "",
            "doubt_at": changed[0] if changed else None,
        },
    )
    _look_ahead(printer, place, procedure)


def _look_ahead(printer: Printer, place: str, procedure: str) -> None:
    """When its course may reach a limit; kept, so that no page reads the history for it."""
    at = trend.reached_on(printer, place, procedure)
    Standing.objects.filter(printer=printer, place=place, procedure=procedure).update(reaches_at=at)


def _decisive(result: Result) -> dict[str, Any]:
    """The figure that the verdict rests on: the first that was judged as the whole; else the headline."""
    judged: list[dict[str, Any]] = result.found.get("judged") or []
    return next((j for j in judged if j["verdict"] == result.verdict and j.get("limits")), (judged or [{}])[0])


def _lost(printer: Printer, place: str, procedure: str) -> int:
    """How often in the last half year this went from within its limits to outside, by all that tells the same of the place.

    Only of the same kind of place: a travel test that failed on axis x is no loss of belt x.
    """
    gives = procedures.get(procedure).gives
    alike = procedures.giving(gives) if gives else (procedure,)
    counted = Capture.objects.filter(
        printer=printer, place=place, procedure__in=alike, taken_at__gte=now() - _LOOK_BACK
    ).current()
    rows = Result.objects.filter(capture__in=counted).order_by("capture__taken_at", "computed_at")
    newest: dict[Any, str] = {c: v for c, v in rows.values_list("capture", "verdict")}
    held = ("in_tolerance", "watch")
    return sum(1 for a, b in itertools.pairwise(newest.values()) if a in held and b == "out_of_tolerance")


def changed(printer: Printer) -> None:
    """Something was turned, mended, set or done on a machine: see which standings that overtakes."""
    tell("printer", printer.pk)
    motion, done = printer.motion(), happened(printer)
    for row in Standing.objects.filter(printer=printer).select_related("capture").defer("capture__data"):
        found = changes.since(row.capture, motion, done)
        doubt, at = (found[1][:160], found[0]) if found else ("", None)
        if (doubt, at) != (row.doubt, row.doubt_at):
            row.doubt, row.doubt_at = doubt, at
            row.save(update_fields=["doubt", "doubt_at"])
            _look_ahead(printer, row.place, row.procedure)


def rebuild(printers: Sequence[Printer] | None = None) -> int:
    """Make all standings anew from the captures; gives how many there are."""
    every = Printer.objects.select_related("model") if printers is None else printers
    count = 0
    for printer in every:
        Standing.objects.filter(printer=printer).delete()
        kinds = Capture.objects.filter(printer=printer).order_by().values_list("place", "procedure").distinct()
        for place, procedure in kinds:
            refresh(printer, place, procedure)
            count += 1
    return count
