"""The workshop itself: places, printer models with belts and limits, printers, instruments, accounts. The lead's."""

from __future__ import annotations

from collections import Counter
from datetime import date, datetime
from typing import Literal

from cases.weighing import confirmed_cases
from django.db import transaction
from django.shortcuts import get_object_or_404
from kestov_core import knowledge
from kestov_core.describing import remarks
from kestov_core.machine import Description
from measuring.taking import limits
from ninja import Field, Router, Schema
from people.accounts import make_account
from people.clock import now
from people.models import AuditEntry, Role, User, audit, name_of
from workshop.models import Area, Instrument, Limit, Printer, PrinterModel, fit_out

from .once import once
from .permissions import may
from .problems import Problem
from .signed import SignedIn

router = Router(tags=["workshop"])


class AreaIn(Schema):
    name: str = Field(min_length=1, max_length=60)


class LimitIn(Schema):
    what: str = Field(max_length=30)
    place: str = Field(max_length=5)
    low: float | None = None
    high: float | None = None
    unit: str = "N"
    source: str = Field(min_length=1, max_length=120)


class ModelIn(Schema):
    name: str = Field(min_length=1, max_length=60)
    description: Description
    limits: list[LimitIn] = []
    notes: str = ""


class Learned(Schema):
    """A cause that was confirmed on machines of a model, and how often."""

    label: str
    times: int


class ModelOut(ModelIn):
    id: int
    printers: int
    learned: list[Learned] = []


class PrinterIn(Schema):
    name: str = Field(min_length=1, max_length=40)
    model_id: int
    area_id: int
    serial: str = Field("", max_length=40)
    in_use_since: date | None = None


class PrinterBrief(PrinterIn):
    id: int
    simulated: bool
    retired: bool


class InstrumentIn(Schema):
    name: str = Field(min_length=1, max_length=60)
    kind: str = Field(min_length=1, max_length=30)
    resolution: float | None = None
    u95: float | None = None
    unit: str = Field("mm", max_length=12)
    checked_on: date | None = None
    checked_against: str = Field("", max_length=120)
    check_due: date | None = None
    address: str = Field("", max_length=120, pattern=r"^([A-Za-z0-9.\-]+:[0-9]{1,5})?$")


class InstrumentFull(InstrumentIn):
    id: int


class AreaFull(AreaIn):
    id: int


class LimitKind(Schema):
    """What the limits table may hold: a whole band, or its upper end alone."""

    what: str
    words: str
    unit: str
    side: Literal["high", "band"]


class Workshop(Schema):
    areas: list[AreaFull]
    models: list[ModelOut]
    printers: list[PrinterBrief]
    instruments: list[InstrumentFull]
    limit_kinds: list[LimitKind]


class PersonIn(Schema):
    username: str
    name: str
    password: str
    role: Literal["member", "technician", "lead"] = "member"


class PersonChange(Schema):
    role: Literal["member", "technician", "lead"] | None = None
    is_active: bool | None = None


class PersonOut(Schema):
    id: int
    username: str
    name: str
    role: Literal["member", "technician", "lead"]
    is_active: bool


class AuditLine(Schema):
    at: datetime
    who: str
    verb: str
    what: str
    words: str


def the_workshop() -> Workshop:
    models = []
    for m in PrinterModel.objects.prefetch_related("limits", "printers"):
        models.append(
            ModelOut(
                id=m.pk,
                name=m.name,
                description=m.motion(),
                limits=[LimitIn.model_validate(x, from_attributes=True) for x in m.limits.all()],
                notes=m.notes,
                printers=len(m.printers.all()),
                learned=[
                    Learned(label=knowledge.faults()[fault].label, times=times)
                    for fault, times in Counter(c.fault for c in confirmed_cases(m)).most_common()
                ],
            )
        )
    return Workshop(
        areas=[AreaFull(id=a.pk, name=a.name) for a in Area.objects.all()],
        models=models,
        printers=[
            PrinterBrief(
                id=p.pk,
                name=p.name,
                model_id=p.model_id,
                area_id=p.area_id,
                serial=p.serial,
                in_use_since=p.in_use_since,
                simulated=p.simulated is not None,
                retired=p.retired,
            )
            for p in Printer.objects.all()
        ],
        instruments=[InstrumentFull.model_validate(i, from_attributes=True) for i in Instrument.objects.all()],
        limit_kinds=[LimitKind(what=s.what, words=s.words, unit=s.unit, side=s.side) for s in limits().values()],
    )


def _free(
    rows: type[Area] | type[PrinterModel] | type[Printer] | type[Instrument], name: str, but: int | None = None
) -> str:
    """The trimmed name, refused where another row of the kind has it."""
    name = name.strip()
    if not name:
        raise Problem(422, "missing_field", "Give it a name.", "name")
    if rows.objects.filter(name__iexact=name).exclude(pk=but or 0).exists():
        raise Problem(422, "out_of_range", f"There is already one called “{name}”.", "name")
    return name


@router.get("/workshop", auth=may("workshop.see"), response=Workshop, operation_id="workshop.see")
def see(request: SignedIn):
    """Places, models, printers and instruments."""
    return the_workshop()


@router.post("/workshop/areas", auth=may("workshop.change"), response=Workshop, operation_id="workshop.add_area")
@once
def add_area(request: SignedIn, payload: AreaIn):
    """Add a part of the room."""
    area = Area.objects.create(name=_free(Area, payload.name), position=Area.objects.count())
    audit(request.user, "added", area, f"Added the area {area.name}.")
    return the_workshop()


