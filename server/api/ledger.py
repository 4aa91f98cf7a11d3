"""The settings ledger: what was set on a machine, what it was before, and the way back."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated
from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from kestov_core.quantities import Finite
from measuring.models import Capture, StoredValue
from ninja import Router, Schema
from people.clock import now
from people.models import audit
from pydantic import Field
from workshop.models import Printer

from .bench import the_printer
from .once import once
from .permissions import may
from .problems import Problem
from .shapes import person

router = Router(tags=["ledger"])


class StoredIn(Schema):
    """A value that was set. ``was``: what stood there before, where the ledger does not know it."""

    name: Annotated[str, Field(min_length=1, max_length=40)]
    value: Finite
    was: Finite | None = None
    unit: Annotated[str, Field(max_length=12)]
    reason: Annotated[str, Field(max_length=200)] = ""
    capture_id: UUID | None = None


class StoredOut(Schema):
    id: int
    name: str
    value: float
    was: float | None
    unit: str
    reason: str
    by: str
    at: datetime
    present: bool
    script: str


def ledger_of(printer: Printer) -> list[StoredOut]:
    """The ledger, newest first; ``present`` marks what stands now, ``script`` is the way back to the row's old value."""
    from kestov_core.gcode import steps_script

    seen: set[str] = set()
    out = []
    for row in StoredValue.objects.filter(printer=printer).select_related("by"):
        present = row.name not in seen
        seen.add(row.name)
        axis = row.name.removeprefix("steps_")
        script = steps_script(axis, row.was) if row.name.startswith("steps_") and row.was is not None else ""
        out.append(
            StoredOut(
                id=row.pk,
                name=row.name,
                value=row.value,
                was=row.was,
                unit=row.unit,
                reason=row.reason,
                by=person(row.by),
                at=row.at,
                present=present,
                script=script,
            )
        )
    return out


@router.get(
    "/printers/{printer_id}/ledger", auth=may("ledger.see"), response=list[StoredOut], operation_id="ledger.see"
)
def see_ledger(request: HttpRequest, printer_id: int):
    """All values set on a machine, newest first."""
    return ledger_of(the_printer(printer_id))


@router.post(
    "/printers/{printer_id}/ledger", auth=may("ledger.set"), response=list[StoredOut], operation_id="ledger.set"
)
@once
def set_value(request: HttpRequest, printer_id: int, payload: StoredIn):
    """Write down a value that was set; the one before is kept beside it."""
    printer = the_printer(printer_id)
    capture = None
    if payload.capture_id is not None:
        capture = get_object_or_404(Capture, pk=payload.capture_id, printer=printer)
    _add(request, printer, payload.name, payload.value, payload.was, payload.unit, payload.reason.strip(), capture)
    return ledger_of(printer)


@router.post("/ledger/{row_id}/back", auth=may("ledger.set"), response=list[StoredOut], operation_id="ledger.back")
@once
def go_back(request: HttpRequest, row_id: int):
    """Write down that the value of before was set again."""
    row = get_object_or_404(StoredValue.objects.select_related("printer"), pk=row_id)
    if row.was is None:
        raise Problem(409, "nothing_before", "The ledger does not know what it was before.")
    _add(request, row.printer, row.name, row.was, None, row.unit, f"Back to what it was before {row.at:%-d %B}.", None)
    return ledger_of(row.printer)


def _add(
    request: HttpRequest,
    printer: Printer,
    name: str,
    value: float,
    was: float | None,
    unit: str,
    reason: str,
    capture: Capture | None,
) -> None:
    # Two writers of one value wait for each other: what it was before is then true.
    Printer.objects.select_for_update().get(pk=printer.pk)
    last = StoredValue.objects.filter(printer=printer, name=name).first()
    before = last.value if last is not None else was
    StoredValue.objects.create(
        printer=printer,
        name=name,
        value=value,
        was=before,
        unit=unit,
        reason=reason,
        capture=capture,
        by=request.user,
        at=now(),
    )
    audit(request.user, "set", printer, f"{name.replace('_', ' ')} of {printer.name}: {value:g} {unit}".strip() + ".")
