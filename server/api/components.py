"""The parts of a machine: in what state each is and how that is known, what was done to it, and the machine's meter."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal

from cases.parts import PartNow, empty_positions, parts_now
from django.shortcuts import get_object_or_404
from kestov_core.condition import Condition
from kestov_core.knowledge.part_kinds import Deed as DeedKind
from kestov_core.knowledge.part_kinds import part_kinds
from ninja import Field, Router, Schema
from people.clock import now
from people.models import name_of
from workshop import components, meters
from workshop.models import Component, Deed, PartType, Printer

from .bench import the_printer
from .once import once
from .permissions import may
from .signed import SignedIn

router = Router(tags=["components"])
Hours = Annotated[float, Field(ge=0, le=1e6)]


class SpeaksOut(Schema):
    """One thing that tells of a part. ``age_days``: how old it is (null: of today)."""

    condition: Condition
    words: str
    age_days: float | None


class DeedOut(Schema):
    """What was done to a part, in words; ``hours``: the machine's then."""

    at: datetime
    who: str
    words: str
    hours: float | None


class TypeOut(Schema):
    """A type of part; ``life_hours`` null: typical of its kind."""

    id: int
    name: str
    kind: str
    life_hours: float | None
    lubricant: str
    notes: str


class SittingPart(Schema):
    """A part in its position. ``speaks``: all that tells of it, what drives its condition first; ``life_from``: where its expected life is from."""

    id: int
    kind: str
    place: str
    label: str
    type: TypeOut | None
    condition: Condition
    speaks: list[SpeaksOut]
    would_tell: str
    fitted_on: date | None
    age_hours: float | None
    age_estimated: bool
    life_hours: float | None
    life_from: str
    can: list[DeedKind]
    look: str
    lubricant: str
    last: DeedOut | None


class EmptyPosition(Schema):
    kind: str
    place: str
    label: str


class MeterOut(Schema):
    """Hours of use now. ``estimated``: worked out from the use since ``read_at``; ``u95``: how far that may be off; ``a_day``: use of late."""

    hours: float | None
    estimated: bool
    u95: float | None
    read_at: datetime | None
    a_day: float | None
    shown: float | None


class ComponentsHere(Schema):
    """The parts of a machine, positions that stand empty, its meter, and the types that can be fitted."""

    parts: list[SittingPart]
    empty: list[EmptyPosition]
    meter: MeterOut
    types: list[TypeOut]


def _here(printer: Printer) -> ComponentsHere:
    meter = meters.meter_of(printer)
    parts = parts_now(printer, meter)
    return ComponentsHere(
        parts=[_part(p) for p in parts],
        empty=[EmptyPosition(kind=p.kind.id, place=p.place, label=p.label) for p in empty_positions(printer, parts)],
        meter=_meter(printer, meter),
        types=[TypeOut.model_validate(t, from_attributes=True) for t in PartType.objects.all()],
    )


def _part(p: PartNow) -> SittingPart:
    c = p.component
    return SittingPart(
        id=c.pk,
        kind=c.kind,
        place=c.place,
        label=c.label,
        type=TypeOut.model_validate(c.type, from_attributes=True) if c.type else None,
        condition=p.known.condition,
        speaks=[SpeaksOut(condition=s.condition, words=s.words, age_days=s.age_days) for s in p.known.speaks],
        would_tell=p.known.would_tell,
        fitted_on=c.fitted_on,
        age_hours=None if p.age is None else p.age[0],
        age_estimated=p.age is not None and p.age[1],
        life_hours=None if p.life is None else p.life[0],
        life_from="" if p.life is None else p.life[1],
        can=list(p.kind.can),
        look=p.kind.look,
        lubricant=(c.type.lubricant if c.type else "") or p.kind.lubricant,
        last=None if p.last is None else _deed(p.last),
    )


def _deed(d: Deed) -> DeedOut:
    return DeedOut(at=d.at, who=name_of(d.by), words=components.words_of(d), hours=d.hours)


def _meter(printer: Printer, meter: meters.Meter) -> MeterOut:
    there, use = meter.at(now()), meter.use
    return MeterOut(
        hours=None if there is None else there.hours,
        estimated=there is not None and there.estimated,
        u95=None if there is None else there.u95,
        read_at=None if there is None else there.read_at,
        a_day=None if use is None else use.a_day,
        shown=None if not meter.points else meter.points[-1][1] - meter.beneath,
    )


@router.get(
    "/printers/{printer_id}/components",
    auth=may("components.see"),
    response=ComponentsHere,
    operation_id="components.see",
)
def see(request: SignedIn, printer_id: int):
    """The parts of a machine with their condition, and its meter."""
    return _here(the_printer(printer_id))


