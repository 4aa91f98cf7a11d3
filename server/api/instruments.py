"""Instruments: their checks against something known, and how good a reading is in whose hands."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from kestov_core.procedures.gauge_study import GaugeStudyResult, StudyRow
from kestov_core.procedures.instrument_check import InstrumentCheckResult
from measuring import studies
from measuring.checks import check, doubt
from measuring.models import InstrumentCheck, Study
from ninja import Field, Router
from people.models import User, name_of
from workshop.models import Instrument

from .downloads import table
from .once import once
from .permissions import may
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["instruments"])

Figure = Annotated[float, Field(ge=-1e6, le=1e6)]
Figures = Annotated[list[Figure], Field(max_length=40)]


class CheckIn(Shape):
    """What was read of something known (or of a square both ways round), and when it is checked again."""

    how: Literal["known", "turned_over"]
    against: str = Field(min_length=1, max_length=120)
    reference: Figure | None = None
    reference_u95: Annotated[float, Field(ge=0, le=1e6)] | None = None
    readings: Figures
    reversed: Figures = []
    limit: Annotated[float, Field(gt=0, le=1e6)] | None = None
    check_due: date | None = None


class CheckOut(Shape):
    id: int
    at: datetime
    by: str
    against: str
    reference: float | None
    readings: list[float]
    reversed: list[float]
    found: InstrumentCheckResult


class PersonHere(Shape):
    id: int
    name: str


class StudyIn(Shape):
    what: str = Field(min_length=1, max_length=120)
    people: Annotated[list[int], Field(max_length=studies.MOST_PEOPLE)]
    pieces: Annotated[list[Annotated[str, Field(min_length=1, max_length=40)]], Field(max_length=studies.MOST_PIECES)]
    times: int
    tolerance: Annotated[float, Field(gt=0, le=1e6)] | None = None


class StudyBrief(Shape):
    """A study in a list. ``taken`` of ``wanted`` readings are there; ``counts``: it says what a reading is good to."""

    id: int
    at: datetime
    what: str
    people: list[str]
    pieces: int
    taken: int
    wanted: int
    counts: bool


class InstrumentHere(Shape):
    """An instrument with its checks and studies, newest first. ``hands``: who may take part in a study."""

    id: int
    name: str
    kind: str
    unit: str
    resolution: float | None
    u95: float | None
    address: str
    in_hands: float | None
    checked_on: date | None
    checked_against: str
    check_due: date | None
    doubt: str
    checks: list[CheckOut]
    studies: list[StudyBrief]
    hands: list[PersonHere]


class StudyReadingOut(Shape):
    """A reading of a study that stands."""

    id: int
    person: int
    piece: int
    value: float


class TurnHere(Shape):
    """What a person measures next: its number in their order, and which piece."""

    position: int
    piece: int


class PersonInStudy(Shape):
    """One who takes part, and what is left for them to measure, in their order."""

    id: int
    name: str
    left: list[TurnHere]


class StudyHere(Shape):
    """A study: who has still to measure what, and, once all of it is there, what it found."""

    id: int
    instrument_id: int
    instrument: str
    resolution: float | None
    unit: str
    what: str
    at: datetime
    by: str
    people: list[PersonInStudy]
    pieces: list[str]
    times: int
    tolerance: float | None
    readings: list[StudyReadingOut]
    found: GaugeStudyResult | None
    counts_since: datetime | None


class ReadingIn(Shape):
    position: Annotated[int, Field(ge=0, le=10_000)]
    value: Annotated[float, Field(ge=-1e6, le=1e6)]


class ReadingsIn(Shape):
    person: int
    readings: Annotated[list[ReadingIn], Field(min_length=1, max_length=studies.MOST_PIECES * studies.MOST_TIMES)]


def _check(row: InstrumentCheck) -> CheckOut:
    return CheckOut(
        id=row.pk,
        at=row.at,
        by=name_of(row.by),
        against=row.against,
        reference=row.context.get("reference"),
        readings=row.context.get("readings", []),
        reversed=row.context.get("reversed", []),
        found=InstrumentCheckResult.model_validate(row.found),
    )


def _brief(row: Study) -> StudyBrief:
    return StudyBrief(
        id=row.pk,
        at=row.at,
        what=row.what,
        people=[p["name"] for p in row.people],
        pieces=len(row.pieces),
        taken=len(studies.readings(row)),
        wanted=len(row.people) * len(row.pieces) * row.times,
        counts=row.counts_since is not None,
    )


def the_instrument(instrument_id: int, user: User) -> InstrumentHere:
    """An instrument as its page shows it to this person."""
    i = get_object_or_404(Instrument, pk=instrument_id)
    return InstrumentHere(
        id=i.pk,
        name=i.name,
        kind=i.kind,
        unit=i.unit,
        resolution=i.resolution,
        u95=i.u95,
        address=i.address,
        in_hands=studies.u95_in_hands(i, user),
        checked_on=i.checked_on,
        checked_against=i.checked_against,
        check_due=i.check_due,
        doubt=doubt(i),
        checks=[_check(row) for row in i.checks.select_related("by")[:20]],
        studies=[_brief(row) for row in i.studies.all()[:20]],
        hands=[PersonHere(id=u.pk, name=name_of(u)) for u in studies.hands()],
    )


def _study(row: Study) -> StudyHere:
    taken = studies.readings(row)
    return StudyHere(
        id=row.pk,
        instrument_id=row.instrument_id,
        instrument=row.instrument.name,
        resolution=row.instrument.resolution,
        unit=row.unit,
        what=row.what,
        at=row.at,
        by=name_of(row.by),
        people=[
            PersonInStudy(
                id=p["id"],
                name=p["name"],
                left=[TurnHere(position=t.position, piece=t.piece) for t in studies.turns_left(row, p["id"], taken)],
            )
            for p in row.people
        ],
        pieces=row.pieces,
        times=row.times,
        tolerance=row.tolerance,
        readings=[StudyReadingOut(id=r.pk, person=r.person, piece=r.piece, value=r.value) for r in taken],
        found=None if row.found is None else GaugeStudyResult.model_validate(row.found),
        counts_since=row.counts_since,
    )


@router.get(
    "/instruments/{instrument_id}", auth=may("instruments.see"), response=InstrumentHere, operation_id="instruments.see"
)
def see(request: SignedIn, instrument_id: int):
    """An instrument, its checks and its studies."""
    return the_instrument(instrument_id, request.user)


@router.post(
    "/instruments/{instrument_id}/checks",
    auth=may("instruments.check"),
    response=InstrumentHere,
    operation_id="instruments.check",
)
@once
def add_check(request: SignedIn, instrument_id: int, payload: CheckIn):
    """Keep a check of an instrument with its result."""
    typed = payload.model_dump(exclude={"against", "check_due"}, exclude_none=True)
    check(request.user, instrument_id, payload.against, typed, payload.check_due)
    return the_instrument(instrument_id, request.user)


@router.post(
    "/instruments/{instrument_id}/studies",
    auth=may("instruments.study"),
    response=StudyHere,
    operation_id="instruments.study",
)
@once
def set_up(request: SignedIn, instrument_id: int, payload: StudyIn):
    """Begin a comparison of people with this instrument."""
    return _study(studies.set_up(request.user, instrument_id, **payload.model_dump()))


def _the_study(study_id: int) -> Study:
    return get_object_or_404(Study.objects.select_related("instrument", "by"), pk=study_id)


@router.get("/studies/{study_id}", auth=may("studies.see"), response=StudyHere, operation_id="studies.see")
def see_study(request: SignedIn, study_id: int):
    """A comparison: what is left to measure, and what it found."""
    return _study(_the_study(study_id))


@router.get("/studies/{study_id}/readings.csv", auth=may("studies.see"), operation_id="studies.export")
def export(request: SignedIn, study_id: int) -> HttpResponse:
    """All readings of a comparison, as the core reads them."""
    row = _the_study(study_id)
    rows = [r.model_dump() for r in studies.as_rows(row, studies.readings(row))]
    return table([list(StudyRow.model_fields), *(list(r.values()) for r in rows)], f"comparison-{row.pk}.csv")


@router.post("/studies/{study_id}/readings", auth=may("studies.run"), response=StudyHere, operation_id="studies.read")
@once
def keep(request: SignedIn, study_id: int, payload: ReadingsIn):
    """Keep readings of one person."""
    typed = [(r.position, r.value) for r in payload.readings]
    return _study(studies.keep(request.user, study_id, payload.person, typed))


@router.post(
    "/studies/{study_id}/readings/{reading_id}/again",
    auth=may("studies.run"),
    response=StudyHere,
    operation_id="studies.again",
)
@once
def take_again(request: SignedIn, study_id: int, reading_id: int):
    """Withdraw a slip, so that it is read again."""
    return _study(studies.take_again(request.user, study_id, reading_id))


@router.post("/studies/{study_id}/count", auth=may("studies.run"), response=StudyHere, operation_id="studies.count")
@once
def let_count(request: SignedIn, study_id: int):
    """Let a comparison say what a reading with this instrument is good to."""
    return _study(studies.let_count(request.user, study_id))
