"""The workshop itself: places, printer models with belts and limits, printers, instruments, accounts. The lead's."""

from __future__ import annotations

from collections import Counter
from datetime import date, datetime
from typing import Annotated, Literal

from cases.learning import Look, looks
from cases.mending import known_here
from cases.models import Case
from cases.weighing import confirmed_cases
from kestov_core import knowledge, procedures
from kestov_core.asking import Choice
from kestov_core.describing import LimitTold
from kestov_core.knowledge.mended import Book
from kestov_core.machine import Description
from measuring.checks import doubt
from ninja import Field, Router
from people import trail
from people.accounts import add_account, change_account, make_code
from people.models import Role, User, name_of
from workshop import adding
from workshop.models import Area, Instrument, Printer, PrinterModel, School

from .once import once
from .permissions import may
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["workshop"])

#: Looks that are told with a model.
_MOST_LOOKS = 8


class AreaIn(Shape):
    name: str = Field(min_length=1, max_length=60)


class ModelIn(Shape):
    name: str = Field(min_length=1, max_length=60)
    description: Description
    limits: list[LimitTold] = Field([], max_length=500)
    notes: str = Field("", max_length=4000)


class Learned(Shape):
    """A cause that was confirmed on machines of a model, and how often."""

    label: str
    times: int


class LookLearned(Shape):
    """What the closed cases of a model say of a check.

    ``should``: how often something was there that it looks for; ``saw``: and it saw it. ``minutes``: what it took, in the mean of
    ``times``, beside the ``typical`` ones.
    """

    label: str
    should: int
    saw: int
    minutes: float | None
    times: int
    typical: float


class ModelOut(ModelIn):
    id: int
    printers: int
    learned: list[Learned] = []
    looks: list[LookLearned] = []


class PrinterIn(Shape):
    name: str = Field(min_length=1, max_length=40)
    model_id: int
    area_id: int
    serial: str = Field("", max_length=40)
    in_use_since: date | None = None


class PrinterBrief(PrinterIn):
    id: int
    simulated: bool
    retired: bool


Size = Annotated[float, Field(ge=0, le=1e6)]


class InstrumentFacts(Shape):
    """What an instrument is: the smallest step that it shows, and what it is said to be good to, in its unit."""

    name: str = Field(min_length=1, max_length=60)
    kind: str = Field(min_length=1, max_length=30)
    resolution: Size | None = None
    u95: Size | None = None
    unit: str = Field("mm", min_length=1, max_length=12)
    address: str = Field("", max_length=120, pattern=r"^([A-Za-z0-9.\-]+:[0-9]{1,5})?$")


class InstrumentIn(InstrumentFacts):
    checked_on: date | None = None
    checked_against: str = Field("", max_length=120)
    check_due: date | None = None


class InstrumentFull(InstrumentIn):
    """``doubt``: why it should not be believed as it is, in words."""

    id: int
    doubt: str


class AreaFull(AreaIn):
    id: int


class LimitKind(Shape):
    """What the limits table may hold: a whole band, or its upper end alone."""

    what: str
    words: str
    unit: str
    side: Literal["high", "band"]


class SchoolHeld(Shape):
    """A question over which practitioners differ, its answers (the typical one first), and which this workshop holds with."""

    what: str
    words: str
    choices: list[Choice]
    choice: str


class SchoolIn(Shape):
    what: Annotated[str, Field(max_length=20)]
    choice: Annotated[str, Field(max_length=20)]


class Workshop(Shape):
    areas: list[AreaFull]
    models: list[ModelOut]
    printers: list[PrinterBrief]
    instruments: list[InstrumentFull]
    limit_kinds: list[LimitKind]
    schools: list[SchoolHeld]


class PersonIn(Shape):
    username: str = Field(max_length=150)
    name: str = Field(max_length=80)
    password: str = Field(max_length=200)
    role: Literal["member", "technician", "lead"] = "member"


class PersonChange(Shape):
    role: Literal["member", "technician", "lead"] | None = None
    is_active: bool | None = None


class PersonOut(Shape):
    id: int
    username: str
    name: str
    role: Literal["member", "technician", "lead"]
    is_active: bool


class AuditLine(Shape):
    """``entered_at``: when it was entered on a device without network; null where it came at once."""

    at: datetime
    entered_at: datetime | None
    who: str
    verb: str
    what: str
    words: str


class AuditPage(Shape):
    """A page of the audit trail, newest first; ``more``: older lines follow."""

    lines: list[AuditLine]
    more: bool


def _looks(closed: list[Case], known: Book) -> list[LookLearned]:
    """What these cases say of each look, those that say most first."""
    told = sorted(looks(closed, known).values(), key=lambda x: -(x.should + len(x.took)))
    return [_look(x) for x in told[:_MOST_LOOKS] if x.should or x.took]


def _look(x: Look) -> LookLearned:
    check = knowledge.checks()[x.check]
    return LookLearned(
        label=check.label, should=x.should, saw=x.saw, minutes=x.mean_taken, times=len(x.took), typical=x.typical
    )