def save_model(model: PrinterModel, payload: ModelIn) -> None:
    for remark in remarks(payload.description):
        if remark.grave:
            raise Problem(422, "out_of_range", remark.words, ".".join(map(str, ["description", *remark.path])))
    model.name = _free(PrinterModel, payload.name, model.pk)
    # Only what is told: the rest stays typical, and is shown so.
    model.description = payload.description.model_dump(mode="json", exclude_none=True, exclude_unset=True) | {
        "kinematics": payload.description.kinematics
    }
    model.notes = payload.notes
    model.save()
    model.limits.all().delete()
    for i, limit in enumerate(payload.limits):
        if limit.what not in limits():
            known = ", ".join(s.words.lower() for s in limits().values())
            raise Problem(
                422, "out_of_range", f"There is no limit “{limit.what}”. There are: {known}.", f"limits.{i}.what"
            )
        if limit.low is not None and limit.high is not None and limit.low >= limit.high:
            raise Problem(422, "out_of_range", "The lower limit must be below the upper.", f"limits.{i}.low")
        Limit.objects.create(model=model, **limit.model_dump())


@router.post("/workshop/models", auth=may("workshop.change"), response=Workshop, operation_id="workshop.add_model")
@once
def add_model(request: SignedIn, payload: ModelIn):
    """Describe a model of printer."""
    model = PrinterModel()
    save_model(model, payload)
    audit(request.user, "added", model, f"Described the model {model.name}.")
    return the_workshop()


@router.put(
    "/workshop/models/{model_id}", auth=may("workshop.change"), response=Workshop, operation_id="workshop.change_model"
)
@once
def change_model(request: SignedIn, model_id: int, payload: ModelIn):
    """Change a model's description and limits. Results already computed keep the figures they were made with."""
    model = get_object_or_404(PrinterModel, pk=model_id)
    before = model.description
    save_model(model, payload)
    audit(request.user, "changed", model, f"Changed the model {model.name}.", before=before)
    return the_workshop()


@router.post(
    "/workshop/models/{model_id}/forget", auth=may("workshop.forget"), response=Workshop, operation_id="workshop.forget"
)
@once
def forget(request: SignedIn, model_id: int):
    """Weigh this model by the knowledge's own base rates again: causes confirmed until now no longer count."""
    model = get_object_or_404(PrinterModel, pk=model_id)
    model.learned_since = now()
    model.save()
    audit(request.user, "reset", model, f"Base rates of {model.name} begin anew.")
    return the_workshop()


@router.post("/workshop/printers", auth=may("workshop.change"), response=Workshop, operation_id="workshop.add_printer")
@once
def add_printer(request: SignedIn, payload: PrinterIn):
    """Put a printer on the floor; it gets the components of its model."""
    values = payload.model_dump()
    values["name"] = _free(Printer, payload.name)
    get_object_or_404(PrinterModel, pk=payload.model_id)
    get_object_or_404(Area, pk=payload.area_id)
    printer = Printer.objects.create(**values, position=Printer.objects.filter(area_id=payload.area_id).count())
    fit_out(printer)
    audit(request.user, "added", printer, f"Put {printer.name} on the floor.")
    return the_workshop()


@router.post(
    "/workshop/instruments", auth=may("workshop.change"), response=Workshop, operation_id="workshop.add_instrument"
)
@once
def add_instrument(request: SignedIn, payload: InstrumentIn):
    """Add an instrument."""
    values = payload.model_dump()
    values["name"] = _free(Instrument, payload.name)
    instrument = Instrument.objects.create(**values)
    audit(request.user, "added", instrument, f"Added the instrument {instrument.name}.")
    return the_workshop()


def _people() -> list[PersonOut]:
    return [PersonOut.model_validate(u, from_attributes=True) for u in User.objects.order_by("name")]


@router.get("/people", auth=may("people.list"), response=list[PersonOut], operation_id="people.list")
def people(request: SignedIn):
    """All accounts."""
    return _people()


@router.post("/people", auth=may("people.change"), response=list[PersonOut], operation_id="people.add")
@once
def add_person(request: SignedIn, payload: PersonIn):
    """Make an account."""
    user = make_account(payload.username, payload.name, payload.password, Role(payload.role))
    audit(request.user, "added", user, f"Made an account for {user.name} ({user.role}).")
    return _people()


@router.patch("/people/{user_id}", auth=may("people.change"), response=list[PersonOut], operation_id="people.change")
@once
def change_person(request: SignedIn, user_id: int, payload: PersonChange):
    """Change a role, or close an account. The last lead stays one."""
    with transaction.atomic():
        leads = list(User.objects.select_for_update().filter(role=Role.LEAD, is_active=True))
        user = get_object_or_404(User.objects.select_for_update(), pk=user_id)
        for name, value in payload.model_dump(exclude_none=True).items():
            setattr(user, name, value)
        if [u.pk for u in leads] == [user.pk] and not (user.role == Role.LEAD and user.is_active):
            raise Problem(409, "last_lead", "This is the last lead. Make somebody else a lead first.", "role")
        user.save()
        audit(request.user, "changed", user, f"{user.name}: {user.role}, {'active' if user.is_active else 'closed'}.")
    return _people()


@router.get("/audit", auth=may("audit.see"), response=list[AuditLine], operation_id="audit.see")
def audit_trail(request: SignedIn):
    """The last 500 deeds."""
    rows = AuditEntry.objects.select_related("who")[:500]
    return [AuditLine(at=e.at, who=name_of(e.who), verb=e.verb, what=e.what, words=e.words) for e in rows]
