"""Parts of the workshop's own: entered once with their places, taken along as sheets, measured on any machine."""

from __future__ import annotations

import base64
from typing import Annotated, Literal

from django.conf import settings
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from measuring import own_parts
from measuring.models import OwnPart
from measuring.own_parts import OwnPlace
from measuring.sheets import as_pdf, as_svg, own_sheet_of
from ninja import Field, File, Form, Router, UploadedFile
from people.clock import now
from people.models import name_of
from workshop.meshes import MOST_BYTES, View, drawn, read_mesh
from workshop.pictures import read_picture

from .bench import the_printer
from .downloads import download
from .once import once, once_only
from .parsing import parse_meta
from .permissions import may
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["parts"])


class OwnPartIn(Shape):
    """What is told of a part: its name, a line of words, its places in the order in which they are measured."""

    name: str = Field(min_length=1, max_length=60)
    words: str = Field("", max_length=300)
    places: Annotated[list[OwnPlace], Field(max_length=own_parts.MOST_PLACES)]


class OwnPartNew(OwnPartIn):
    """``view``: from where a model (STL) is drawn."""

    view: View = "top"


class OwnPartOut(OwnPartIn):
    """``procedure``: what reads it."""

    id: int
    procedure: str
    width: int
    height: int
    has_model: bool
    by: str


class ModelSeen(Shape):
    """A model as it is seen: a picture as an address of its own, and its size in points."""

    src: str
    width: int
    height: int


def _out(part: OwnPart) -> OwnPartOut:
    return OwnPartOut(
        id=part.pk,
        procedure=own_parts.reads_own().name,
        name=part.name,
        words=part.words,
        places=own_parts.places_of(part),
        width=part.width,
        height=part.height,
        has_model=part.mesh is not None,
        by=name_of(part.by),
    )


def _all() -> list[OwnPartOut]:
    rows = OwnPart.objects.filter(retired_at__isnull=True).defer("image").select_related("by")
    return [_out(p) for p in rows]


@router.get("/own-parts", auth=may("parts.list"), response=list[OwnPartOut], operation_id="own_parts.list")
def list_own(request: SignedIn):
    """The workshop's own parts."""
    return _all()


@router.post("/own-parts/look", auth=may("parts.own"), response=ModelSeen, operation_id="own_parts.look")
def look(request: SignedIn, file: File[UploadedFile], view: Form[View] = "top"):
    """A model (STL) as it is seen, to point at its places. Nothing is kept."""
    seen = drawn(read_mesh(file.read(MOST_BYTES + 1)), view)
    src = f"data:image/jpeg;base64,{base64.b64encode(seen.image).decode()}"
    return ModelSeen(src=src, width=seen.width, height=seen.height)


@router.post("/own-parts", auth=may("parts.own"), response=list[OwnPartOut], operation_id="own_parts.add")
def add(request: SignedIn, meta: Form[str], file: File[UploadedFile]):
    """Enter a part. ``file``: its picture (JPEG, PNG, WebP) or its model (STL). ``meta`` is an OwnPartNew as JSON."""
    told = parse_meta(meta, OwnPartNew)
    mesh = None
    if (file.name or "").lower().endswith(".stl"):
        mesh = file.read(MOST_BYTES + 1)
        seen = drawn(read_mesh(mesh), told.view)
    else:
        seen = read_picture(file.read(settings.MAX_PICTURE + 1))

    def keep() -> list[OwnPartOut]:
        own_parts.add(request.user, told.name, told.words, told.places, seen, mesh)
        return _all()

    return once_only(request, keep)


@router.post("/own-parts/{part_id}", auth=may("parts.own"), response=list[OwnPartOut], operation_id="own_parts.change")
@once
def change(request: SignedIn, part_id: int, payload: OwnPartIn):
    """Enter a part's words and places anew; what was measured stays as it is."""
    own_parts.change(request.user, part_id, payload.name, payload.words, payload.places)
    return _all()


@router.post(
    "/own-parts/{part_id}/retire", auth=may("parts.own"), response=list[OwnPartOut], operation_id="own_parts.retire"
)
@once
def retire(request: SignedIn, part_id: int):
    """Offer a part no longer."""
    own_parts.retire(request.user, part_id)
    return _all()


@router.get("/own-parts/{part_id}/picture", auth=may("parts.list"), operation_id="own_parts.picture")
def picture(request: SignedIn, part_id: int) -> HttpResponse:
    """A part's picture, or the drawing of its model, as JPEG."""
    part = get_object_or_404(OwnPart.objects.defer("mesh"), pk=part_id)
    headers = {"Cache-Control": "private, max-age=86400"}
    return HttpResponse(bytes(part.image), content_type="image/jpeg", headers=headers)


@router.get("/own-parts/{part_id}/model.stl", auth=may("parts.take"), operation_id="own_parts.model")
def model(request: SignedIn, part_id: int) -> HttpResponse:
    """A part's model, as it came."""
    part = get_object_or_404(OwnPart.objects.defer("image"), pk=part_id, mesh__isnull=False)
    return download(bytes(part.mesh or b""), "model/stl", f"{part.name}.stl")


@router.get(
    "/printers/{printer_id}/own-parts/{part_id}/sheet.{kind}", auth=may("parts.sheet"), operation_id="own_parts.sheet"
)
def sheet(request: SignedIn, printer_id: int, part_id: int, kind: Literal["pdf", "svg"]) -> HttpResponse:
    """A part's measuring sheet for a machine: places numbered on its picture, a box for each reading, a code that opens the page."""
    printer = the_printer(printer_id)
    part = get_object_or_404(OwnPart.objects.defer("mesh"), pk=part_id)
    reads = own_parts.reads_own()
    path = f"/bench/{printer_id}/{reads.name}/{reads.places(printer.motion())[0]}?part={part_id}"
    made = own_sheet_of(part, printer.name, f"{now():%Y-%m-%d}", request.build_absolute_uri(path))
    if kind == "svg":
        return download(as_svg(made), "image/svg+xml", f"{printer.name}-{part.name}-sheet.svg")
    return download(as_pdf(made), "application/pdf", f"{printer.name}-{part.name}-sheet.pdf")
