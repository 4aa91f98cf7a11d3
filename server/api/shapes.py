"""Shapes of answers that several routers give, and how they are made from the record."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING, Annotated, Any, Literal, Union, cast
from uuid import UUID

from cases.models import Case
from kestov_core import procedures
from kestov_core.condition import Condition, Fitness
from kestov_core.machine import PlaceKind
from kestov_core.procedures.base import Result as CoreResult
from kestov_core.quantities import Quantity, Verdict
from kestov_core.tables.mapping import TableMap
from measuring.condition import PrinterCondition, Shown, Stood
from measuring.models import Capture, Result, Standing
from measuring.taking import measuring
from people.models import name_of
from pydantic import BaseModel, ConfigDict, Field

#: What a capture came to, by the procedure that it says.
if TYPE_CHECKING:
    Found = CoreResult
else:
    Found = Annotated[Union[tuple(p.result for p in measuring())], Field(discriminator="procedure")]  # noqa: UP007
CaseState = Literal["reported", "in_work", "not_verified", "closed"]


class Shape(BaseModel):
    """What a route takes or gives. A plain model: what was made from its shape is not walked through again on its way out."""

    model_config = ConfigDict(from_attributes=True)


class EvidenceOut(Shape):
    """A judged measurement of a place: what was asked, how it stands today and why, its figure with the limits it was judged by."""

    procedure: str
    question: str
    condition: Condition
    why: str
    at: datetime
    verdict: Verdict
    words: str
    quantity: Quantity | None
    low: float | None
    high: float | None
    source_of_limits: str
    capture_id: UUID
    in_doubt: bool


class PlaceOut(Shape):
    """Condition of a place, why (``reason``: with its name), and the evidence for it. Belt x and axis x are two places."""

    kind: PlaceKind
    place: str
    name: str
    condition: Condition
    why: str
    reason: str
    evidence: list[EvidenceOut]


class AxisOut(Shape):
    """An axis folded to the worst of its places (by their number in ``places``), with the reason."""

    axis: str
    condition: Condition
    why: str
    places: list[int]


class ConditionOut(Shape):
    fitness: Fitness
    reason: str
    axes: list[AxisOut]
    places: list[PlaceOut]


class CaseBrief(Shape):
    id: int
    title: str
    state: CaseState
    printer_id: int
    printer: str
    reported_by: str
    reported_at: datetime
    closed_at: datetime | None
    closing: str


class CaptureOut(Shape):
    """A capture with what the core made of it. ``found`` has the shape of the procedure's result.

    ``columns``: which column of its file is which, where an instrument wrote it in its own way.
    """

    id: UUID
    printer_id: int
    place: str
    procedure: str
    source: str
    round: int
    taken_at: datetime
    taken_by: str
    case_id: int | None
    instrument: str | None
    data_name: str
    data_bytes: int
    columns: TableMap | None
    circumstances: dict[str, Any]
    context: dict[str, Any]
    core_version: str
    verdict: Verdict
    found: Found


def condition_out(c: PrinterCondition, full: bool) -> ConditionOut:
    """``full`` is for technicians; members get fitness and its reason."""
    if not full:
        return ConditionOut(fitness=c.fitness, reason=c.reason, axes=[], places=[])
    return ConditionOut(
        fitness=c.fitness,
        reason=c.reason,
        axes=[
            AxisOut(
                axis=a.axis,
                condition=a.condition,
                why=a.why,
                places=[i for i, p in enumerate(c.places) if p in a.places],
            )
            for a in c.axes
        ],
        places=[
            PlaceOut(
                kind=p.kind,
                place=p.place,
                name=p.name,
                condition=p.condition,
                why=p.why,
                reason=p.reason,
                evidence=[_evidence_out(e) for e in p.evidence],
            )
            for p in c.places
        ],
    )


def quantity_of(s: Standing | Stood) -> Quantity | None:
    """The headline figure of a standing."""
    return None if s.value is None else Quantity(value=s.value, u95=s.u95, unit=s.unit)


def _evidence_out(e: Shown) -> EvidenceOut:
    s = e.standing
    return EvidenceOut(
        procedure=e.procedure,
        question=e.question,
        condition=e.condition,
        why=e.why,
        at=s.taken_at,
        verdict=s.verdict,
        words=s.words,
        quantity=quantity_of(s),
        low=s.low,
        high=s.high,
        source_of_limits=s.source,
        capture_id=s.capture_id,
        in_doubt=e.in_doubt,
    )


def case_brief(case: Case) -> CaseBrief:
    return CaseBrief(
        id=case.pk,
        title=case.title,
        state=cast(CaseState, case.state),
        printer_id=case.printer_id,
        printer=case.printer.name,
        reported_by=name_of(case.reported_by),
        reported_at=case.reported_at,
        closed_at=case.closed_at,
        closing=case.get_closing_display() if case.closing else "",
    )


def capture_out(capture: Capture, result: Result | None = None) -> CaptureOut:
    result = result or capture.latest()
    assert result is not None
    return CaptureOut(
        id=capture.id,
        printer_id=capture.printer_id,
        place=capture.place,
        procedure=capture.procedure,
        source=capture.source,
        round=capture.round,
        taken_at=capture.taken_at,
        taken_by=name_of(capture.taken_by),
        case_id=capture.case_id,
        instrument=capture.instrument.name if capture.instrument else None,
        data_name=capture.data_name,
        data_bytes=capture.data_bytes,
        columns=capture.columns,
        circumstances=capture.circumstances,
        context=capture.context,
        core_version=result.core_version,
        verdict=cast(Verdict, result.verdict),
        # By the procedure's own shape: what fits two shapes is not guessed.
        found=procedures.get(capture.procedure).result.model_validate(_as_written_now(capture, result)),
    )


def _as_written_now(capture: Capture, result: Result) -> dict[str, Any]:
    """What was found, with what results of an earlier core did not say: which procedure, and the figure judged."""
    return result.found | {"procedure": capture.procedure, "judged": result.judged}
