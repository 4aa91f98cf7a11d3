"""The settings ledger: what a machine has stored, whether it may be believed, what it was before, and the way back."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from kestov_core.condition.baseline import Plan
from kestov_core.condition.stored import MOST_CHARACTERS, HeldAgainst, Kept, all_stored
from measuring import ledger, stored_sheet
from measuring.models import Capture, ReadBack, StoredValue
from ninja import Router
from people.models import name_of
from pydantic import Field
from workshop.models import Printer

from .bench import the_printer
from .downloads import download
from .once import once
from .permissions import may
from .shapes import Shape
from .signed import SignedIn
from .still import still

router = Router(tags=["ledger"])
Stand = Literal["valid", "in_doubt", "superseded"]


class StoredIn(Shape):
    """A value that was set; ``text`` for one that is words. ``was``: what stood there before, where the ledger does not know it."""

    # It goes into scripts of settings: a word and nothing else.
    name: Annotated[str, Field(max_length=40, pattern=r"^[a-z][a-z0-9_]*$")]
    value: Annotated[float, Field(ge=-1e9, le=1e9)] | None = None
    text: Annotated[str, Field(max_length=2000)] = ""
    was: Annotated[float, Field(ge=-1e9, le=1e9)] | None = None
    unit: Annotated[str, Field(max_length=12)] = ""
    reason: Annotated[str, Field(max_length=200)] = ""
    capture_id: UUID | None = None


class StoredOut(Shape):
    """A row of the ledger. ``stand``: whether it may still be believed, and ``doubt``: what has overtaken it; ``lost``: the machine may
    have forgotten it, else it may no longer fit.
    """

    id: int
    name: str
    words: str
    value: float | None
    text: str
    was: float | None
    unit: str
    reason: str
    by: str
    at: datetime
    present: bool
    stand: Stand
    doubt: str
    lost: bool
    from_procedure: str | None
    script: str


class KindOut(Shape):
    """A value that a machine can store. ``digits``: decimals that it is written with; ``figure`` false: words."""

    name: str
    label: str
    unit: str
    figure: bool
    digits: int


class StoredSheet(Shape):
    """What stands now, in the order of the sheet, and what a machine can store at all."""

    stands: list[StoredOut]
    kinds: list[KindOut]


def ledger_of(printer: Printer) -> list[StoredOut]:
    """The ledger, newest first; ``present`` marks what stands now, ``script`` is the way back to the row's old value."""
    return [_row(e) for e in ledger.entries(printer)]


def _row(e: ledger.Entry) -> StoredOut:
    return StoredOut(
        id=e.row.pk,
        name=e.row.name,
        words=ledger.words(e.row.name),
        value=e.row.value,
        text=e.row.text,
        was=e.row.was,
        unit=e.row.unit,
        reason=e.row.reason,
        by=name_of(e.row.by),
        at=e.row.at,
        present=e.present,
        stand=e.stand,
        doubt=e.doubt,
        lost=e.lost,
        from_procedure=e.row.capture.procedure if e.row.capture else None,
        script=e.script,
    )


@router.get(
    "/printers/{printer_id}/ledger", auth=may("ledger.see"), response=list[StoredOut], operation_id="ledger.see"
)
def see_ledger(request: SignedIn, printer_id: int):
    """All values set on a machine, newest first."""
    return ledger_of(the_printer(printer_id))


@router.get("/printers/{printer_id}/stored", auth=may("ledger.see"), response=StoredSheet, operation_id="ledger.stored")
@still
def see_stored(request: SignedIn, printer_id: int):
    """What a machine should have stored now, and what it can store."""
    return _sheet(the_printer(printer_id))


def _sheet(printer: Printer) -> StoredSheet:
    kinds = [
        KindOut(
            name=s.name,
            label=s.label,
            unit=s.kind.unit,
            figure=s.kind.kind == "figure",
            digits=s.kind.digits,
        )
        for s in all_stored().values()
    ]
    return StoredSheet(stands=[_row(e) for e in ledger.standing(printer)], kinds=kinds)


