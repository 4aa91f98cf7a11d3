"""The bench: what can be measured on a machine, what a measurement asks for, rounds, and what was turned."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal, cast
from uuid import UUID

from cases.acts import case_of
from cases.bench import First, first
from django.db.models import prefetch_related_objects
from django.shortcuts import get_object_or_404
from kestov_core import knowledge, procedures
from kestov_core.asking import FieldHere, ReadingsHere, fields_here, readings_here
from kestov_core.course import Course
from kestov_core.grids import GridAsked, GridRead, read_grid
from kestov_core.knowledge.cards import STATE_WORDS, Card, Next
from kestov_core.machine import (
    BeltTransmission,
    Description,
    Kinematics,
    across,
    whose_motion,
)
from kestov_core.parts.places import SheetPlace
from kestov_core.procedures.base import Procedure
from kestov_core.procedures.belt_set import BeltSetResult
from kestov_core.quantities import Quantity, Verdict
from measuring import own_parts, recording
from measuring.checks import doubt
from measuring.models import OwnPart, Standing
from measuring.rounds import Reading, Round, courses, newest_tensions, not_read, places_of, rounds, set_belts, target_of
from measuring.setting import Turned, course_of, sets, turn_by
from measuring.taking import known_of, measuring, procedure_at
from measuring.turning import turn
from ninja import Router
from people.models import name_of
from pydantic import Field
from workshop.models import Instrument, Printer
from workshop.tags import locked

from .once import once
from .permissions import may
from .problems import Problem
from .shapes import CaptureOut, Shape, capture_out, quantity_of
from .signed import SignedIn
from .still import still

router = Router(tags=["bench"])


class BenchBelt(Shape):
    """A belt as its pane draws it; what a reading needs, and where it is from, is told with the measurement's page."""

    place: str
    partner: str | None
    belt: BeltTransmission
    span_mm: float | None
    span_name: str
    head_at: dict[str, float] | None
    target_low_n: float
    target_high_n: float
    last: CaptureOut | None


class InstrumentOut(Shape):
    id: int
    name: str
    kind: str
    doubt: str
    on_network: bool


class LastFigure(Shape):
    """The newest capture of a procedure at a place."""

    procedure: str
    place: str
    quantity: Quantity | None
    verdict: Verdict
    at: datetime
    capture_id: UUID


class WallAsked(Shape):
    """A wall by the way it runs, the axis whose ringing it shows, and why."""

    runs: Literal["x", "y"]
    axis: Literal["x", "y"]
    words: str


class BenchPlace(Shape):
    """Where something can be measured, as its link and its question call it."""

    place: str
    label: str
    question: str


class BenchEntry(Shape):
    """What can be measured on a machine: one way, at its places."""

    procedure: str
    group: str
    short: str
    minutes: float
    instruments: list[str]
    places: list[BenchPlace]


class CardHere(Shape):
    """What a person reads of a procedure at a place."""

    question: str
    heading: str
    how: list[str]
    caution: str
    state: str
    minutes: float
    needs: list[str]
    notes: list[str]


class NextHere(Shape):
    """What to measure after it, and why."""

    procedure: str
    place: str
    short: str
    why: str


class GridHere(Shape):
    """Where a pasted map's first and last column and line lie, as far as the bed's size tells (mm)."""

    left_mm: float
    right_mm: float
    front_mm: float
    rear_mm: float


class PageHere(Shape):
    """All that the bench's page of a procedure at a place needs: words, figures with their sources, readings, ways in."""

    procedure: str
    place: str
    card: CardHere
    fields: list[FieldHere]
    readings: ReadingsHere | None
    program: list[FieldHere] | None
    program_words: str
    planned: list[SheetPlace]
    grid: GridHere | None
    columns: list[str]
    data: Literal["wav", "csv"] | None
    live: Literal["microphone", "accelerometer"] | None
    photo: list[str]
    by_wall: bool
    rounds: bool
    turned: bool
    practice: Literal["readings", "record"] | None
    instruments: list[InstrumentOut]
    next: NextHere | None


class ProcedureOut(Shape):
    """A procedure of the core: what it measures, its card, and the JSON Schemas of its input and result."""

    name: str
    title: str
    measures: str | None
    kinematics: list[str]
    data: str | None
    adjustable: bool
    interval_days: int
    card: Card | None
    schemas: dict[str, Any]


