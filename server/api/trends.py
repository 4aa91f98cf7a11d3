"""The course of a figure of a place: over hours of use, with its limits, what was done in between, and when it reaches them."""

from __future__ import annotations

from datetime import datetime
from typing import Literal
from uuid import UUID

from django.shortcuts import get_object_or_404
from kestov_core.procedures.wear_trend import WearTrendResult
from measuring import trend
from ninja import Router
from workshop.models import Printer

from .permissions import may
from .problems import Problem
from .shapes import Shape
from .signed import SignedIn
from .still import still

router = Router(tags=["trends"])


class TrendPoint(Shape):
    """A figure: at how many hours of use (or days since the first), and which capture it came from."""

    at: datetime
    x: float
    value: float
    u95: float | None
    capture_id: UUID


class TouchedOut(Shape):
    """Something that was done to the place: the course before it is another one."""

    at: datetime
    x: float
    words: str


class CourseOut(Shape):
    """The course of a figure over ``over``. ``found``: what the core makes of it; ``soonest``, ``latest``: days between which the limit is
    reached at this machine's use (null: it is not, or nobody can tell).
    """

    words: str
    unit: str
    low: float | None
    high: float | None
    over: Literal["hours", "days"]
    points: list[TrendPoint]
    touched: list[TouchedOut]
    found: WearTrendResult | None
    soonest: datetime | None
    latest: datetime | None


@router.get("/printers/{printer_id}/trend", auth=may("trend.see"), response=CourseOut, operation_id="trend.see")
@still
def see(request: SignedIn, printer_id: int, place: str, procedure: str):
    """How a figure of a place has gone since it was first measured."""
    printer = get_object_or_404(Printer.objects.select_related("model"), pk=printer_id)
    found = trend.course(printer, place[:5], procedure[:40])
    if found is None:
        raise Problem(404, "not_found", "Nothing with a figure was measured there yet.")
    return CourseOut.model_validate(found, from_attributes=True)
