"""The settings ledger: what was set on a machine, what it was before, and the way back."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated
from uuid import UUID

from django.shortcuts import get_object_or_404
from measuring import ledger
from measuring.models import Capture, StoredValue
from ninja import Router, Schema
from people.models import name_of
from pydantic import Field
from workshop.models import Printer

from .bench import the_printer
from .once import once
from .permissions import may
from .signed import SignedIn

router = Router(tags=["ledger"])


class StoredIn(Schema):
    """A value that was set. ``was``: what stood there before, where the ledger does not know it."""

    # It goes into scripts of settings: a word and nothing else.
    name: Annotated[str, Field(max_length=40, pattern=r"^[a-z][a-z0-9_]*$")]
    value: Annotated[float, Field(ge=-1e9, le=1e9)]
    was: Annotated[float, Field(ge=-1e9, le=1e9)] | None = None
    unit: Annotated[str, Field(max_length=12)]
    reason: Annotated[str, Field(max_length=200)] = ""
    capture_id: UUID | None = None


class StoredOut(Schema):
    id: int
    name: str
    words: str
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
    return [
        StoredOut(
            id=e.row.pk,
            name=e.row.name,
            words=ledger.words(e.row.name),
            value=e.row.value,
            was=e.row.was,
            unit=e.row.unit,
            reason=e.row.reason,
            by=name_of(e.row.by),
            at=e.row.at,
            present=e.present,
            script=e.script,
        )
        for e in ledger.entries(printer)
    ]


@router.get(
    "/printers/{printer_id}/ledger", auth=may("ledger.see"), response=list[StoredOut], operation_id="ledger.see"
)
def see_ledger(request: SignedIn, printer_id: int):
    """All values set on a machine, newest first."""
    return ledger_of(the_printer(printer_id))


@router.post(
    "/printers/{printer_id}/ledger", auth=may("ledger.set"), response=list[StoredOut], operation_id="ledger.set"
)
@once
def set_value(request: SignedIn, printer_id: int, payload: StoredIn):
    """Write down a value that was set; the one before is kept beside it."""
    printer = the_printer(printer_id)
    capture = None
    if payload.capture_id is not None:
        capture = get_object_or_404(Capture, pk=payload.capture_id, printer=printer)
    p = payload
    ledger.set_value(printer, p.name, p.value, p.unit, request.user, p.was, p.reason, capture)
    return ledger_of(printer)


@router.post("/ledger/{row_id}/back", auth=may("ledger.set"), response=list[StoredOut], operation_id="ledger.back")
@once
def go_back(request: SignedIn, row_id: int):
    """Write down that the value of before was set again."""
    row = get_object_or_404(StoredValue.objects.select_related("printer"), pk=row_id)
    ledger.go_back(row, request.user)
    return ledger_of(row.printer)
