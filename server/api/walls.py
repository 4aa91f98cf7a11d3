"""Photographs of printed walls, and the photo ruler on them."""

from __future__ import annotations

import io

from django.conf import settings
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from kestov_core.machine import across
from kestov_core.signals.wall import Px, Rectangle, Ruler, WallMarks, WallMeasured, measure_wall
from measuring.models import WallPicture
from ninja import File, Router, Schema, UploadedFile
from people.clock import now

from .bench import the_printer
from .once import once
from .permissions import may
from .pictures import read_picture
from .problems import Problem
from .signed import SignedIn

router = Router(tags=["walls"])


class WallOut(Schema):
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
@once
def add_wall(request: SignedIn, printer_id: int, file: File[UploadedFile]):
    """Keep a picture of a wall (JPEG, PNG or WebP, up to 12 MB)."""
    printer = the_printer(printer_id)
    image, width, height = read_picture(file.read(settings.MAX_PICTURE + 1))
    wall = WallPicture.objects.create(
        printer=printer, image=image, kind="image/jpeg", width=width, height=height, by=request.user, at=now()
    )
    return _out(wall)


@router.post("/printers/{printer_id}/walls/made", auth=may("walls.add"), response=WallOut, operation_id="walls.made")
@once
def made_wall(request: SignedIn, printer_id: int, place: str = "x", lean_deg: float = 12.0):
    """A made picture of a wall along ``place`` that a simulated machine printed at 80 mm/s, aslant, with its marks set."""
    from kestov_core.simulator.instruments import wall_picture
    from kestov_core.simulator.machine import SimMachine
    from PIL import Image

    printer = the_printer(printer_id)
    if printer.simulated is None:
        raise Problem(409, "not_simulated", "This is a real machine: photograph its print.")
    machine = SimMachine.model_validate(printer.simulated)
    spacing = 80.0 / machine.axis(across(place) if place in ("x", "y") else place).modes[0].hz
    grey, points = wall_picture(spacing, lean_deg=max(-40.0, min(40.0, lean_deg)), seed=machine.seed)
    out = io.BytesIO()
    Image.fromarray(grey).save(out, "JPEG", quality=92)

    def px(name: str) -> list[Px]:
        return [Px(x=x, y=y) for x, y in points[name]]

    marks = WallMarks(
        line=px("line"),
        ruler=Ruler(ends=px("rule"), distance_mm=40),
        rectangle=Rectangle(corners=px("frame"), width_mm=60, height_mm=30),
    )
    wall = WallPicture.objects.create(
        printer=printer,
        image=out.getvalue(),
        kind="image/jpeg",
        width=grey.shape[1],
        height=grey.shape[0],
        marks=marks.model_dump(mode="json"),
        by=request.user,
        at=now(),
    )
    return _out(wall)


@router.get("/walls/{wall_id}/image", auth=may("walls.see"), operation_id="walls.image")
def wall_image(request: SignedIn, wall_id: int):
    """The picture itself."""
    wall = get_object_or_404(WallPicture, pk=wall_id)
    return HttpResponse(bytes(wall.image), content_type=wall.kind, headers={"Cache-Control": "private, max-age=86400"})


@router.post("/walls/{wall_id}/measure", auth=may("walls.measure"), response=WallOut, operation_id="walls.measure")
@once
def measure(request: SignedIn, wall_id: int, payload: WallMarks):
    """Measure the pattern along the marked line. What was marked last is kept with the picture."""
    import numpy as np
    from PIL import Image

    wall = get_object_or_404(WallPicture.objects.select_for_update(), pk=wall_id)
    with Image.open(io.BytesIO(bytes(wall.image))) as picture:
        grey = np.asarray(picture.convert("L"), dtype=float)
    found = measure_wall(grey, payload)
    wall.marks, wall.found = payload.model_dump(mode="json"), found.model_dump(mode="json")
    wall.save(update_fields=["marks", "found"])
    return _out(wall)
