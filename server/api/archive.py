"""Everything of a machine, or of the workshop, in open formats; and a machine taken in from another workshop."""

from __future__ import annotations

import tempfile
from pathlib import Path

from django.http import FileResponse
from keeping import archive
from ninja import File, Form, Router, UploadedFile
from workshop.models import Printer

from .bench import the_printer
from .once import once_only
from .permissions import may
from .readings import read_upload
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["archive"])


class TakenIn(Shape):
    """The machine that was taken in, as it is called here."""

    printer_id: int
    name: str


def _sent(printer: Printer | None, name: str) -> FileResponse:
    # Unlinked at once: it lives as long as it is being sent.
    file = tempfile.TemporaryFile()  # noqa: SIM115 (it is closed when it has been sent)
    archive.write(file, printer)
    file.seek(0)
    return FileResponse(file, as_attachment=True, filename=name, content_type="application/zip")


@router.get("/archive", auth=may("archive.out"), operation_id="archive.out")
def out(request: SignedIn):
    """The whole workshop in open formats (docs/archive.md)."""
    return _sent(None, "workshop.kestov.zip")


@router.get("/printers/{printer_id}/archive", auth=may("archive.out"), operation_id="archive.machine")
def machine(request: SignedIn, printer_id: int):
    """A machine with its history in open formats, for another workshop."""
    printer = the_printer(printer_id)
    return _sent(printer, f"{''.join(c if c.isalnum() else '-' for c in printer.name)}.kestov.zip")


@router.post("/archive", auth=may("archive.take"), response=TakenIn, operation_id="archive.take")
def take_in(request: SignedIn, file: File[UploadedFile], name: Form[str] = "", area_id: Form[int | None] = None):
    """Take a machine in with its history, as another workshop wrote it. ``name``: another name for it here; ``area_id``: where it stands."""
    data = read_upload(file)

    def keep() -> TakenIn:
        with tempfile.TemporaryDirectory() as folder:
            there = Path(folder) / "archive"
            there.write_bytes(data)
            printer = archive.take_machine(request.user, there, name, area_id, most=archive.MOST_UNPACKED)
        return TakenIn(printer_id=printer.pk, name=printer.name)

    return once_only(request, keep)
