"""Captures as they were taken, and what the core made of them: seen, drawn, handed out, computed again."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator
from typing import Any, Literal
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.signals.views import ShakenView, SoundView
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
    if capture.procedure != "belt-pluck":
        raise Problem(404, "not_found", "This capture is no recording of sound.")
    used = [p["at_s"] for p in result.found["plucks"] if p["used"]]
    return sound_view(read_wav(raw), used, 7.5 * result.found["frequency"]["value"])


@router.get(
    "/captures/{capture_id}/shaken", auth=may("captures.view"), response=ShakenView, operation_id="captures.shaken"
)
def view_shaken(request: HttpRequest, capture_id: UUID):
    """Time, and time against frequency, of an accelerometer's record, thinned out by least and greatest."""
    from kestov_core.procedures.resonance import ResonanceContext, even_samples
    from kestov_core.signals.views import shaken_view

    capture = _capture(capture_id)
    raw = capture.raw()
    if raw is None or capture.procedure != "resonance":
        raise Problem(404, "not_found", "This capture is no accelerometer's record.")
    context = ResonanceContext.model_validate(capture.context)
    return shaken_view(even_samples(context, raw), context.max_frequency_hz)


@router.get("/captures/{capture_id}/raw", auth=may("captures.raw"), operation_id="captures.raw")
def raw_capture(request: HttpRequest, capture_id: UUID):
    """The capture in its original form: the file, or the typed readings as JSON."""
    capture = _capture(capture_id)
    raw = capture.raw()
    name = f"{capture.printer.name}-{capture.place}-{capture.taken_at:%Y%m%d-%H%M%S}".replace(" ", "-")
    if raw is None:
        body, kind, ending = json.dumps(capture.context, indent=1).encode(), "application/json", "json"
    else:
        is_table = procedures.get(capture.procedure).data == "csv"
        body, kind, ending = (raw, "text/csv", "csv") if is_table else (raw, "audio/wav", "wav")
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
    for field, value, u95, unit in _figures(result.found):
        rows.writerow([field, value, u95, unit])
    return HttpResponse(out.getvalue(), content_type="text/csv; charset=utf-8", headers={"Content-Disposition": name})


def _figures(node: Any, path: str = "") -> Iterator[tuple[str, Any, Any, Any]]:
    """Every figure and word of a result with the path to it; verdict, advice and findings have their own place."""
    if isinstance(node, dict) and {"value", "unit"} <= set(node):
        yield path, node["value"], node.get("u95"), node["unit"]
    elif isinstance(node, dict):
        for name, value in node.items():
            if path or name not in ("verdict", "advice", "warnings", "findings"):
                yield from _figures(value, f"{path}.{name}" if path else name)
    elif isinstance(node, list) and len(node) > 24 and isinstance(node[0], float):
        return  # a curve: it is in the JSON, and drawn
    elif isinstance(node, list):
        for i, value in enumerate(node):
            yield from _figures(value, f"{path}.{i}")
    elif node is not None:
        yield path, node, "", ""


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
