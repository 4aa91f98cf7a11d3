"""Captures as they were taken, and what the core made of them: seen, drawn, handed out, computed again."""

from __future__ import annotations

import csv
import io
import json
from typing import Literal
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.signals.views import SoundView
from measuring.models import Capture
from ninja import Router

from .once import once
from .permissions import may
from .problems import Problem
from .shapes import CaptureOut, capture_out

router = Router(tags=["captures"])


def _capture(capture_id: UUID) -> Capture:
    return get_object_or_404(Capture.objects.select_related("taken_by", "instrument", "printer"), pk=capture_id)


@router.get("/captures/{capture_id}", auth=may("captures.see"), response=CaptureOut, operation_id="captures.see")
def see_capture(request: HttpRequest, capture_id: UUID):
    """A capture with its newest result."""
    return capture_out(_capture(capture_id))


@router.get("/captures/{capture_id}/view", auth=may("captures.view"), response=SoundView, operation_id="captures.view")
def view_capture(request: HttpRequest, capture_id: UUID):
    """Waveform and spectrum of a recording, small enough to draw."""
    from kestov_core.readers import read_wav
    from kestov_core.signals.views import sound_view

    capture = _capture(capture_id)
    raw = capture.raw()
    result = capture.latest()
    if raw is None or result is None:
        raise Problem(404, "not_found", "This capture has no recording; its figures were typed.")
    used = [p["at_s"] for p in result.found["plucks"] if p["used"]]
    return sound_view(read_wav(raw), used, 7.5 * result.found["frequency"]["value"])


@router.get("/captures/{capture_id}/raw", auth=may("captures.raw"), operation_id="captures.raw")
def raw_capture(request: HttpRequest, capture_id: UUID):
    """The capture in its original form: the file, or the typed readings as JSON."""
    capture = _capture(capture_id)
    raw = capture.raw()
    name = f"{capture.printer.name}-{capture.place}-{capture.taken_at:%Y%m%d-%H%M%S}".replace(" ", "-")
    if raw is None:
        body, kind, ending = json.dumps(capture.context, indent=1).encode(), "application/json", "json"
    else:
        body, kind, ending = raw, "audio/wav", "wav"
    return HttpResponse(
        body, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}.{ending}"'}
    )


@router.get("/captures/{capture_id}/result.{kind}", auth=may("captures.export"), operation_id="captures.export")
def export_result(request: HttpRequest, capture_id: UUID, kind: Literal["json", "csv"]):
    """The result as JSON or as CSV (field, value, u95, unit)."""
    capture = _capture(capture_id)
    result = capture.latest()
    assert result is not None
    name = f'attachment; filename="result-{capture.id}.{kind}"'
    if kind == "json":
        return HttpResponse(
            capture_out(capture, result).model_dump_json(indent=1),
            content_type="application/json",
            headers={"Content-Disposition": name},
        )
    out = io.StringIO()
    rows = csv.writer(out)
    rows.writerow(["field", "value", "u95", "unit"])
    rows.writerow(["verdict", result.verdict, "", ""])
    for field, value in result.found.items():
        if isinstance(value, dict) and "value" in value:
            rows.writerow([field, value["value"], value.get("u95"), value.get("unit")])
        elif isinstance(value, (int, float, str)) and field != "verdict":
            rows.writerow([field, value, "", ""])
    return HttpResponse(out.getvalue(), content_type="text/csv; charset=utf-8", headers={"Content-Disposition": name})


@router.post(
    "/captures/{capture_id}/recompute",
    auth=may("captures.recompute"),
    response=CaptureOut,
    operation_id="captures.recompute",
)
@once
def recompute(request: HttpRequest, capture_id: UUID):
    """Compute a capture again with today's core; the older result stays."""
    capture = _capture(capture_id)
    try:
        return capture_out(capture, capture.compute())
    except BadInput as e:
        raise Problem(409, e.code, f"Today's core refuses this capture: {e.message}", e.field) from e


@router.get("/procedures", auth=may("bench.see"), operation_id="bench.procedures")
def list_procedures(request: HttpRequest):
    """The procedures of the core with the JSON Schemas of their input and result."""
    return [procedures.get(name).schema() for name in procedures.names()]
