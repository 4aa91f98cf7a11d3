"""The parts of a machine: in what state each is and how that is known, what was done to it, and the machine's meter."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from cases.lives import life_of, some_of
from cases.parts import PartNow, empty_positions, parts_now
from django.conf import settings
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from kestov_core import knowledge, procedures
from kestov_core.condition import Condition
from kestov_core.knowledge.part_kinds import Deed as DeedKind
from kestov_core.machine import Description
from ninja import Field, File, Router, UploadedFile
from people.models import name_of
from service import stores
from workshop import components, meters
from workshop.models import Component, Deed, DeedPicture, PartType, Printer
from workshop.pictures import read_picture

from .bench import the_printer
from .once import once, once_only
from .permissions import may
from .shapes import Shape
from .signed import SignedIn
from .still import still
from .use import MeterOut, meter_out

router = Router(tags=["components"])
#: So many parts of a kind are told one by one.
_RAN = 400


class SpeaksOut(Shape):
    """One thing that tells of a part. ``age_days``: how old it is (null: of today)."""

    condition: Condition
    words: str
    age_days: float | None


class DeedOut(Shape):
    """What was done to a part, in words; ``hours``: the machine's then; ``picture``: whether there is one of it."""

    id: int
    picture: bool
    at: datetime
    who: str
    words: str
    hours: float | None


class TypeOut(Shape):
    """A type of part; ``life_hours`` null: typical of its kind. ``models``, ``places``: which it fits (none: all of its kind); ``here``: how
    many lie in its drawer (null: no drawer is kept).
    """

    id: int
    name: str
    kind: str
    life_hours: float | None
    lubricant: str
    notes: str
    models: list[int]
    places: list[str]
    here: int | None


def type_out(t: PartType) -> TypeOut:
    """A type of part, out of `stores.types`."""
    known = {f: getattr(t, f) for f in ("name", "kind", "life_hours", "lubricant", "notes", "places", "here")}
    return TypeOut.model_validate({"id": t.pk, "models": t.fitted, **known})  # type: ignore[attr-defined]


class Measure(Shape):
    """A measurement that tells of a part, and what it is called."""

    procedure: str
    words: str
    rounds: bool


class TypeName(Shape):
    id: int
    name: str


class SittingPart(Shape):
    """A part in its position. ``speaks``: all that tells of it, what drives its condition first; ``life_from``: where its expected life is from."""

    id: int
    kind: str
    place: str
    label: str
    type: TypeName | None
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
    measure: list[Measure]
    last: DeedOut | None


class EmptyPosition(Shape):
    kind: str
    place: str
    label: str


class ComponentsHere(Shape):
    """The parts of a machine, positions that stand empty, its meter, and the types that can be fitted."""

    parts: list[SittingPart]
    empty: list[EmptyPosition]
    meter: MeterOut
    types: list[TypeOut]


def _here(printer: Printer) -> ComponentsHere:
    meter = meters.meter_of(printer)
    parts, motion = parts_now(printer, meter), printer.motion()
    types = [t for t in stores.types() if components.fits(t, printer.model_id)]
    return ComponentsHere(
        parts=[_part(p, motion) for p in parts],
        empty=[EmptyPosition(kind=p.kind.id, place=p.place, label=p.label) for p in empty_positions(printer, parts)],
        meter=meter_out("hours", "h", meter),
        types=[type_out(t) for t in types],
    )


def _part(p: PartNow, motion: Description) -> SittingPart:
    c = p.component
    return SittingPart(
        id=c.pk,
        kind=c.kind,
        place=c.place,
        label=c.label,
        type=TypeName(id=c.type.pk, name=c.type.name) if c.type else None,
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
        measure=[
            Measure(
                procedure=name, words=knowledge.cards()[name].here(c.place).short, rounds=procedures.get(name).rounds
            )
            for name in p.kind.told_by
            if c.place in procedures.get(name).places(motion)
        ],
        last=None if p.last is None else _deed(p.last),
    )


def _deed(d: Deed, picture: bool = False) -> DeedOut:
    return DeedOut(id=d.pk, picture=picture, at=d.at, who=name_of(d.by), words=components.words_of(d), hours=d.hours)


@router.get(
    "/printers/{printer_id}/components",
    auth=may("components.see"),
    response=ComponentsHere,
    operation_id="components.see",
)
@still
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
    return _history(get_object_or_404(Component, pk=component_id))


def _history(c: Component) -> list[DeedOut]:
    rows = Deed.objects.filter(component__printer=c.printer_id, component__kind=c.kind, component__place=c.place)
    told = list(rows.select_related("by", "component")[:200])
    shown = set(DeedPicture.objects.filter(deed__in=told).values_list("deed_id", flat=True))
    return [_deed(d, d.pk in shown) for d in told]


@router.post(
    "/deeds/{deed_id}/picture",
    auth=may("components.deed"),
    response=list[DeedOut],
    operation_id="components.add_picture",
)
def add_picture(request: SignedIn, deed_id: int, file: File[UploadedFile]):
    """Put a picture to what was found or done (JPEG, PNG or WebP by content, up to 12 MB; re-encoded)."""
    taken = read_picture(file.read(settings.MAX_PICTURE + 1))
    return once_only(request, lambda: _history(components.show(deed_id, taken, request.user).component))