class FirstOut(Shape):
    """A measurement that stands first, and why."""

    procedure: str
    place: str
    short: str
    label: str
    question: str
    minutes: float
    why: str


class BenchOut(Shape):
    printer_id: int
    printer: str
    kinematics: Kinematics
    simulated: bool
    recording_s: int
    belts: list[BenchBelt]
    instruments: list[InstrumentOut]
    first: list[FirstOut]
    entries: list[BenchEntry]
    walls: list[WallAsked]
    last: list[LastFigure]


class RoundReading(Shape):
    place: str
    capture: CaptureOut


class ActionOut(Shape):
    id: int
    place: str
    target: str
    turns: float
    unit: str
    direction: str
    advised: float | None
    by: str
    at: datetime
    note: str


class RoundOut(Shape):
    number: int
    readings: list[RoundReading]
    actions: list[ActionOut]


class BeltCourse(Shape):
    """Whether the rounds of a belt hold, help, or no longer do."""

    place: str
    course: Course


class RoundsOut(Shape):
    """The rounds so far, which belts still want measuring in this round, what to turn once all are, and what it came to."""

    places: list[str]
    rounds: list[RoundOut]
    missing: list[str]
    advice: BeltSetResult | None
    courses: list[BeltCourse]


class SetOut(Shape):
    """The rounds of what is turned at a place by one measurement, and whether they hold, help, or no longer do."""

    rounds: list[RoundOut]
    course: Course | None


class OneTurn(Shape):
    """What was turned: which, how far, and which of its two ways. ``advised``: how far the tool had said."""

    target: Annotated[str, Field(max_length=40)]
    amount: float
    way: Annotated[str, Field(max_length=20)]
    advised: float | None = None


class TurnedIn(Shape):
    """All that was turned after a measurement."""

    turned: Annotated[list[OneTurn], Field(max_length=12)]
    case_id: int | None = None
    note: Annotated[str, Field(max_length=300)] = ""


class Turn(Shape):
    """What was turned: positive tightens; mm for sliders. ``advised``: what the tool had said."""

    place: str
    turns: float
    advised: float | None = None
    case_id: int | None = None
    note: str = ""


def the_printer(printer_id: int, place: str | None = None) -> Printer:
    """A printer in use; with a place, one that has a belt there."""
    printer = get_object_or_404(Printer.objects.select_related("model", "area"), pk=printer_id, retired=False)
    if place is not None and place not in printer.motion().belts():
        raise Problem(422, "out_of_range", f"{printer.name} has no belt “{place}”.", "place")
    return printer


@router.get("/printers/{printer_id}/bench", auth=may("bench.see"), response=BenchOut, operation_id="bench.see")
@still
def bench(request: SignedIn, printer_id: int, case_id: int | None = None):
    """What can be measured on a machine, what of it comes first, and what its belts need to know."""
    printer = the_printer(printer_id)
    case = printer.cases.filter(pk=case_id).first() if case_id is not None else None
    motion = printer.motion()
    prefetch_related_objects([printer.model], "limits")
    belts = motion.belts()
    tensions = newest_tensions(printer, list(belts))
    newest = list(Standing.objects.filter(printer=printer))
    return BenchOut(
        printer_id=printer.pk,
        printer=printer.name,
        kinematics=motion.kinematics,
        simulated=printer.simulated is not None,
        recording_s=recording.MOST_SECONDS,
        walls=[WallAsked(runs=w, axis=across(w), words=whose_motion(motion.kinematics, w)) for w in ("x", "y")],
        belts=[_belt(printer, place, belt, tensions.get(place)) for place, belt in belts.items()],
        instruments=[_instrument(i) for i in Instrument.objects.all()],
        first=[_first(f) for f in first(printer, case, newest)],
        entries=[e for p in measuring() if (e := _entry(p, motion)) is not None],
        last=[
            LastFigure(
                procedure=s.procedure,
                place=s.place,
                quantity=quantity_of(s),
                verdict=cast(Verdict, s.verdict),
                at=s.taken_at,
                capture_id=s.capture_id,
            )
            for s in newest
        ],
    )


def _instrument(i: Instrument) -> InstrumentOut:
    return InstrumentOut(id=i.pk, name=i.name, kind=i.kind, doubt=doubt(i), on_network=bool(i.address))