@router.get(
    "/components/{component_id}/history",
    auth=may("components.see"),
    response=list[DeedOut],
    operation_id="components.history",
)
def history(request: SignedIn, component_id: int):
    """What was done in a part's position, to it and to those that sat there before, newest first."""
    c = get_object_or_404(Component, pk=component_id)
    rows = Deed.objects.filter(component__printer=c.printer_id, component__kind=c.kind, component__place=c.place)
    return [_deed(d) for d in rows.select_related("by", "component")[:200]]


class DeedIn(Schema):
    """What is done to a part. ``found``: of a look; ``used``: with what it was lubricated; ``because``: why it was taken out; ``type_id``: what
    comes in its place, where it is another type.
    """

    did: Literal["inspect", "adjust", "lubricate", "replace"]
    found: Literal["sound", "trouble"] = "sound"
    words: str = Field("", max_length=300)
    used: str = Field("", max_length=120)
    because: Literal["failed", "worn", "sound"] = "worn"
    type_id: int | None = None


@router.post(
    "/components/{component_id}/deeds",
    auth=may("components.deed"),
    response=ComponentsHere,
    operation_id="components.deed",
)
@once
def deed(request: SignedIn, component_id: int, payload: DeedIn):
    """Look at a part, adjust, lubricate or replace it; what that puts in doubt follows by itself."""
    p, by = payload, request.user
    if p.did == "inspect":
        c = components.inspect(component_id, p.found, p.words, by)
    elif p.did == "adjust":
        c = components.adjust(component_id, p.words, by)
    elif p.did == "lubricate":
        c = components.lubricate(component_id, p.used, by)
    else:
        c = components.replace(component_id, p.because, p.words, by, p.type_id)
    return _here(c.printer)


class MoveIn(Schema):
    """The part of the same position on another machine, which is taken out for it."""

    to: int


@router.post(
    "/components/{component_id}/move",
    auth=may("components.deed"),
    response=ComponentsHere,
    operation_id="components.move",
)
@once
def move(request: SignedIn, component_id: int, payload: MoveIn):
    """Move a part to the same position of another machine; its hours go with it. Answers with the parts of that machine."""
    return _here(components.move(component_id, payload.to, request.user).printer)


class FitIn(Schema):
    """What is fitted where nothing sits."""

    kind: str = Field(max_length=30)
    place: str = Field(max_length=5)
    type_id: int | None = None


@router.post(
    "/printers/{printer_id}/components",
    auth=may("components.deed"),
    response=ComponentsHere,
    operation_id="components.fit",
)
@once
def fit(request: SignedIn, printer_id: int, payload: FitIn):
    """Fit a part in a position that stands empty."""
    c = components.fit(the_printer(printer_id).pk, payload.kind, payload.place, request.user, payload.type_id)
    return _here(c.printer)


class TypeOf(Schema):
    type_id: int | None


@router.post(
    "/components/{component_id}/type",
    auth=may("components.deed"),
    response=ComponentsHere,
    operation_id="components.type",
)
@once
def set_type(request: SignedIn, component_id: int, payload: TypeOf):
    """Say of which type a part is."""
    return _here(components.set_type(component_id, payload.type_id, request.user).printer)


class TypeIn(Schema):
    """A type of part. ``life_hours`` null: typical of its kind."""

    name: str = Field(min_length=2, max_length=80)
    kind: str = Field(max_length=30)
    life_hours: float | None = Field(None, gt=0, le=1e5)
    lubricant: str = Field("", max_length=200)
    notes: str = Field("", max_length=400)


class KindsOut(Schema):
    """Types of parts, and the kinds that there are (id and words)."""

    types: list[TypeOut]
    kinds: dict[str, str]


def _types() -> KindsOut:
    return KindsOut(
        types=[TypeOut.model_validate(t, from_attributes=True) for t in PartType.objects.all()],
        kinds={k.id: k.label for k in part_kinds().values()},
    )


@router.get("/part-types", auth=may("components.see"), response=KindsOut, operation_id="components.list_types")
def list_types(request: SignedIn):
    """Types of parts that can be fitted."""
    return _types()


@router.post("/part-types", auth=may("components.types"), response=KindsOut, operation_id="components.add_type")
@once
def add_type(request: SignedIn, payload: TypeIn):
    """Add a type of part, with its life in this workshop where that is known."""
    p = payload
    components.add_type(request.user, p.name, p.kind, p.life_hours, p.lubricant, p.notes)
    return _types()


class MeterIn(Schema):
    """What a machine's meter shows. ``reset``: it began anew, as with a replaced board."""

    hours: Hours
    filament_m: Annotated[float, Field(ge=0, le=1e8)] | None = None
    reset: bool = False


@router.post("/printers/{printer_id}/meter", auth=may("meter.read"), response=ComponentsHere, operation_id="meter.read")
@once
def read_meter(request: SignedIn, printer_id: int, payload: MeterIn):
    """Write down what a machine's meter shows; one that goes back, or leaps, is refused with why."""
    printer = the_printer(printer_id)
    meters.read(printer, payload.hours, request.user, payload.filament_m, payload.reset)
    return _here(printer)