@router.get("/printers/{printer_id}/stored.gcode", auth=may("ledger.see"), operation_id="ledger.script")
def stored_script(request: SignedIn, printer_id: int):
    """All that a machine should have stored, as a script that sets it: to be saved before a firmware change."""
    printer = the_printer(printer_id)
    return download(ledger.script(printer), "text/plain; charset=utf-8", f"{printer.name} stored.gcode")


@router.get("/printers/{printer_id}/stored.pdf", auth=may("ledger.see"), operation_id="ledger.sheet")
def stored_pdf(request: SignedIn, printer_id: int) -> HttpResponse:
    """The same as a sheet, with from what each value came and whether it may be believed."""
    printer = the_printer(printer_id)
    return download(stored_sheet.as_pdf(printer), "application/pdf", f"{printer.name} stored.pdf")


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
    ledger.set_value(printer, p.name, p.value, p.unit, request.user, p.was, p.reason, capture, p.text)
    return ledger_of(printer)


@router.post("/ledger/{row_id}/back", auth=may("ledger.set"), response=list[StoredOut], operation_id="ledger.back")
@once
def go_back(request: SignedIn, row_id: int):
    """Write down that the value of before was set again."""
    row = get_object_or_404(StoredValue.objects.select_related("printer"), pk=row_id)
    ledger.go_back(row, request.user)
    return ledger_of(row.printer)


class Printed(Shape):
    """What a machine prints of its settings, pasted. ``take``: values that the ledger takes over as the machine has them."""

    text: Annotated[str, Field(max_length=MOST_CHARACTERS)]
    take: Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=200)] = []


class LookedOut(Shape):
    """What was printed, each value beside the ledger, what differs first; the lines that were kept; the script that puts it back."""

    compared: list[HeldAgainst]
    kept: list[Kept]
    script: str


def _looked(found: ledger.Looked) -> LookedOut:
    return LookedOut(compared=found.compared, kept=found.settings.kept, script=found.script)


@router.post(
    "/printers/{printer_id}/stored/look", auth=may("ledger.see"), response=LookedOut, operation_id="ledger.look"
)
def look(request: SignedIn, printer_id: int, payload: Printed):
    """Hold what a machine prints against the ledger; nothing is written down."""
    return _looked(ledger.look(the_printer(printer_id), payload.text))


@router.post(
    "/printers/{printer_id}/stored/keep", auth=may("ledger.set"), response=LookedOut, operation_id="ledger.keep"
)
@once
def keep(request: SignedIn, printer_id: int, payload: Printed):
    """Keep what a machine prints: what agrees with the ledger is valid from now on."""
    return _looked(ledger.keep(the_printer(printer_id), payload.text, payload.take, request.user))


class ReadBackOut(Shape):
    """What a machine printed once, as it came: how many of the ledger's values it agreed with, and which it did not, in words."""

    id: int
    at: datetime
    who: str
    agreed: int
    differed: list[str]
    text: str


#: So many are told, the newest.
_READ_BACKS = 40


@router.get(
    "/printers/{printer_id}/read-backs",
    auth=may("ledger.see"),
    response=list[ReadBackOut],
    operation_id="ledger.read_backs",
)
def read_backs(request: SignedIn, printer_id: int):
    """What a machine printed before, newest first."""
    rows = ReadBack.objects.filter(printer=the_printer(printer_id)).select_related("by")[:_READ_BACKS]
    return [
        ReadBackOut(
            id=r.pk,
            at=r.at,
            who=name_of(r.by),
            agreed=len(r.agreed),
            differed=[ledger.words(n) for n in r.differed],
            text=r.text,
        )
        for r in rows
    ]


@router.get("/printers/{printer_id}/baseline", auth=may("ledger.see"), response=Plan, operation_id="ledger.baseline")
@still
def baseline(request: SignedIn, printer_id: int):
    """What is in doubt on a machine, and the way back in order: each step once, none that is not needed."""
    return ledger.plan(the_printer(printer_id))
