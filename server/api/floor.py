"""The floor, one machine with its record, and the tag that takes a machine out of use."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal
from uuid import UUID

from cases import lifting
from cases.machines import MachineNow, danger_label, machine, machines
from django.shortcuts import get_object_or_404
from kestov_core.condition import Condition, Fitness
from kestov_core.machine import Description, Kinematics
from ninja import Field, Router
from people.models import name_of
from workshop import tags, timeline, worklist
from workshop.models import Printer
from workshop.worklist import Wanted

from .once import once
from .permissions import may, may_work
from .shapes import CaseBrief, ConditionOut, Shape, case_brief, condition_out
from .signed import SignedIn
from .still import still

router = Router(tags=["floor"])

#: So much of the work list stands at the floor's side; the rest is counted.
_MOST_WANTED = 40
_RECORD_PAGE = 50


class DriveOutline(Shape):
    kind: Literal["belt", "screw", "extruder"]


class Outline(Shape):
    """As much of a motion system as its sketch draws."""

    kinematics: Kinematics
    transmissions: dict[str, DriveOutline]


class FloorModel(Shape):
    """A model that stands on the floor, told once for all its machines."""

    id: int
    name: str
    outline: Outline


class AxisMark(Shape):
    axis: str
    condition: Condition
    why: str


class Tile(Shape):
    """A machine on the floor: fitness, and the worst of each axis with its reason (for technicians)."""

    id: int
    name: str
    model_id: int
    fitness: Fitness
    reason: str
    axes: list[AxisMark]


class AreaTiles(Shape):
    """A part of the room with its machines."""

    name: str
    printers: list[Tile]


class Floor(Shape):
    """The room by areas. ``wanted``: the most pressing; ``wanted_count``: all of it."""

    models: list[FloorModel]
    areas: list[AreaTiles]
    wanted: list[Wanted]
    wanted_count: int


class LimitOut(Shape):
    what: str
    place: str
    low: float | None
    high: float | None
    unit: str
    source: str


class LookOut(Shape):
    """A look that this machine waits for: the danger on another of its model, where, and since when."""

    id: int
    danger: str
    on: str
    case_id: int
    at: datetime


class MissingOut(Shape):
    """What is still missing before a tag may be lifted, and where it is seen to. ``danger``: without it the tag stays."""

    words: str
    leads_to: str
    danger: bool


class PrinterOut(Shape):
    id: int
    name: str
    model: str
    simulated: bool
    description: Description
    condition: ConditionOut
    open_cases: list[CaseBrief]
    area: str
    serial: str
    in_use_since: date | None
    warranty_until: date | None
    retired: bool
    tagged_out: str
    tagged_out_by: str
    tagged_out_at: datetime | None
    looks: list[LookOut]
    before_lifting: list[MissingOut]
    limits: list[LimitOut]


class RecordLine(Shape):
    """One thing that happened to a machine."""

    at: datetime
    who: str
    kind: timeline.Kind
    words: str
    place: str
    case_id: int | None = None
    capture_id: UUID | None = None


class RecordPage(Shape):
    """A page of a machine's record, newest first; ``more``: older lines follow."""

    lines: list[RecordLine]
    more: bool


class TagOut(Shape):
    reason: str = Field(min_length=3, max_length=200)


def _tile(m: MachineNow, technician: bool) -> Tile:
    c = m.condition
    return Tile(
        id=m.printer.pk,
        name=m.printer.name,
        model_id=m.printer.model_id,
        fitness=c.fitness,
        reason=c.reason,
        # Of what was never measured the mark says all there is to say.
        axes=[
            AxisMark(axis=a.axis, condition=a.condition, why=a.why if any(p.evidence for p in a.places) else "")
            for a in (c.axes if technician else [])
        ],
    )


def _outline(description: Description) -> Outline:
    drives: dict[str, DriveOutline] = {p: DriveOutline(kind=t.kind) for p, t in description.transmissions.items()}
    return Outline(kinematics=description.kinematics, transmissions=drives)


