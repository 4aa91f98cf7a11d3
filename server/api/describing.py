"""Models of printers described in full, exchanged as files, and where one machine differs from its model."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any

from django.shortcuts import get_object_or_404
from kestov_core import procedures
from kestov_core.describing import Lack, Remark, Section, lacks, remarks, sheet, typical
from kestov_core.machine import Description, Kinematics
from ninja import Field, File, Form, Router, UploadedFile
from people.models import name_of
from workshop import adding, differences, tags
from workshop.models import Printer, PrinterModel

from .downloads import download
from .once import once
from .permissions import may
from .shapes import Shape
from .signed import SignedIn
from .workshop import Workshop, the_workshop

router = Router(tags=["workshop"])


class SheetOut(Shape):
    """All that may be told of a machine, part by part; what makes no sense, and what measurements would lack."""

    sections: list[Section]
    remarks: list[Remark]
    lacks: list[Lack]


class Draft(Shape):
    """A description in the making: what is told so far."""

    description: dict[str, Any]


@router.get("/workshop/sheet", auth=may("workshop.see"), response=SheetOut, operation_id="workshop.typical")
def typical_sheet(request: SignedIn, kinematics: Kinematics):
    """A typical machine of its kinematics, to begin with."""
    return _sheet(typical(kinematics))


@router.post("/workshop/sheet", auth=may("workshop.see"), response=SheetOut, operation_id="workshop.check")
def check(request: SignedIn, payload: Draft):
    """See whether a description makes sense, as it is typed. Nothing is kept."""
    return _sheet(procedures.parse(Description, payload.description))


def _sheet(description: Description) -> SheetOut:
    return SheetOut(sections=sheet(description), remarks=remarks(description), lacks=lacks(description))


class TypicalOut(Shape):
    """A typical machine: what a description begins with."""

    description: dict[str, Any]


@router.get("/workshop/typical", auth=may("workshop.see"), response=TypicalOut, operation_id="workshop.begin")
def begin(request: SignedIn, kinematics: Kinematics):
    """What a description of this kinematics begins with."""
    return TypicalOut(description=typical(kinematics).model_dump(mode="json", exclude_none=True, exclude_unset=True))


@router.get("/workshop/models/{model_id}/file", auth=may("workshop.see"), operation_id="workshop.model_file")
def model_file(request: SignedIn, model_id: int):
    """A model as one JSON file, for another workshop (docs/models.md)."""
    model = get_object_or_404(PrinterModel.objects.prefetch_related("limits"), pk=model_id)
    file = adding.as_file(model)
    text = file.model_dump_json(indent=1, exclude_none=True)
    return download(text, "application/json", f"{model.name.lower()}.model.json")


@router.post("/workshop/model-file", auth=may("workshop.change"), response=Workshop, operation_id="workshop.take_model")
@once
def take_model(request: SignedIn, file: File[UploadedFile], name: Form[str] = ""):
    """Take a model that another workshop has described. ``name``: another name for it here."""
    adding.take_file(request.user, file.read(adding.MOST_FILE_BYTES + 1), name)
    return the_workshop()


class DifferenceIn(Shape):
    """A value in which this machine differs from its model; ``value`` null: it is as the model has it again."""

    path: Annotated[list[str | int], Field(min_length=1, max_length=6)]
    value: float | bool | Annotated[str, Field(max_length=80)] | None
    since: date
    reason: str = Field(max_length=200)


class DifferenceOut(Shape):
    words: str
    shown: str
    since: date
    reason: str
    by: str
    at: datetime


class PrinterSheet(Shape):
    """What a machine is, part by part, and where it differs from its model."""

    sections: list[Section]
    lacks: list[Lack]
    differs: list[list[str | int]]
    differences: list[DifferenceOut]


@router.get(
    "/printers/{printer_id}/sheet", auth=may("printer.sheet"), response=PrinterSheet, operation_id="printer.sheet"
)
def printer_sheet(request: SignedIn, printer_id: int):
    """What a machine is, with where it differs from its model."""
    printer = get_object_or_404(Printer.objects.select_related("model"), pk=printer_id)
    motion = printer.motion()
    return PrinterSheet(
        sections=sheet(motion),
        lacks=lacks(motion),
        differs=[path for path, _ in printer.differs],
        differences=[
            DifferenceOut(words=d.words, shown=d.shown, since=d.since, reason=d.reason, by=name_of(d.by), at=d.at)
            for d in printer.differences.select_related("by")[:100]
        ],
    )


@router.post(
    "/printers/{printer_id}/differences",
    auth=may("printer.differ"),
    response=PrinterSheet,
    operation_id="printer.differ",
)
@once
def differ(request: SignedIn, printer_id: int, payload: DifferenceIn):
    """Write down that a single value differs on this machine, since when and why."""
    printer = tags.locked(printer_id)
    differences.differ(printer, payload.path, payload.value, payload.since, payload.reason, request.user)
    return printer_sheet(request, printer_id)
