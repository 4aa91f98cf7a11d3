"""Records of an accelerometer, one against another."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from django.shortcuts import get_object_or_404
from kestov_core import comparing
from kestov_core.procedures._shaped import ModeFound
from kestov_core.procedures.resonance import PROCEDURE, ResonanceResult
from measuring import records
from measuring.models import Capture, Result
from ninja import Router

from .permissions import may
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["records"])


class EarlierRecord(Shape):
    """An earlier record of the same direction (or the other diagonal): its spectrum, and what the difference means."""

    capture_id: UUID
    place: str
    at: datetime
    frequency_hz: list[float]
    power: list[float]
    modes: list[ModeFound]
    compared: comparing.Compared | None


class OverlayOut(Shape):
    """``earlier``: newest first, the oldest believable one is the baseline. ``other``: the other diagonal of a crossed pair."""

    earlier: list[EarlierRecord]
    baseline: UUID | None
    other: EarlierRecord | None


@router.get(
    "/captures/{capture_id}/overlay",
    auth=may("resonance.compare"),
    response=OverlayOut,
    operation_id="resonance.overlay",
)
def overlay(request: SignedIn, capture_id: UUID):
    """A record against the earlier ones of its direction, and against the other diagonal where belts cross."""
    capture = get_object_or_404(
        Capture.objects.select_related("printer__model"), pk=capture_id, procedure=PROCEDURE.name
    )
    result = capture.latest()
    assert result is not None
    now = _found(result)
    shown, baseline = records.earlier(capture)
    other = None
    if capture.place in ("a", "b"):
        across = "b" if capture.place == "a" else "a"
        if (found := records.newest(capture.printer, across, PROCEDURE.name)) is not None:
            c, r = found
            pair = (now.modes, _found(r).modes) if capture.place == "a" else (_found(r).modes, now.modes)
            other = _compared(c, r, comparing.diagonals(*pair))
    return OverlayOut(
        earlier=[
            _compared(c, r, comparing.with_earlier(now.modes, _found(r).modes, f"on {c.taken_at:%-d %B}"))
            for c, r in shown
        ],
        baseline=baseline,
        other=other,
    )


def _found(result: Result) -> ResonanceResult:
    return ResonanceResult.model_validate(result.found)


def _compared(capture: Capture, result: Result, compared: comparing.Compared | None) -> EarlierRecord:
    found = _found(result)
    return EarlierRecord(
        capture_id=capture.id,
        place=capture.place,
        at=capture.taken_at,
        frequency_hz=found.spectrum.frequency_hz,
        power=found.spectrum.excited,
        modes=found.modes,
        compared=compared,
    )
