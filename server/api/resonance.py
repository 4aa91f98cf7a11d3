"""Records of an accelerometer, one against another."""

from __future__ import annotations

from datetime import datetime
from uuid import UUID

from django.shortcuts import get_object_or_404
from kestov_core import comparing
from kestov_core.procedures._shaped import ModeFound
from kestov_core.procedures.resonance import PROCEDURE, ResonanceResult
from measuring.models import Capture, CaptureQuery, Result
from ninja import Router, Schema
from workshop.models import Printer

from .permissions import may
from .signed import SignedIn

router = Router(tags=["resonance"])


class EarlierRecord(Schema):
    """An earlier record of the same direction (or the other diagonal): its spectrum, and what the difference means."""

    capture_id: UUID
    place: str
    at: datetime
    frequency_hz: list[float]
    power: list[float]
    modes: list[ModeFound]
    compared: comparing.Compared | None


class OverlayOut(Schema):
    """``earlier``: newest first, the oldest believable one is the baseline. ``other``: the other diagonal of a crossed pair."""

    earlier: list[EarlierRecord]
    baseline: UUID | None
    other: EarlierRecord | None


#: Earlier records of a direction that are drawn beside a new one, its baseline apart.
_MOST_EARLIER = 4


def _of(printer: Printer, place: str) -> CaptureQuery:
    """Records of a direction, newest first."""
    return Capture.objects.filter(printer=printer, place=place, procedure=PROCEDURE.name).current()


def _with_results(captures: CaptureQuery) -> list[tuple[Capture, Result]]:
    return [(c, r) for c in captures.defer("data").prefetch_related("results") if (r := c.latest()) is not None]


def _baseline(earlier: CaptureQuery) -> UUID | None:
    """The oldest record that can be believed, as it was computed last."""
    rows = Result.objects.filter(capture__in=earlier).order_by("capture__taken_at", "computed_at")
    verdicts = dict(rows.values_list("capture_id", "verdict"))
    return next((c for c, verdict in verdicts.items() if verdict != "cannot_tell"), None)


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
    earlier = _of(capture.printer, capture.place).filter(taken_at__lt=capture.taken_at)
    baseline = _baseline(earlier)
    shown = _with_results(earlier[:_MOST_EARLIER])
    if baseline is not None and baseline not in [c.id for c, _ in shown]:
        shown += _with_results(earlier.filter(pk=baseline))
    other = None
    if capture.place in ("a", "b"):
        across = "b" if capture.place == "a" else "a"
        for c, r in _with_results(_of(capture.printer, across)[:1]):
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