@router.get("/deeds/{deed_id}/picture", auth=may("components.see"), operation_id="components.picture")
def picture(request: SignedIn, deed_id: int):
    """The picture of what was found or done, as JPEG."""
    found = get_object_or_404(DeedPicture, deed=deed_id)
    return HttpResponse(
        bytes(found.image), content_type="image/jpeg", headers={"Cache-Control": "private, max-age=86400"}
    )


class LeftOut(Shape):
    """How long a part still lasts: ``hours`` (half of such parts), from ``low`` to ``high`` (95 %, or a typical life's half to double; null:
    no end is known), and the days on which that falls at its machine's own use (null: far off, or its use is not known).
    """

    hours: float
    low: float
    high: float | None
    by: date | None
    soonest: date | None
    latest: date | None


class SurvivalOut(Shape):
    """Share of parts that still run at an age, with its interval."""

    hours: float
    share: float
    low: float
    high: float


class RanOut(Shape):
    """One part of the kind and type: on which machine, how long it ran. ``runs``: it still sits there; ``this``: the one that was asked for."""

    printer: str
    label: str
    hours: float
    failed: bool
    runs: bool
    this: bool


class LifeOut(Shape):
    """How long a part lasts. ``own``: by the lives of its kind and type here; else by ``expected_hours`` (``life_from``). ``parts``: so many
    of them are known, of which ``runs`` still run; ``rows``: of many some, from the shortest life to the longest.
    """

    left: LeftOut | None
    own: bool
    expected_hours: float | None
    life_from: str
    parts: int
    failures: int
    runs: int
    survival: list[SurvivalOut]
    rows: list[RanOut]


@router.get(
    "/components/{component_id}/life", auth=may("components.see"), response=LifeOut, operation_id="components.life"
)
@still
def life(request: SignedIn, component_id: int):
    """How long a part still lasts, beside all others of its kind and type in this workshop."""
    c = get_object_or_404(Component.objects.select_related("printer", "type"), pk=component_id)
    found = life_of(c)
    names = dict(Printer.objects.values_list("pk", "name"))
    return LifeOut(
        left=None if found.left is None else LeftOut.model_validate(found.left, from_attributes=True),
        own=found.life is not None,
        expected_hours=None if found.expected is None else found.expected[0],
        life_from="" if found.expected is None else found.expected[1],
        parts=len(found.rows),
        failures=sum(r.failed for r in found.rows),
        runs=sum(r.runs for r in found.rows),
        survival=[SurvivalOut(**s.model_dump()) for s in found.life.survival()] if found.life is not None else [],
        rows=[
            RanOut(
                printer=names.get(r.printer_id, ""),
                label=r.label,
                hours=r.hours,
                failed=r.failed,
                runs=r.runs,
                this=r.component_id == c.pk,
            )
            for r in some_of(found.rows, _RAN, c.pk)
        ],
    )


class DeedIn(Shape):
    """What is done to a part. ``found``: of a look; ``used``: with what it was lubricated; ``because``: why it was taken out; ``type_id``: what
    comes in its place, where it is another type; ``spare``: where that comes from.
    """

    did: Literal["inspect", "adjust", "lubricate", "replace"]
    found: Literal["sound", "trouble"] = "sound"
    words: str = Field("", max_length=300)
    used: str = Field("", max_length=120)
    because: Literal["failed", "worn", "sound"] = "worn"
    type_id: int | None = None
    spare: components.Spare = "drawer"


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
        c = components.replace(component_id, p.because, p.words, by, p.type_id, p.spare)
    return _here(c.printer)


class Elsewhere(Shape):
    """What sits in the same position of another machine; ``hours`` null: its age is not known."""

    id: int
    printer: str
    hours: float | None
    estimated: bool
    type: str
    trouble: str


@router.get(
    "/components/{component_id}/elsewhere",
    auth=may("components.see"),
    response=list[Elsewhere],
    operation_id="components.elsewhere",
)
def elsewhere(request: SignedIn, component_id: int):
    """The same position on the other machines: where a part can be moved to."""
    rows = components.elsewhere(get_object_or_404(Component.objects.select_related("printer"), pk=component_id))
    return [
        Elsewhere(
            id=c.pk,
            printer=c.printer.name,
            hours=None if age is None else age[0],
            estimated=age is not None and age[1],
            type=c.type.name if c.type else "",
            trouble=c.trouble,
        )
        for c, age in rows
    ]


class MoveIn(Shape):
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


class FitIn(Shape):
    """What is fitted where nothing sits."""

    kind: str = Field(max_length=30)
    place: str = Field(max_length=5)
    type_id: int | None = None
    spare: components.Spare = "drawer"


@router.post(
    "/printers/{printer_id}/components",
    auth=may("components.deed"),
    response=ComponentsHere,
    operation_id="components.fit",
)
@once
def fit(request: SignedIn, printer_id: int, payload: FitIn):
    """Fit a part in a position that stands empty."""
    p = payload
    c = components.fit(the_printer(printer_id).pk, p.kind, p.place, request.user, p.type_id, p.spare)
    return _here(c.printer)


class TypeOf(Shape):
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
