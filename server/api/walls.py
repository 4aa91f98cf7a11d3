"""Photographs of printed walls, and the photo ruler on them."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from kestov_core.signals.wall import WallMarks, WallMeasured
from measuring import walls
from measuring.models import WallPicture
from ninja import File, Router, UploadedFile
from workshop.pictures import read_picture

from .bench import the_printer
from .once import once, once_only
from .permissions import may
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["walls"])


class WallOut(Shape):
    """A picture of a wall (its image at ``/api/walls/ID/image``), what was marked, and what came of it."""

    id: int
    printer_id: int
    width: int
    height: int
    marks: WallMarks | None
    found: WallMeasured | None


def _out(wall: WallPicture) -> WallOut:
    return WallOut(
        id=wall.pk,
        printer_id=wall.printer_id,
        width=wall.width,
        height=wall.height,
        marks=WallMarks.model_validate(wall.marks) if wall.marks else None,
        found=WallMeasured.model_validate(wall.found) if wall.found else None,
    )


@router.post("/printers/{printer_id}/walls", auth=may("walls.add"), response=WallOut, operation_id="walls.add")
def add_wall(request: SignedIn, printer_id: int, file: File[UploadedFile]):
    """Keep a picture of a wall (JPEG, PNG or WebP, up to 12 MB)."""
    printer, taken = the_printer(printer_id), read_picture(file.read(settings.MAX_PICTURE + 1))
    return once_only(request, lambda: _out(walls.keep(printer, taken, request.user)))


@router.post("/printers/{printer_id}/walls/made", auth=may("walls.add"), response=WallOut, operation_id="walls.made")
@once
def made_wall(request: SignedIn, printer_id: int, place: str = "x", lean_deg: float = 12.0):
    """A made picture of a wall along ``place`` that a simulated machine printed at 80 mm/s, aslant, with its marks set."""
    return _out(walls.make(the_printer(printer_id), place, lean_deg, request.user))


@router.get("/walls/{wall_id}/image", auth=may("walls.see"), operation_id="walls.image")
def wall_image(request: SignedIn, wall_id: int):
    """The picture itself."""
    wall = get_object_or_404(WallPicture, pk=wall_id)
    return HttpResponse(bytes(wall.image), content_type=wall.kind, headers={"Cache-Control": "private, max-age=86400"})


@router.post("/walls/{wall_id}/measure", auth=may("walls.measure"), response=WallOut, operation_id="walls.measure")
@once
def measure(request: SignedIn, wall_id: int, payload: WallMarks):
    """Measure the pattern along the marked line. What was marked last is kept with the picture."""
    return _out(walls.measure(wall_id, payload))
