"""Test parts for a machine: fitted to its bed, nozzle and limits, as files to print."""

from __future__ import annotations

from typing import Literal, cast

from kestov_core.parts.designs import DESIGNS, Design, Fitted, PartShape, made
from kestov_core.procedures.squareness import LEAN_LIMIT
from people.clock import now
from workshop.models import Limit, Printer

FileKind = Literal["stl", "3mf"]
#: What a browser and a slicer know them by.
KINDS: dict[FileKind, str] = {"stl": "model/stl", "3mf": "model/3mf"}


def fit_for(printer: Printer) -> Fitted:
    """What a part is made to fit: this machine's bed and nozzle where its model tells them, and the workshop's limit of lean."""
    motion = printer.motion()
    bed, travel = motion.bed, motion.travel

    def size(told: float | None, axis: Literal["x", "y"]) -> float:
        ends = travel.get(axis)
        return told or (ends.high_mm - ends.low_mm if ends is not None else 200.0)

    limit = Limit.objects.filter(model=printer.model, what=LEAN_LIMIT).first()
    return Fitted(
        width_mm=size(bed.width_mm if bed else None, "x"),
        depth_mm=size(bed.depth_mm if bed else None, "y"),
        nozzle_mm=motion.hot_end.nozzle_mm if motion.hot_end else 0.4,
        lean_limit=limit.high if limit is not None and limit.high else 0.1,
        machine=printer.name,
        day=f"{now():%Y-%m-%d}",
    )


def part_for(printer: Printer, name: str) -> tuple[Design, PartShape]:
    """A part made for a machine. Raises the core's `BadInput`: no such part, or a bed too small for it."""
    shape = made(name, fit_for(printer))
    return DESIGNS[name], shape


def as_file(shape: PartShape, kind: FileKind) -> bytes:
    """The part as STL or 3MF, in mm."""
    import trimesh

    mesh = trimesh.Trimesh(shape.mesh.vertices, shape.mesh.faces, process=False)
    mesh.units = "mm"
    return cast(bytes, mesh.export(file_type=kind))
