"""Where one machine differs from its model: another pulley after a repair, with date and reason."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.db.models import QuerySet
from kestov_core import procedures
from kestov_core.describing import SheetField, remarks, sheet
from kestov_core.machine import Description
from people.clock import now
from people.models import User, audit, name_of
from people.refusals import Refused

from . import timeline
from .models import Difference, Printer, put


def differ(printer: Printer, path: list[str | int], value: Any, since: date, reason: str, user: User) -> Difference:
    """Write down that a value differs on this machine; None: that it is as the model has it again.

    Refused where the description has no such place, and where the machine would make no sense with it.
    """
    if not reason.strip():
        raise Refused(422, "missing_field", "Say why it differs: who comes after you will wonder.", "reason")
    if since > now().date():
        raise Refused(422, "out_of_range", "It differs from that day on: not one to come.", "since")
    section, asked = _field(printer, path)
    rest = [row for row in printer.differs if row[0] != path]
    new = rest if value is None else [*rest, [path, value]]
    description = procedures.parse(Description, put(printer.model.description, new))
    for remark in remarks(description):
        if remark.grave and remark.path == path:
            raise Refused(422, "out_of_range", remark.words, "value")
    shown = "as its model" if value is None else f"{value}{f' {asked.unit}' if asked.unit else ''}"
    printer.differs = new
    printer.save(update_fields=["differs"])
    row = Difference.objects.create(
        printer=printer,
        path=path,
        words=f"{section}: {asked.title.lower()}"[:120],
        value=value,
        shown=shown[:80],
        since=since,
        reason=reason.strip(),
        by=user,
        at=now(),
    )
    audit(user, "changed", printer, f"{row.words} of {printer.name}: {shown}. {row.reason}")
    return row


def _field(printer: Printer, path: list[str | int]) -> tuple[str, SheetField]:
    for section in sheet(printer.motion()):
        for asked in section.fields:
            if asked.path == path:
                return section.title, asked
    raise Refused(422, "out_of_range", "A machine of this model has no such value.", "path")


def _differed(asked: timeline.Asked) -> QuerySet[Difference]:
    rows = Difference.objects.filter(printer=asked.printer)
    return rows.none() if asked.place or asked.case is not None else rows


@timeline.register(lambda asked: [(_differed(asked), "at")])
def _differences(asked: timeline.Asked) -> list[timeline.Line]:
    return [
        timeline.Line(
            at=r.at,
            who=name_of(r.by),
            kind="happened",
            words=f"Differs from its model. {r.words}: {r.shown} ({r.reason})",
        )
        for r in asked.newest(_differed(asked).select_related("by"), "at")
    ]
