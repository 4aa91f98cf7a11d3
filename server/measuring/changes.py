"""What was changed on a machine after something was measured: the figure then says nothing of today."""

from __future__ import annotations

from datetime import datetime

from cases.models import Action
from kestov_core import knowledge, procedures
from kestov_core.machine import AXES_OF_BELT
from people.clock import now
from workshop.models import Printer

from .models import Capture, StoredValue


class Changes:
    """The changes of one machine, read once: settings that were set, belts that were turned, remedies that were done."""

    def __init__(self, printer: Printer) -> None:
        self.printer = printer
        self.motion = printer.model.motion()
        self.settings = list(StoredValue.objects.filter(printer=printer).order_by("-at"))
        self.actions = list(Action.objects.filter(printer=printer).order_by("-at"))

    def since(self, capture: Capture) -> str:
        """The newest change after a capture that puts it in doubt, in words; empty where there is none."""
        found = [*self._set(capture), *self._done(capture)]
        if not found:
            return ""
        moment, words = max(found)
        return f"{words} {_ago(moment)}"

    def _set(self, capture: Capture) -> list[tuple[datetime, str]]:
        setting = procedures.get(capture.procedure).sets
        if setting is None:
            return []
        return [
            (row.at, f"{capture.place.upper()} was set to {row.value:g}{f' {row.unit}' if row.unit else ''}")
            for row in self.settings
            if row.name == f"{setting}_{capture.place}" and (row.at > capture.taken_at or row.capture_id == capture.pk)
        ]

    def _done(self, capture: Capture) -> list[tuple[datetime, str]]:
        out = []
        for a in self.actions:
            if a.at <= capture.taken_at:
                continue
            if a.kind == "turn_tensioner":
                if a.place == capture.place and capture.place in self.motion.belts():
                    out.append((a.at, f"belt {a.place.upper()} was turned"))
                continue
            fault = knowledge.faults().get(a.fault)
            if fault is not None and capture.procedure in fault.after and self._reaches(a.place, capture.place):
                out.append((a.at, f"a remedy was done ({fault.label.lower()})"))
        return out

    def _reaches(self, done_at: str, measured_at: str) -> bool:
        moved = AXES_OF_BELT[self.motion.kinematics].get(done_at, ())
        return done_at in ("", "all", "frame", "head", "bed", measured_at) or measured_at in moved


def _ago(moment: datetime) -> str:
    days = (now() - moment).days
    if days < 1:
        return "today"
    if days < 14:
        return f"{days} days ago" if days > 1 else "yesterday"
    return f"{days // 7} weeks ago"
