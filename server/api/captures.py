"""Captures as they were taken, and what the core made of them: seen, drawn, handed out, computed again."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any, Literal
from uuid import UUID

from django.shortcuts import get_object_or_404
from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.signals.views import ShakenView, SoundView
from measuring.models import Capture
from ninja import Router

from .downloads import download, table
from .once import once
from .permissions import may
from .problems import Problem
from .readings import script
from .shapes import CaptureOut, capture_out
from .signed import SignedIn

router = Router(tags=["captures"])


def _capture(capture_id: UUID) -> Capture:
    return get_object_or_404(Capture.objects.select_related("taken_by", "instrument", "printer"), pk=capture_id)


@router.get("/captures/{capture_id}", auth=may("captures.see"), response=CaptureOut, operation_id="captures.see")
def see_capture(request: SignedIn, capture_id: UUID):
    """A capture with its newest result."""
    return capture_out(_capture(capture_id))


@router.get(
    "/captures/{capture_id}/view",
    auth=may("captures.view"),
    response=SoundView | ShakenView,
    operation_id="captures.view",
)
def view_capture(request: SignedIn, capture_id: UUID):
    """What a capture's drawing shows beside its result: a recording thinned out, small enough to draw."""
    capture = _capture(capture_id)
    data, result = capture.table(), capture.latest()
    procedure = procedures.get(capture.procedure)
    if data is None or result is None or procedure.view is None:
        raise Problem(404, "not_found", "This capture has no recording; its figures were typed.")
    return procedure.view(procedures.parse(procedure.context, capture.context), data, result.found)


#: So many earlier captures are told beside one.
EARLIER = 8


@router.get(
    "/captures/{capture_id}/earlier",
    auth=may("captures.earlier"),
    response=list[CaptureOut],
    operation_id="captures.earlier",
)
def earlier(request: SignedIn, capture_id: UUID):
    """The newest captures that this procedure took at this place before, the newest first."""
    capture = _capture(capture_id)
    rows = Capture.objects.filter(
        printer=capture.printer_id, place=capture.place, procedure=capture.procedure, taken_at__lt=capture.taken_at
    )
    rows = rows.current().defer("data").select_related("taken_by", "instrument").prefetch_related("results")
    return [capture_out(c) for c in rows[:EARLIER] if c.latest() is not None]


@router.get("/captures/{capture_id}/steps.gcode", auth=may("measure.program"), operation_id="measure.steps_script")
def steps_script(request: SignedIn, capture_id: UUID):
    """The script that sets, stores and reads back what a travel test came to."""
    capture = _capture(capture_id)
    result = capture.latest()
    if result is None or "script" not in result.found:
        raise Problem(404, "not_found", "This capture has come to nothing that could be set.")
    return script(result.found["script"]["gcode"], f"steps-{capture.place}")


@router.get("/captures/{capture_id}/raw", auth=may("captures.raw"), operation_id="captures.raw")
def raw_capture(request: SignedIn, capture_id: UUID):
    """The capture in its original form: the file, or the typed readings as JSON."""
    capture = _capture(capture_id)
    raw = capture.raw()
    name = f"{capture.printer.name}-{capture.place}-{capture.taken_at:%Y%m%d-%H%M%S}"
    if raw is None:
        body, kind, ending = json.dumps(capture.context, indent=1).encode(), "application/json", "json"
    else:
        is_table = procedures.get(capture.procedure).data == "csv"
        body, kind, ending = (raw, "text/csv", "csv") if is_table else (raw, "audio/wav", "wav")
    return download(body, kind, f"{name}.{ending}")


@router.get("/captures/{capture_id}/result.{kind}", auth=may("captures.export"), operation_id="captures.export")
def export_result(request: SignedIn, capture_id: UUID, kind: Literal["json", "csv"]):
    """The result as JSON or as CSV (field, value, u95, unit)."""
    capture = _capture(capture_id)
    result = capture.latest()
    assert result is not None
    name = f"result-{capture.id}.{kind}"
    if kind == "json":
        return download(capture_out(capture, result).model_dump_json(indent=1), "application/json", name)
    head = [("field", "value", "u95", "unit"), ("verdict", result.verdict, "", "")]
    return table([*head, *_figures(result.found)], name)


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
def recompute(request: SignedIn, capture_id: UUID):
    """Compute a capture again with today's core; the older result stays."""
    capture = _capture(capture_id)
    try:
        return capture_out(capture, capture.compute())
    except BadInput as e:
        raise Problem(409, e.code, f"Today's core refuses this capture: {e.message}", e.field) from e