@router.get("/floor", auth=may("floor.see"), response=Floor, operation_id="floor.see")
@still
def floor(request: SignedIn):
    """The room as it stands. Members see fitness only."""
    technician = may_work(request.user)
    rows = machines(Printer.on_the_floor())
    models = {m.printer.model_id: m.printer.model for m in rows}
    # Machines come in the order of their areas.
    tiles: dict[str, list[Tile]] = {}
    for m in rows:
        tiles.setdefault(m.printer.area.name, []).append(_tile(m, technician))
    wanted, count = worklist.wanted(rows, _MOST_WANTED) if technician else ([], 0)
    return Floor(
        models=[FloorModel(id=k, name=m.name, outline=_outline(m.motion())) for k, m in models.items()],
        areas=[AreaTiles(name=area, printers=there) for area, there in tiles.items()],
        wanted=wanted,
        wanted_count=count,
    )


@router.get("/printers/{printer_id}", auth=may("printer.see"), response=PrinterOut, operation_id="printer.see")
@still
def see_printer(request: SignedIn, printer_id: int):
    """One machine: its motion system, condition and limits."""
    rows = Printer.objects.select_related("model", "area", "tagged_out_by")
    printer = get_object_or_404(rows, pk=printer_id)
    technician, m = may_work(request.user), machine(printer)
    limits = (
        [LimitOut.model_validate(x, from_attributes=True) for x in printer.model.limits.all()] if technician else []
    )
    return PrinterOut(
        id=printer.pk,
        name=printer.name,
        model=printer.model.name,
        simulated=printer.simulated is not None,
        description=printer.motion(),
        condition=condition_out(m.condition, technician),
        open_cases=[case_brief(case) for case in m.cases] if technician else [],
        area=printer.area.name,
        serial=printer.serial,
        in_use_since=printer.in_use_since,
        warranty_until=printer.warranty_until,
        retired=printer.retired,
        tagged_out=printer.tagged_out,
        tagged_out_by=name_of(printer.tagged_out_by) if printer.tagged_out else "",
        tagged_out_at=printer.tagged_out_at,
        looks=[
            LookOut(id=x.pk, danger=danger_label(x.danger), on=x.case.printer.name, case_id=x.case_id, at=x.made_at)
            for x in (m.looks if technician else [])
        ],
        before_lifting=[
            MissingOut.model_validate(x, from_attributes=True)
            for x in (lifting.missing(m) if technician and printer.tagged_out else [])
        ],
        limits=limits,
    )


@router.get(
    "/printers/{printer_id}/record", auth=may("printer.record"), response=RecordPage, operation_id="printer.record"
)
@still
def record(request: SignedIn, printer_id: int, kind: str = "", place: str = "", page: int = 1):
    """All that was measured, turned, reported and tagged on a machine (or at one place of it), newest first."""
    printer = get_object_or_404(Printer, pk=printer_id)
    asked = timeline.Asked(printer.pk, kind=kind, place=place, most=_RECORD_PAGE)
    lines, more = timeline.told(asked, max(1, min(page, 500)))
    return RecordPage(lines=[RecordLine.model_validate(x, from_attributes=True) for x in lines], more=more)


class Happened(Shape):
    """Something that was done to a machine. ``days_ago``: how long ago; ``place``: where on it, where that is known."""

    event: str
    days_ago: float = Field(0, ge=0, le=400)
    note: str = Field("", max_length=200)
    place: str = Field("", max_length=5)


@router.post(
    "/printers/{printer_id}/events", auth=may("printer.happened"), response=PrinterOut, operation_id="printer.happened"
)
@once
def happened(request: SignedIn, printer_id: int, payload: Happened):
    """Write down what was done to a machine, or happened to it: it weighs in the next case."""
    printer = get_object_or_404(Printer, pk=printer_id)
    tags.happened(printer, payload.event, payload.days_ago, request.user, payload.note, payload.place)
    return see_printer(request, printer_id)


@router.post(
    "/printers/{printer_id}/tag-out", auth=may("printer.tag_out"), response=PrinterOut, operation_id="printer.tag_out"
)
@once
def tag_out(request: SignedIn, printer_id: int, payload: TagOut):
    """Take a machine out of use, with the reason."""
    tags.tag_out(tags.locked(printer_id), request.user, payload.reason)
    return see_printer(request, printer_id)


@router.delete(
    "/printers/{printer_id}/tag-out", auth=may("printer.lift_tag"), response=PrinterOut, operation_id="printer.lift_tag"
)
@once
def lift_tag(request: SignedIn, printer_id: int, verified: str = ""):
    """Put a machine back in use. While a danger case is open on it, the tag stays; what else is missing is measured, or ``verified`` says
    how it was made sure of.
    """
    lifting.lift(tags.locked(printer_id), request.user, verified[:300])
    return see_printer(request, printer_id)
