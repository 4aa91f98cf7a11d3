"""Test parts to print for a machine, and their measuring sheets."""

from __future__ import annotations

from typing import Literal

from django.http import HttpResponse
from kestov_core.errors import BadInput
from kestov_core.parts.designs import DESIGNS, extent
from kestov_core.procedures.base import Procedure
from measuring.parts import KINDS, FileKind, as_file, fit_for, part_for
from measuring.sheets import as_pdf, as_svg, sheet_of
from measuring.taking import measuring
from ninja import Router
from workshop.models import Printer

from .bench import the_printer
from .downloads import download
from .permissions import may
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["parts"])


class PartOut(Shape):
    """A test part for a machine: what it is for, its size (mm), where it is measured, and why it cannot be made here, if so."""

    name: str
    title: str
    words: str
    procedure: str | None
    place: str | None
    width_mm: float | None
    depth_mm: float | None
    places: int
    why_not: str


@router.get("/printers/{printer_id}/parts", auth=may("parts.list"), response=list[PartOut], operation_id="parts.list")
def list_parts(request: SignedIn, printer_id: int):
    """The test parts, as they would be made for this machine."""
    printer = the_printer(printer_id)
    return [_part(printer, name) for name in DESIGNS]


def _part(printer: Printer, name: str) -> PartOut:
    design, reads = DESIGNS[name], _reads(name)
    size: tuple[float | None, float | None] = (None, None)
    why, count = "", 0
    try:
        shape = part_for(printer, name)[1]
        x0, x1, y0, y1 = extent(shape.outlines)
        size, count = (round(x1 - x0, 1), round(y1 - y0, 1)), len(shape.places)
    except BadInput as e:
        why = e.message
    return PartOut(
        name=name,
        title=design.title,
        words=design.words,
        procedure=reads.name if reads is not None else None,
        place=_place(printer, reads),
        width_mm=size[0],
        depth_mm=size[1],
        places=count,
        why_not=why,
    )


def _reads(part: str) -> Procedure | None:
    """The procedure that reads a part; None where it is looked at by eye."""
    return next((p for p in measuring() if p.part == part), None)


def _place(printer: Printer, procedure: Procedure | None) -> str | None:
    """Where a procedure measures on this machine; None where it does not."""
    places = procedure.places(printer.motion()) if procedure is not None else ()
    return places[0] if places else None


@router.get("/printers/{printer_id}/parts/{name}.{kind}", auth=may("parts.take"), operation_id="parts.take")
def take_part(request: SignedIn, printer_id: int, name: str, kind: FileKind):
    """A test part to print, fitted to this machine: STL or 3MF, in mm."""
    printer = the_printer(printer_id)
    _, shape = part_for(printer, name)
    return download(as_file(shape, kind), KINDS[kind], f"{printer.name}-{name}.{kind}")


@router.get("/printers/{printer_id}/parts/{name}/sheet.{kind}", auth=may("parts.sheet"), operation_id="parts.sheet")
def take_sheet(request: SignedIn, printer_id: int, name: str, kind: Literal["pdf", "svg"]) -> HttpResponse:
    """A part's measuring sheet: its places numbered on a drawing, a box for each reading, a code that opens the page."""
    printer = the_printer(printer_id)
    design, shape = part_for(printer, name)
    reads = _reads(name)
    place = _place(printer, reads)
    path = f"/bench/{printer_id}"
    if reads is not None and place is not None:
        path += f"/{reads.name}/{place}"
    sheet = sheet_of(design, shape, printer.name, fit_for(printer).day, request.build_absolute_uri(path))
    if kind == "svg":
        return download(as_svg(sheet), "image/svg+xml", f"{printer.name}-{name}-sheet.svg")
    return download(as_pdf(sheet), "application/pdf", f"{printer.name}-{name}-sheet.pdf")
