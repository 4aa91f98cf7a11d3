"""What will be wanted in the next quarter."""

from __future__ import annotations

from datetime import date, datetime

from cases import forecast
from ninja import Router

from .permissions import may
from .shapes import Shape
from .signed import SignedIn
from .still import still

router = Router(tags=["forecast"])


class ExpectedOut(Shape):
    """One thing that will be wanted. ``by``: the day on which it is expected (today: overdue); ``chance``: that it fails within the
    quarter, ``low`` to ``high`` (95 %), where enough of its kind have failed here.
    """

    printer_id: int
    printer: str
    label: str
    place: str
    by: date
    why: str
    chance: float | None
    low: float | None
    high: float | None
    component_id: int | None
    procedure: str


class QuarterOut(Shape):
    """What will be wanted, the soonest first; ``more``: so many more parts; ``as_of``: when that of parts was worked out."""

    rows: list[ExpectedOut]
    more: int
    as_of: datetime


@router.get("/forecast", auth=may("forecast.see"), response=QuarterOut, operation_id="forecast.see")
@still
def see(request: SignedIn):
    """What all machines will want in the next quarter, the soonest first, with why and how sure."""
    found = forecast.next_quarter()
    rows = [
        ExpectedOut(
            printer_id=e.printer.pk,
            printer=e.printer.name,
            label=e.label,
            place=e.place,
            by=e.by,
            why=e.why,
            chance=e.chance,
            low=e.low,
            high=e.high,
            component_id=e.component_id,
            procedure=e.procedure,
        )
        for e in found.rows
    ]
    return QuarterOut(rows=rows, more=found.more, as_of=found.as_of)
