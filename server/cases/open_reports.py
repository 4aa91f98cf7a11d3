"""Reports without an account: told by whoever stands at the machine, marked as such, counted when a technician has looked."""

from __future__ import annotations

import hashlib
from datetime import datetime, timedelta
from typing import Any

from django.conf import settings
from django.db import connection, transaction
from kestov_core import knowledge
from people.clock import now
from people.models import User, audit
from people.openness import must_be_open
from people.refusals import Refused
from work.kinds import sweeping
from workshop import worklist
from workshop.models import Printer
from workshop.worklist import Pressing, Wanted

from . import acts
from .models import Case, OpenReport

#: So many of one address, and of all, within an hour; what is asked of anyone without an account.
OF_ONE, OF_ALL, HOUR = 5, 60, timedelta(hours=1)
_ASKED = ("print", "machine", "circumstance", "danger")
#: What was looked at is kept so long.
_KEPT = timedelta(days=400)
_LISTED = 100


def asked() -> list[knowledge.FindingKind]:
    """What can be told without an account: what one sees or hears."""
    return [k for k in knowledge.findings().values() if k.group in _ASKED]


def machine(printer_id: int) -> Printer:
    """The machine that is told of; refused where reports without an account are not taken, or there is none such."""
    must_be_open("reports")
    found = Printer.objects.filter(pk=printer_id, retired=False).select_related("area").first()
    if found is None:
        raise Refused(404, "not_found", "There is no such machine; ask a technician.")
    return found


@transaction.atomic
def tell(printer_id: int, address: str, name: str, finding: str, words: str, since: str) -> OpenReport:
    """Write down what somebody without an account tells; refused where too many come from one address, or at all."""
    printer, name = machine(printer_id), name.strip()
    if not name:
        raise Refused(422, "missing_field", "Give your name, so that somebody can ask you.", "name")
    if finding not in {k.id for k in asked()}:
        raise Refused(422, "out_of_range", "Choose what you see or hear.", "finding")
    with connection.cursor() as cursor:
        # One after the other, so that none slips past the count.
        cursor.execute("SELECT pg_advisory_xact_lock(hashtext('open reports'))")
    hashed = hashlib.sha256(f"{settings.SECRET_KEY} {address}".encode()).hexdigest()
    of_late = OpenReport.objects.filter(at__gt=now() - HOUR)
    # Pressed twice, or sent again after a dropped line, it stays one.
    again = of_late.filter(address=hashed, printer=printer, name=name, finding=finding, looked_at=None).first()
    if again is not None:
        return again
    if of_late.count() >= OF_ALL or of_late.filter(address=hashed).count() >= OF_ONE:
        raise Refused(429, "too_many", "There have been many reports within the hour. Tell somebody of the workshop.")
    told = {"words": words.strip(), "since": since.strip(), "address": hashed, "at": now()}
    row = OpenReport.objects.create(printer=printer, name=name, finding=finding, **told)
    audit(None, "told", row, f"{name} (no account) told of {printer.name}: {knowledge.findings()[finding].label}")
    return row


def waiting() -> list[OpenReport]:
    """Those that nobody has looked at yet, the oldest first."""
    return list(OpenReport.objects.filter(looked_at=None).select_related("printer").order_by("at", "id")[:_LISTED])


def _held(report_id: int) -> OpenReport:
    row = OpenReport.objects.select_for_update(of=("self",)).select_related("printer").filter(pk=report_id).first()
    if row is None:
        raise Refused(404, "not_found", "There is no such report.")
    if row.looked_at is not None:
        raise Refused(409, "looked_already", "Somebody has looked at this report already.")
    row.looked_at = now()
    return row


@transaction.atomic
def count(report_id: int, user: User) -> Case:
    """It is so: a case is opened with it."""
    row = _held(report_id)
    words = f"{row.name} told it, without an account. {row.words}".strip()
    row.case, row.by = acts.report(row.printer, acts.Seen(row.finding), words, row.since, user), user
    row.save()
    return row.case


@transaction.atomic
def refuse(report_id: int, why_not: str, user: User) -> None:
    """It is not so, or nothing to look after."""
    row = _held(report_id)
    if not why_not.strip():
        raise Refused(422, "missing_field", "Say why it does not count.", "why_not")
    row.why_not, row.by = why_not.strip(), user
    row.save()
    audit(user, "looked at", row.printer, f"What {row.name} told of {row.printer.name} does not count: {row.why_not}")


@worklist.few(
    lambda: OpenReport.objects.filter(looked_at=None).order_by("at")[:5],
    at="at", finding="finding", name="name", printer="printer__name", printer_id="printer_id",
)  # fmt: skip
def _wanted(row: dict[str, Any]) -> Pressing:
    kind = knowledge.findings().get(row["finding"])
    what = Wanted(
        title=f"{row['printer']}: {kind.label if kind else row['finding']}",
        why=f"{row['name']} told it, without an account. Look, and say whether it counts.",
        kind="told",
        printer_id=row["printer_id"],
    )
    return Pressing(0, datetime.fromisoformat(row["at"]), what)


@sweeping
def forget() -> int:
    """Let go what was looked at long ago."""
    return OpenReport.objects.filter(looked_at__lt=now() - _KEPT).delete()[0]