def the_workshop() -> Workshop:
    models, known = [], known_here()
    for m in PrinterModel.objects.prefetch_related("limits", "printers"):
        closed = confirmed_cases(m)
        models.append(
            ModelOut(
                id=m.pk,
                name=m.name,
                description=m.motion(),
                limits=[LimitTold.model_validate(x, from_attributes=True) for x in m.limits.all()],
                notes=m.notes,
                printers=len(m.printers.all()),
                learned=[
                    Learned(label=knowledge.faults()[fault].label, times=times)
                    for fault, times in Counter(c.fault for c in closed).most_common()
                ],
                looks=_looks(closed, known),
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
        instruments=[
            InstrumentFull(**InstrumentIn.model_validate(i, from_attributes=True).model_dump(), id=i.pk, doubt=doubt(i))
            for i in Instrument.objects.all()
        ],
        limit_kinds=[
            LimitKind(what=s.what, words=s.words, unit=s.unit, side=s.side) for s in procedures.limits().values()
        ],
        schools=_schools(),
    )


def _schools() -> list[SchoolHeld]:
    held = dict(School.objects.values_list("what", "choice"))
    return [
        SchoolHeld(what=what, words=s.words, choices=list(choices), choice=held.get(what, choices[0].value))
        for what, (s, choices) in procedures.schools().items()
    ]


@router.post("/workshop/schools", auth=may("workshop.change"), response=Workshop, operation_id="workshop.hold_with")
@once
def hold_with(request: SignedIn, payload: SchoolIn):
    """Set what the workshop holds with where practitioners differ."""
    adding.hold_with(request.user, payload.what, payload.choice)
    return the_workshop()


@router.get("/workshop", auth=may("workshop.see"), response=Workshop, operation_id="workshop.see")
def see(request: SignedIn):
    """Places, models, printers and instruments."""
    return the_workshop()


@router.post("/workshop/areas", auth=may("workshop.change"), response=Workshop, operation_id="workshop.add_area")
@once
def add_area(request: SignedIn, payload: AreaIn):
    """Add a part of the room."""
    adding.add_area(request.user, payload.name)
    return the_workshop()


@router.post("/workshop/models", auth=may("workshop.change"), response=Workshop, operation_id="workshop.add_model")
@once
def add_model(request: SignedIn, payload: ModelIn):
    """Describe a model of printer."""
    _describe(request.user, payload)
    return the_workshop()


def _describe(by: User, p: ModelIn, model_id: int | None = None) -> None:
    adding.describe(by, p.name, p.description, p.limits, p.notes, model_id)


@router.put(
    "/workshop/models/{model_id}", auth=may("workshop.change"), response=Workshop, operation_id="workshop.change_model"
)
@once
def change_model(request: SignedIn, model_id: int, payload: ModelIn):
    """Change a model's description and limits. Results already computed keep the figures they were made with."""
    _describe(request.user, payload, model_id)
    return the_workshop()


@router.post(
    "/workshop/models/{model_id}/forget", auth=may("workshop.forget"), response=Workshop, operation_id="workshop.forget"
)
@once
def forget(request: SignedIn, model_id: int):
    """Weigh this model by the knowledge's own base rates again: causes confirmed until now no longer count."""
    adding.forget_causes(request.user, model_id)
    return the_workshop()


@router.post("/workshop/printers", auth=may("workshop.change"), response=Workshop, operation_id="workshop.add_printer")
@once
def add_printer(request: SignedIn, payload: PrinterIn):
    """Put a printer on the floor; it gets the components of its model."""
    adding.add_printer(request.user, **payload.model_dump())
    return the_workshop()


@router.post(
    "/workshop/instruments", auth=may("workshop.change"), response=Workshop, operation_id="workshop.add_instrument"
)
@once
def add_instrument(request: SignedIn, payload: InstrumentIn):
    """Add an instrument."""
    adding.add_instrument(request.user, **payload.model_dump())
    return the_workshop()


@router.post(
    "/workshop/instruments/{instrument_id}",
    auth=may("workshop.change"),
    response=Workshop,
    operation_id="workshop.change_instrument",
)
@once
def change_instrument(request: SignedIn, instrument_id: int, payload: InstrumentFacts):
    """Tell of an instrument anew what it is; its checks and comparisons stay."""
    adding.change_instrument(request.user, instrument_id, **payload.model_dump())
    return the_workshop()


def _people() -> list[PersonOut]:
    return [PersonOut.model_validate(u, from_attributes=True) for u in User.objects.order_by("name")]


@router.get("/people", auth=may("people.list"), response=list[PersonOut], operation_id="people.list")
def people(request: SignedIn):
    """All accounts; who looked stands in the audit trail."""
    trail.looked(request.user, "the accounts")
    return _people()


@router.post("/people", auth=may("people.change"), response=list[PersonOut], operation_id="people.add")
@once
def add_person(request: SignedIn, payload: PersonIn):
    """Make an account."""
    add_account(request.user, payload.username, payload.name, payload.password, Role(payload.role))
    return _people()


@router.patch("/people/{user_id}", auth=may("people.change"), response=list[PersonOut], operation_id="people.change")
@once
def change_person(request: SignedIn, user_id: int, payload: PersonChange):
    """Change a role, or close an account. The last lead stays one."""
    role = Role(payload.role) if payload.role is not None else None
    change_account(request.user, user_id, role, payload.is_active)
    return _people()


class CodeOut(Shape):
    """A code for a new password, told once."""

    code: str
    until: datetime


@router.post("/people/{user_id}/code", auth=may("people.change"), response=CodeOut, operation_id="people.code")
def code_for(request: SignedIn, user_id: int):
    """Make a code with which somebody who has forgotten their password sets a new one, once and within an hour."""
    code, until = make_code(request.user, user_id)
    return CodeOut(code=code, until=until)


@router.get("/audit", auth=may("audit.see"), response=AuditPage, operation_id="audit.see")
def audit_trail(request: SignedIn, page: int = 1):
    """Who did what, newest first; who looked stands in it, too."""
    if page == 1:
        trail.looked(request.user, "who did what")
    rows, more = trail.page(page)
    lines = [
        AuditLine(at=e.at, entered_at=e.entered_at, who=name_of(e.who), verb=e.verb, what=e.what, words=e.words)
        for e in rows
    ]
    return AuditPage(lines=lines, more=more)
