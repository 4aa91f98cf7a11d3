"""Shapes of answers that several routers give, and how they are made from the record."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal, Union
from uuid import UUID

from cases.models import Case
from kestov_core import knowledge, procedures
from kestov_core.condition import Condition, Fitness
from kestov_core.quantities import Quantity, Verdict
from measuring.models import Capture, Result
from measuring.taking import measuring
from ninja import Schema
from people.models import User
from pydantic import Field
from workshop.condition import PlaceCondition, PrinterCondition

#: What a capture came to, by the procedure that it says.
Found = Annotated[Union[tuple(p.result for p in measuring())], Field(discriminator="procedure")]  # noqa: UP007
CaseState = Literal["reported", "in_work", "not_verified", "closed"]


class AxisOut(Schema):
    axis: str
    condition: Condition


class PlaceOut(Schema):
    """Condition of a belt and the evidence for it; ``question``: what was measured, as one asks it."""

    place: str
    question: str
    condition: Condition
    why: str
    at: datetime | None
    procedure: str | None
    quantity: Quantity | None
    capture_id: UUID | None


class ConditionOut(Schema):
    fitness: Fitness
    reason: str
    axes: list[AxisOut]
    places: list[PlaceOut]
    doubts: list[PlaceOut]


class CaseBrief(Schema):
    id: int
    title: str
    state: CaseState
    printer_id: int
    printer: str
    reported_by: str
    reported_at: datetime
    closed_at: datetime | None
    closing: str


class CaptureOut(Schema):
    """A capture with what the core made of it. ``found`` has the shape of the procedure's result."""

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
    circumstances: dict[str, Any]
    context: dict[str, Any]
    core_version: str
    verdict: Verdict
    found: Found


def person(user: User | None) -> str:
    """A person's name, or words where the account is gone."""
    return user.name if user else "someone no longer here"


def condition_out(c: PrinterCondition, full: bool) -> ConditionOut:
    """``full`` is for technicians; members get fitness and its reason."""
    return ConditionOut(
        fitness=c.fitness,
        reason=c.reason,
        axes=[AxisOut(axis=a, condition=v) for a, v in c.axes.items()] if full else [],
        places=[_place_out(p) for p in c.places] if full else [],
        doubts=[_place_out(p) for p in c.doubts] if full else [],
    )


def _place_out(p: PlaceCondition) -> PlaceOut:
    card = knowledge.cards().get(p.procedure or "")
    return PlaceOut(
        place=p.place,
        question=card.here(p.place).question if card else "",
        condition=p.condition,
        why=p.why,
        at=p.at,
        procedure=p.procedure,
        quantity=p.quantity,
        capture_id=p.capture_id,
    )


def case_brief(case: Case) -> CaseBrief:
    return CaseBrief(
        id=case.pk,
        title=case.title,
        state=case.state,
        printer_id=case.printer_id,
        printer=case.printer.name,
        reported_by=person(case.reported_by),
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
        taken_by=person(capture.taken_by),
        case_id=capture.case_id,
        instrument=capture.instrument.name if capture.instrument else None,
        data_name=capture.data_name,
        data_bytes=capture.data_bytes,
        circumstances=capture.circumstances,
        context=capture.context,
        core_version=result.core_version,
        verdict=result.verdict,
        # By the procedure's own shape: what fits two shapes is not guessed.
        found=procedures.get(capture.procedure).result.model_validate(_as_written_now(capture, result)),
    )


def _as_written_now(capture: Capture, result: Result) -> dict[str, Any]:
    """What was found, with what results of an earlier core did not say: which procedure, and the figure judged."""
    found = result.found | {"procedure": capture.procedure}
    if "judged" not in found and result.headline:
        found["judged"] = [{"words": "Measured", "quantity": result.headline, "verdict": result.verdict}]
    return found
