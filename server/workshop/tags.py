"""The tag that takes a machine out of use, with its reason and who set it."""

from __future__ import annotations

from django.db.models import QuerySet
from django.dispatch import Signal
from people.clock import now
from people.models import AuditEntry, User, audit, name_of
from people.refusals import Refused
from people.telling import tell

from . import timeline
from .models import Event, Printer

#: Something was done to a machine, or happened to it: whoever measures it hears (``printer``).
something_happened = Signal()
#: Other parts sit in machines, or they were used more than was known: how long parts last is another now.
parts_or_use_changed = Signal()
#: A part is being fitted (``component``, ``user``, ``spare``: where it comes from): whoever keeps spares takes it out, or refuses.
part_fitted = Signal()


def locked(printer_id: int) -> Printer:
    """The machine, held against other writers; refused where there is none."""
    printer = Printer.objects.select_for_update(of=("self",)).select_related("model").filter(pk=printer_id).first()
    if printer is None:
        raise Refused(404, "not_found", "There is no such machine; it may have been removed.")
    tell("printer", printer.pk)
    return printer


def tag_out(printer: Printer, user: User, reason: str, how: str = "") -> None:
    """Take a machine out of use. ``how``: by what, where it was not by hand."""
    printer.tagged_out, printer.tagged_out_by, printer.tagged_out_at = reason.strip()[:200], user, now()
    printer.save(update_fields=["tagged_out", "tagged_out_by", "tagged_out_at"])
    audit(user, "tagged out", printer, f"Tagged out{how}: {printer.tagged_out}")


def lift(printer: Printer, user: User, verified: str = "") -> None:
    """Put a machine back in use. ``verified``: how it was made sure of that it may be, where that was not measured."""
    was = printer.tagged_out
    printer.tagged_out, printer.tagged_out_by, printer.tagged_out_at = "", None, None
    printer.save(update_fields=["tagged_out", "tagged_out_by", "tagged_out_at"])
    how = f" Made sure of by: {verified.strip()}" if verified.strip() else ""
    audit(user, "lifted the tag", printer, f"Tag lifted. It said: {was}{how}")


def happened(printer: Printer, event: str, days_ago: float, user: User, note: str, place: str = "") -> None:
    """Write down what was done to a machine, or happened to it, and where; an event that no fault knows is refused."""
    from datetime import timedelta

    from kestov_core import knowledge
    from kestov_core.machine import PLACES

    if event not in knowledge.events():
        raise Refused(422, "out_of_range", "Choose one of the listed events.", "event")
    if place and place not in PLACES:
        raise Refused(422, "out_of_range", f"“{place}” is no place of a machine.", "place")
    at = now() - timedelta(days=days_ago)
    Event.objects.create(printer=printer, event=event, place=place, at=at, by=user, note=note.strip())
    something_happened.send(sender=Event, printer=printer)


def _tagged(asked: timeline.Asked) -> QuerySet[AuditEntry]:
    rows = AuditEntry.objects.filter(what="printer", what_id=str(asked.printer), verb__contains="tag")
    return rows.none() if asked.place or asked.case is not None else rows


@timeline.register(lambda asked: [(_tagged(asked), "at")])
def _tags(asked: timeline.Asked) -> list[timeline.Line]:
    rows = asked.newest(_tagged(asked).select_related("who"), "at")
    return [timeline.Line(at=e.at, who=name_of(e.who), kind="tag", words=e.words) for e in rows]


def _happened(asked: timeline.Asked) -> QuerySet[Event]:
    rows = Event.objects.filter(printer=asked.printer)
    return rows.none() if asked.place or asked.case is not None else rows


@timeline.register(lambda asked: [(_happened(asked), "at")])
def _events(asked: timeline.Asked) -> list[timeline.Line]:
    return [
        timeline.Line(
            at=e.at,
            who=name_of(e.by),
            kind="happened",
            words=e.event.replace("_", " ").capitalize() + (f": {e.note}" if e.note else ""),
        )
        for e in asked.newest(_happened(asked).select_related("by"), "at")
    ]
