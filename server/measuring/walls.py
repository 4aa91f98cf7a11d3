"""Photographs of printed walls: keeping one, making one of a simulated print, and measuring its pattern."""

from __future__ import annotations

import io

from kestov_core.signals.wall import Px, Rectangle, Ruler, WallMarks, measure_wall
from people.clock import now
from people.models import User
from people.refusals import Refused
from workshop.models import Printer
from workshop.pictures import Taken

from .models import WallPicture
from .taking import simulated

#: How fast the made wall is printed (mm/s): fast enough to ring, slow enough that several ripples fit into it.
MADE_AT_MM_S = 80.0
#: How far aslant a made photograph may be (degrees): a hand holds a camera straighter.
MOST_ASLANT_DEG = 40.0


def keep(printer: Printer, taken: Taken, user: User) -> WallPicture:
    """Keep a picture that somebody took of a wall."""
    size = {"width": taken.width, "height": taken.height}
    return WallPicture.objects.create(printer=printer, image=taken.image, kind="image/jpeg", by=user, at=now(), **size)


def make(printer: Printer, place: str, lean_deg: float, user: User) -> WallPicture:
    """A made picture of a wall along ``place`` that a simulated machine printed, aslant, with its marks set."""
    from kestov_core.simulator.instruments import wall_picture
    from PIL import Image

    machine = simulated(printer)
    # A wall on which nothing swings is even: then so is its picture.
    spacing = machine.pattern_mm(place, MADE_AT_MM_S)
    lean = max(-MOST_ASLANT_DEG, min(MOST_ASLANT_DEG, lean_deg))
    grey, points = wall_picture(spacing or 2.0, depth=0.12 if spacing else 0.0, lean_deg=lean, seed=machine.seed)
    out = io.BytesIO()
    Image.fromarray(grey).save(out, "JPEG", quality=92)

    def px(name: str) -> list[Px]:
        return [Px(x=x, y=y) for x, y in points[name]]

    marks = WallMarks(
        line=px("line"),
        ruler=Ruler(ends=px("rule"), distance_mm=40),
        rectangle=Rectangle(corners=px("frame"), width_mm=60, height_mm=30),
    )
    return WallPicture.objects.create(
        printer=printer,
        image=out.getvalue(),
        kind="image/jpeg",
        width=grey.shape[1],
        height=grey.shape[0],
        marks=marks.model_dump(mode="json"),
        by=user,
        at=now(),
    )


def measure(wall_id: int, marks: WallMarks) -> WallPicture:
    """Measure the pattern along the marked line. What was marked last is kept with the picture."""
    import numpy as np
    from PIL import Image

    wall = WallPicture.objects.select_for_update().filter(pk=wall_id).first()
    if wall is None:
        raise Refused(404, "not_found", "There is no such picture; it may have been removed.")
    with Image.open(io.BytesIO(bytes(wall.image))) as picture:
        grey = np.asarray(picture.convert("L"), dtype=float)
    found = measure_wall(grey, marks)
    wall.marks, wall.found = marks.model_dump(mode="json"), found.model_dump(mode="json")
    wall.save(update_fields=["marks", "found"])
    return wall
