"""What was changed on a machine after something was measured: the figure then says nothing of today."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from django.db.models import Q
from kestov_core import knowledge, procedures
from kestov_core.machine import AXES_OF_BELT, WHOLE, Description

from .models import Action, Capture, StoredValue


def since(capture: Capture, motion: Description) -> tuple[datetime, str] | None:
    """The newest change after a capture that puts it in doubt: when, and in words; None where there is none."""
    return max([*_set(capture), *_done(capture, motion)], default=None)


def _set(capture: Capture) -> Iterator[tuple[datetime, str]]:
    setting = procedures.get(capture.procedure).sets
    if setting is None:
        return
    rows = StoredValue.objects.filter(printer=capture.printer_id, name=f"{setting}_{capture.place}")
    for row in rows.filter(Q(at__gt=capture.taken_at) | Q(capture=capture)):
        yield row.at, f"{capture.place.upper()} was set to {row.value:g}{f' {row.unit}' if row.unit else ''}"


def _done(capture: Capture, motion: Description) -> Iterator[tuple[datetime, str]]:
    of_belt = procedures.get(capture.procedure).measures == "belt"
    for a in Action.objects.filter(printer=capture.printer_id, at__gt=capture.taken_at):
        if a.kind == "turn_tensioner":
            # Belt x and axis x are two places: a belt that was turned says nothing of a travel test.
            if of_belt and a.place == capture.place:
                yield a.at, f"belt {a.place.upper()} was turned"
            continue
        if a.kind == "turn":
            turned = procedures.get(a.procedure).turned
            if turned is not None and capture.procedure in turned.upsets:
                yield a.at, f"{a.target} was turned"
            continue
        fault = knowledge.faults().get(a.fault)
        if fault is not None and capture.procedure in fault.after and _reaches(motion, a.place, capture.place):
            yield a.at, f"a remedy was done ({fault.label.lower()})"


def _reaches(motion: Description, done_at: str, measured_at: str) -> bool:
    moved = AXES_OF_BELT[motion.kinematics].get(done_at, ())
    return done_at in ("", *WHOLE, measured_at) or measured_at in moved


def ago(then: float, moment: float) -> str:
    """A day as people say it; both in seconds since 1970."""
    days = int((moment - then) // 86400)
    if days < 1:
        return "today"
    if days < 14:
        return f"{days} days ago" if days > 1 else "yesterday"
    return f"{days // 7} weeks ago"
