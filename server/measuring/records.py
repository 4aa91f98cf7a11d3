"""Records of a direction, one after another: the earlier ones, and which of them a new one is held against."""

from __future__ import annotations

from uuid import UUID

from workshop.models import Printer

from .models import Capture, CaptureQuery, Result

#: Earlier records of a direction that are shown beside a new one, its baseline apart.
_MOST_EARLIER = 4

Record = tuple[Capture, Result]


def newest(printer: Printer, place: str, procedure: str) -> Record | None:
    """The newest record of a direction; None where there is none."""
    found = _with_results(_of(printer, place, procedure)[:1])
    return found[0] if found else None


def earlier(capture: Capture) -> tuple[list[Record], UUID | None]:
    """Records of the same direction from before this one, newest first: the last few, and the oldest that can be believed.

    That one is the baseline, and named; None where none can be believed.
    """
    before = _of(capture.printer, capture.place, capture.procedure).filter(taken_at__lt=capture.taken_at)
    baseline = _baseline(before)
    shown = _with_results(before[:_MOST_EARLIER])
    if baseline is not None and baseline not in [c.id for c, _ in shown]:
        shown += _with_results(before.filter(pk=baseline))
    return shown, baseline


def _of(printer: Printer, place: str, procedure: str) -> CaptureQuery:
    return Capture.objects.filter(printer=printer, place=place, procedure=procedure).current()


def _with_results(captures: CaptureQuery) -> list[Record]:
    return [(c, r) for c in captures.defer("data").prefetch_related("results") if (r := c.latest()) is not None]


def _baseline(records: CaptureQuery) -> UUID | None:
    """The oldest that can be believed, as it was computed last."""
    rows = Result.objects.filter(capture__in=records).order_by("capture__taken_at", "computed_at")
    verdicts = dict(rows.values_list("capture_id", "verdict"))
    return next((c for c, verdict in verdicts.items() if verdict != "cannot_tell"), None)