def _first(f: First) -> FirstOut:
    card = knowledge.cards()[f.procedure].here(f.place)
    return FirstOut(
        procedure=f.procedure,
        place=f.place,
        short=card.short,
        label=card.label,
        question=card.question,
        minutes=card.minutes,
        why=f.why,
    )


def _entry(procedure: Procedure, motion: Description) -> BenchEntry | None:
    """A procedure as the start page shows it; None where this machine has no place for it."""
    card, places = knowledge.cards()[procedure.name], procedure.places(motion)
    if not places:
        return None
    here = [(p, card.here(p)) for p in places]
    return BenchEntry(
        procedure=procedure.name,
        group=card.group,
        short=card.short,
        minutes=card.minutes,
        instruments=card.instruments,
        places=[BenchPlace(place=p, label=c.label, question=c.question) for p, c in here],
    )


@router.get(
    "/printers/{printer_id}/bench/{procedure}/{place}",
    auth=may("bench.see"),
    response=PageHere,
    operation_id="bench.page",
)
def page(
    request: SignedIn,
    printer_id: int,
    procedure: str,
    place: str,
    instrument_id: int | None = None,
    part: int | None = None,
):
    """What one measurement asks for at a place of a machine, with what is known already and where that is from.

    ``part``: a part of the workshop's own whose places are measured, one after the other.
    """
    printer = the_printer(printer_id)
    here = procedure_at(printer, procedure, place)
    instrument = get_object_or_404(Instrument, pk=instrument_id) if instrument_id is not None else None
    known = known_of(printer, here, place, instrument, request.user)
    card = knowledge.cards()[procedure].here(place)
    practice: Literal["readings", "record"] | None = None
    # The simulated print is of the procedure's test part.
    if printer.simulated is not None and here.stand_in is not None and part is None:
        practice = "record" if here.data is not None and here.table is None else "readings"
    instruments = [_instrument(i) for i in Instrument.objects.all() if i.kind in card.instruments]
    return PageHere(
        procedure=procedure,
        place=place,
        card=CardHere(
            **card.model_dump(include=set(CardHere.model_fields) - {"state", "needs"}),
            state=STATE_WORDS[card.state],
            needs=card.needs,
        ),
        fields=fields_here(here.context, known),
        readings=readings_here(here.context, here.table, known),
        program=fields_here(here.program.told, known) if here.program and place not in here.program.not_at else None,
        program_words=here.program.words if here.program else "",
        planned=_planned(here, part),
        grid=_grid(printer.motion()) if here.grid else None,
        columns=list(here.table.model_fields) if here.table is not None else [],
        data=here.data,
        live=here.live,
        photo=list(here.photo),
        by_wall=here.by_wall,
        rounds=here.rounds,
        turned=here.turned is not None,
        practice=practice,
        instruments=instruments,
        next=_next(card.next, printer.motion(), place),
    )


def _planned(here: Procedure, part: int | None) -> list[SheetPlace]:
    """The places that are asked for in order: those of an own part, where one is named, else of the procedure's test part."""
    if part is not None and here.own_parts:
        return own_parts.planned(get_object_or_404(OwnPart.objects.defer("image", "mesh"), pk=part))
    return here.sheet() if here.sheet is not None else []


def _grid(motion: Description) -> GridHere:
    """Probes keep some way off the bed's edges: 10 mm is typical."""
    bed = motion.bed
    width, depth = (bed.width_mm if bed else None) or 200.0, (bed.depth_mm if bed else None) or 200.0
    return GridHere(left_mm=10.0, right_mm=max(20.0, width - 10), front_mm=10.0, rear_mm=max(20.0, depth - 10))


@router.post("/bed-maps/read", auth=may("bench.map"), response=GridRead, operation_id="bench.map")
def read_map(request: SignedIn, payload: GridAsked):
    """Read a bed's map as a machine prints it, or points; nothing is kept."""
    return read_grid(payload)


def _next(after: Next | None, motion: Description, place: str) -> NextHere | None:
    """What makes sense next: at the same place where it is measured there, else at the first where it is."""
    places = procedures.get(after.procedure).places(motion) if after is not None else ()
    if after is None or not places:
        return None
    at = place if place in places else places[0]
    return NextHere(procedure=after.procedure, place=at, short=knowledge.cards()[after.procedure].short, why=after.why)


@router.get("/procedures", auth=may("bench.see"), response=list[ProcedureOut], operation_id="bench.procedures")
def list_procedures(request: SignedIn):
    """The procedures of the core, with their cards and the JSON Schemas of their input and result."""
    out = []
    for name in procedures.names():
        p = procedures.get(name)
        out.append(
            ProcedureOut(
                name=name,
                title=p.title,
                measures=p.measures,
                kinematics=list(p.kinematics),
                data=p.data,
                adjustable=p.adjustable,
                interval_days=p.interval_days,
                card=knowledge.cards().get(name),
                schemas=p.schema(),
            )
        )
    return out


def _belt(printer: Printer, place: str, belt: BeltTransmission, last: Reading | None) -> BenchBelt:
    low, high, _ = target_of(printer, place)
    span = belt.spans[0] if belt.spans else None
    return BenchBelt(
        place=place,
        partner=printer.motion().partner(place),
        belt=belt,
        span_mm=span.span_mm if span else None,
        span_name=span.name if span else "",
        head_at=span.at.model_dump() if span and span.at else None,
        target_low_n=low,
        target_high_n=high,
        last=capture_out(last.capture, last.result) if last is not None else None,
    )


@router.get("/printers/{printer_id}/rounds", auth=may("bench.rounds"), response=RoundsOut, operation_id="bench.rounds")
def see_rounds(request: SignedIn, printer_id: int, place: str, case_id: int | None = None):
    """The rounds of setting a belt and its partner, and what to turn now."""
    printer = the_printer(printer_id, place)
    case = printer.cases.filter(pk=case_id).first() if case_id is not None else None
    places = places_of(printer, place)
    past = rounds(printer, places, case.pk if case else None)
    last = past[-1] if past else None
    missing = not_read(places, last)
    advice = set_belts(printer, places, last) if last is not None and not missing else None
    found = [BeltCourse(place=p, course=c) for p, c in courses(printer, places, past).items()]
    return RoundsOut(places=places, rounds=[_round(r) for r in past], missing=missing, advice=advice, courses=found)


def _round(r: Round) -> RoundOut:
    return RoundOut(
        number=r.number,
        readings=[
            RoundReading(place=p, capture=capture_out(x.capture, x.result)) for p, x in sorted(r.readings.items())
        ],
        actions=[
            ActionOut(
                id=a.pk,
                place=a.place,
                target=a.target,
                turns=a.turns or 0.0,
                unit=a.unit,
                direction=a.direction,
                advised=a.advised,
                by=name_of(a.by),
                at=a.at,
                note=a.note,
            )
            for a in r.actions
        ],
    )


@router.post("/printers/{printer_id}/turns", auth=may("bench.act"), response=RoundsOut, operation_id="bench.act")
@once
def act(request: SignedIn, printer_id: int, payload: Turn):
    """Write down what was turned. On a simulated machine it is turned, too."""
    the_printer(printer_id, payload.place)
    printer = locked(printer_id)
    case_id = case_of(payload.case_id, printer)
    turn(printer, payload.place, payload.turns, request.user, case_id, payload.advised, payload.note)
    return see_rounds(request, printer_id, payload.place, payload.case_id)


@router.get(
    "/printers/{printer_id}/sets/{procedure}/{place}",
    auth=may("bench.sets"),
    response=SetOut,
    operation_id="bench.sets",
)
def see_sets(request: SignedIn, printer_id: int, procedure: str, place: str, case_id: int | None = None):
    """The rounds of what is turned at a place by a measurement, oldest first."""
    printer = the_printer(printer_id)
    case = printer.cases.filter(pk=case_id).first() if case_id is not None else None
    past = sets(printer, procedure_at(printer, procedure, place), place, case.pk if case else None)
    return SetOut(rounds=[_round(r) for r in past], course=course_of(past, place))


@router.post(
    "/printers/{printer_id}/sets/{procedure}/{place}",
    auth=may("bench.turned"),
    response=SetOut,
    operation_id="bench.turned",
)
@once
def set_by(request: SignedIn, printer_id: int, procedure: str, place: str, payload: TurnedIn):
    """Write down what was turned after a measurement. On a simulated machine it is turned, too."""
    the_printer(printer_id)
    printer = locked(printer_id)
    here = procedure_at(printer, procedure, place)
    turned = [Turned(t.target, t.amount, t.way, t.advised) for t in payload.turned]
    turn_by(printer, here, place, turned, request.user, case_of(payload.case_id, printer), payload.note)
    return see_sets(request, printer_id, procedure, place, payload.case_id)
