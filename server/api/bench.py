"""The bench: what can be measured on a machine, taking captures, live recording, rounds, and what was turned."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal, TypeVar
from uuid import UUID

from cases.models import Action
from django.conf import settings
from django.db import IntegrityError, transaction
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from kestov_core.machine import (
    BeltTransmission,
    Kinematics,
    Tensioner,
    across,
    axial_stiffness_typical,
    linear_density_typical,
    whose_motion,
)
from kestov_core.procedures.belt_pluck import PluckHeard
from kestov_core.procedures.belt_set import BeltSetResult
from kestov_core.procedures.ripple_source import Machine
from kestov_core.quantities import Quantity, Verdict
from measuring import recording
from measuring.models import Capture, Result, latest_results
from measuring.rounds import Round, current_round, places_of, rounds, set_belts, target_of
from ninja import File, Form, Router, Schema, UploadedFile
from people.clock import now
from people.models import audit
from pydantic import ValidationError
from workshop.models import Instrument, Printer

from .cases import lock_case
from .once import once
from .permissions import may
from .problems import Problem
from .shapes import CaptureOut, capture_out, person

router = Router(tags=["bench"])

Source = Literal["file", "microphone", "standin", "lossy", "typed", "network"]


class BenchBelt(Schema):
    """A belt as the bench needs it. Figures without a better source are typical, and say so."""

    place: str
    partner: str | None
    belt: BeltTransmission
    span_mm: float | None
    span_name: str
    head_at: dict[str, float] | None
    linear_density_g_per_m: float
    linear_density_u95_percent: float
    density_source: str
    axial_stiffness_n: float
    stiffness_source: str
    target_low_n: float
    target_high_n: float
    target_source: str
    last: CaptureOut | None


class InstrumentOut(Schema):
    id: int
    name: str
    kind: str
    overdue: bool
    on_network: bool


class LastFigure(Schema):
    """The newest capture of a procedure at a place."""

    procedure: str
    place: str
    quantity: Quantity | None
    verdict: Verdict
    at: datetime
    capture_id: UUID


class WallAsked(Schema):
    """A wall by the way it runs, the axis whose ringing it shows, and why."""

    runs: Literal["x", "y"]
    axis: Literal["x", "y"]
    words: str


class BenchOut(Schema):
    printer_id: int
    printer: str
    kinematics: Kinematics
    simulated: bool
    belts: list[BenchBelt]
    instruments: list[InstrumentOut]
    machine: Machine
    walls: list[WallAsked]
    last: list[LastFigure]


class RoundReading(Schema):
    place: str
    capture: CaptureOut


class ActionOut(Schema):
    id: int
    place: str
    turns: float
    unit: str
    direction: str
    advised: float | None
    by: str
    at: datetime
    note: str


class RoundOut(Schema):
    number: int
    readings: list[RoundReading]
    actions: list[ActionOut]


class RoundsOut(Schema):
    """The rounds so far, which belts still want measuring in this round, and what to turn once all are."""

    places: list[str]
    rounds: list[RoundOut]
    missing: list[str]
    advice: BeltSetResult | None


class CaptureMeta(Schema):
    """What goes with a recording. ``id`` is made by the client: sending it twice makes one capture."""

    id: UUID
    place: str
    case_id: int | None = None
    instrument_id: int | None = None
    source: Source = "file"
    span_mm: float | None = None
    mains_hz: Literal[50, 60] | None = None
    circumstances: dict[str, str | float | None] = {}
    supersedes: UUID | None = None
    taken_at: datetime | None = None


class ReadingsMeta(Schema):
    id: UUID
    place: str
    case_id: int | None = None
    instrument_id: int | None = None
    circumstances: dict[str, str | float | None] = {}


class Heard(Schema):
    """What the core hears in a recording so far."""

    seconds: float
    chunks: int
    plucks: list[PluckHeard]
    frequency: Quantity | None
    why_not: str


class Turn(Schema):
    """What was turned: positive tightens; mm for sliders. ``advised``: what the tool had said."""

    place: str
    turns: float
    advised: float | None = None
    case_id: int | None = None
    note: str = ""


class StandIn(Schema):
    id: UUID
    place: str
    case_id: int | None = None


def the_printer(printer_id: int, place: str | None = None) -> Printer:
    """A printer in use; with a place, one that has a belt there."""
    printer = get_object_or_404(Printer.objects.select_related("model", "place"), pk=printer_id, retired=False)
    if place is not None and place not in printer.model.motion().belts():
        raise Problem(422, "out_of_range", f"{printer.name} has no belt “{place}”.", "place")
    return printer


@router.get("/printers/{printer_id}/bench", auth=may("bench.see"), response=BenchOut, operation_id="bench.see")
def bench(request: HttpRequest, printer_id: int):
    """What the bench for belts needs to know of a machine."""
    printer = the_printer(printer_id)
    motion = printer.model.motion()
    today = now().date()
    newest = latest_results(printer)
    return BenchOut(
        printer_id=printer.pk,
        printer=printer.name,
        kinematics=motion.kinematics,
        simulated=printer.simulated is not None,
        walls=[WallAsked(runs=w, axis=across(w), words=whose_motion(motion.kinematics, w)) for w in ("x", "y")],
        belts=[_belt(printer, place, belt) for place, belt in motion.belts().items()],
        instruments=[
            InstrumentOut(
                id=i.pk,
                name=i.name,
                kind=i.kind,
                overdue=i.check_due is not None and i.check_due < today,
                on_network=bool(i.address),
            )
            for i in Instrument.objects.all()
        ],
        machine=machine_of(printer, newest),
        last=[
            LastFigure(
                procedure=c.procedure,
                place=c.place,
                quantity=r.headline,
                verdict=r.verdict,
                at=c.taken_at,
                capture_id=c.id,
            )
            for c, r in newest
        ],
    )


def machine_of(printer: Printer, newest: list[tuple[Capture, Result]]) -> Machine:
    """What a pattern on a wall can come of: the model's drives, and what the axes rang with when last measured."""
    motion = printer.model.motion()
    modes = {
        c.place: [m["frequency"]["value"] for m in r.found["modes"]]
        for c, r in newest
        if c.procedure == "resonance" and r.verdict != "cannot_tell"
    }
    return Machine(kinematics=motion.kinematics, transmissions=motion.transmissions, modes_hz=modes)


def _belt(printer: Printer, place: str, belt: BeltTransmission) -> BenchBelt:
    low, high, source = target_of(printer, place)
    density, percent, of_density = _density(belt)
    last = (
        Capture.objects.filter(
            printer=printer, place=place, procedure__in=("belt-pluck", "belt-deflection"), superseded_by=None
        )
        .defer("data")
        .select_related("taken_by", "instrument")
        .prefetch_related("results")
        .first()
    )
    span = belt.spans[0] if belt.spans else None
    return BenchBelt(
        place=place,
        partner=printer.model.motion().partner(place),
        belt=belt,
        span_mm=span.span_mm if span else None,
        span_name=span.name if span else "",
        head_at=span.at.model_dump() if span and span.at else None,
        linear_density_g_per_m=density,
        linear_density_u95_percent=percent,
        density_source=of_density,
        axial_stiffness_n=belt.axial_stiffness_n or axial_stiffness_typical(belt.width_mm)[0],
        stiffness_source="model" if belt.axial_stiffness_n else "typical",
        target_low_n=low,
        target_high_n=high,
        target_source=source,
        last=capture_out(last) if last and last.latest() else None,
    )


def _density(belt: BeltTransmission) -> tuple[float, float, str]:
    if belt.linear_density_g_per_m is not None:
        percent = belt.linear_density_u95_percent
        return belt.linear_density_g_per_m, 3.0 if percent is None else percent, "model"
    return (*linear_density_typical(belt.width_mm), "typical")


def _pluck_context(printer: Printer, place: str, span_mm: float | None, mains_hz: int | None) -> dict[str, Any]:
    belt = printer.model.motion().belts()[place]
    span = span_mm if span_mm is not None else (belt.spans[0].span_mm if belt.spans else None)
    if span is None:
        raise Problem(
            422,
            "missing_field",
            "The model has no free span for this belt: measure it, pulley to clamp, and enter it.",
            "span_mm",
        )
    density, percent, _ = _density(belt)
    low, high, _ = target_of(printer, place)
    return {
        "span_mm": span,
        "linear_density_g_per_m": density,
        "linear_density_u95_percent": percent,
        "target_n": {"low": low, "high": high},
        "mains_hz": mains_hz or settings.MAINS_HZ,
        "axis": place,
    }


def store(
    request: HttpRequest,
    printer: Printer,
    meta: CaptureMeta | ReadingsMeta,
    procedure: str,
    context: dict[str, Any],
    data: bytes | None,
    name: str,
    source: str,
) -> CaptureOut:
    """Keep a capture and compute it, in one transaction: what the core refuses is not kept."""
    known = Capture.objects.filter(pk=meta.id).first()
    if known is not None:
        if known.printer_id != printer.pk or known.taken_by_id != request.user.pk:
            raise Problem(409, "key_reused", "Another capture already has this id.", "id")
        return capture_out(known)
    case = lock_case(meta.case_id, printer)
    if meta.instrument_id is not None:
        get_object_or_404(Instrument, pk=meta.instrument_id)
    supersedes = getattr(meta, "supersedes", None)
    moment = now()
    taken_at = getattr(meta, "taken_at", None) or moment
    if timezone.is_naive(taken_at) or taken_at > moment:
        taken_at = moment
    is_belt = meta.place in printer.model.motion().belts()
    capture = Capture(
        id=meta.id,
        printer=printer,
        place=meta.place,
        procedure=procedure,
        context=context,
        source=source,
        circumstances=meta.circumstances,
        instrument_id=meta.instrument_id,
        taken_at=taken_at,
        taken_by=request.user,
        case=case,
        round=current_round(printer, meta.place, case) if is_belt else 1,
        supersedes=Capture.objects.filter(pk=supersedes, printer=printer).first() if supersedes else None,
    )
    if data is not None:
        capture.put(data, name)
    try:
        with transaction.atomic():
            capture.save(force_insert=True)
            result = capture.compute()
    except IntegrityError as e:
        raise Problem(409, "twice_at_once", "This capture is just being kept. Try again in a moment.", "id") from e
    return capture_out(capture, result)


@router.post("/printers/{printer_id}/pluck", auth=may("bench.pluck"), response=CaptureOut, operation_id="bench.pluck")
@once
def pluck(request: HttpRequest, printer_id: int, meta: Form[str], file: File[UploadedFile]):
    """Take a recording of plucks as a WAV file. ``meta`` is a CaptureMeta as JSON."""
    about = parse_meta(meta, CaptureMeta)
    printer = the_printer(printer_id, about.place)
    if (file.size or 0) > settings.MAX_UPLOAD:
        raise Problem(413, "too_large", "The recording is over 64 MB. Ten seconds are plenty.", "file")
    data = file.read()
    context = _pluck_context(printer, about.place, about.span_mm, about.mains_hz)
    return store(request, printer, about, "belt-pluck", context, data, file.name or "recording.wav", about.source)


Meta = TypeVar("Meta", bound=Schema)


def parse_meta(meta: str, shape: type[Meta]) -> Meta:
    """The form's JSON field as its model; what is wrong is named."""
    try:
        return shape.model_validate_json(meta)
    except ValidationError as e:
        first = e.errors(include_url=False)[0]
        field = ".".join(str(p) for p in first["loc"]) or "meta"
        raise Problem(422, "out_of_range", f"{field}: {first['msg']}", field) from e


@router.post(
    "/recordings/{recording_id}/chunks/{number}", auth=may("bench.chunk"), response=Heard, operation_id="bench.chunk"
)
def chunk(request: HttpRequest, recording_id: UUID, number: int, rate_hz: int):
    """Add a piece of a live recording (16-bit mono, little endian) and hear what there is so far. Repeats are harmless."""
    pieces = recording.add(recording_id, number, rate_hz, request.body, request.user)
    return Heard(**recording.hear_so_far(pieces))


@router.post(
    "/printers/{printer_id}/recordings/{recording_id}/finish",
    auth=may("bench.finish"),
    response=CaptureOut,
    operation_id="bench.finish",
)
@once
def finish(request: HttpRequest, printer_id: int, recording_id: UUID, payload: CaptureMeta, chunks: int):
    """Make a capture of a live recording, once all its chunks have come."""
    printer = the_printer(printer_id, payload.place)
    known = Capture.objects.filter(pk=payload.id, printer=printer, taken_by=request.user).first()
    if known is not None:
        # Made already; the answer was lost on the way, and the pieces are gone.
        return capture_out(known)
    data = recording.assemble(recording_id, chunks, request.user)
    context = _pluck_context(printer, payload.place, payload.span_mm, payload.mains_hz)
    out = store(request, printer, payload, "belt-pluck", context, data, "microphone.wav", "microphone")
    recording.forget(recording_id, request.user)
    return out


@router.post(
    "/printers/{printer_id}/stand-in", auth=may("bench.standin"), response=CaptureOut, operation_id="bench.standin"
)
@once
def stand_in(request: HttpRequest, printer_id: int, payload: StandIn):
    """Let the simulated microphone of a simulated machine pluck a belt."""
    from kestov_core.simulator import machine as simulator
    from kestov_core.simulator.sound import wav

    printer = the_printer(printer_id, payload.place)
    printer = Printer.objects.select_for_update(of=("self",)).select_related("model").get(pk=printer.pk)
    if printer.simulated is None:
        raise Problem(409, "not_simulated", "This is a real machine: record it, or load a file.")
    after, sound = simulator.pluck(simulator.SimMachine.model_validate(printer.simulated), payload.place)
    printer.simulated = after.model_dump(mode="json")
    printer.save(update_fields=["simulated"])
    meta = CaptureMeta(id=payload.id, place=payload.place, case_id=payload.case_id, source="standin")
    context = _pluck_context(printer, payload.place, None, None)
    return store(request, printer, meta, "belt-pluck", context, wav(sound), "stand-in.wav", "standin")


@router.get("/printers/{printer_id}/rounds", auth=may("bench.rounds"), response=RoundsOut, operation_id="bench.rounds")
def see_rounds(request: HttpRequest, printer_id: int, place: str, case_id: int | None = None):
    """The rounds of setting a belt and its partner, and what to turn now."""
    printer = the_printer(printer_id, place)
    case = printer.cases.filter(pk=case_id).first() if case_id is not None else None
    places = places_of(printer, place)
    past = rounds(printer, places, case)
    last = past[-1] if past else None
    missing = [p for p in places if last is None or last.actions or p not in last.readings]
    advice = set_belts(printer, places, last) if last is not None and not missing else None
    return RoundsOut(places=places, rounds=[_round(r) for r in past], missing=missing, advice=advice)


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
                turns=a.turns or 0.0,
                unit=a.unit,
                direction=a.direction,
                advised=a.advised,
                by=person(a.by),
                at=a.at,
                note=a.note,
            )
            for a in r.actions
        ],
    )


@router.post("/printers/{printer_id}/turns", auth=may("bench.act"), response=RoundsOut, operation_id="bench.act")
@once
def act(request: HttpRequest, printer_id: int, payload: Turn):
    """Write down what was turned. On a simulated machine it is turned, too."""
    from kestov_core.simulator import machine as simulator

    the_printer(printer_id, payload.place)
    printer = Printer.objects.select_for_update(of=("self",)).select_related("model").get(pk=printer_id)
    case = lock_case(payload.case_id, printer)
    if payload.turns == 0 or abs(payload.turns) > 20:
        raise Problem(422, "out_of_range", "Enter how far it was turned: more than nothing, at most 20.", "turns")
    past = rounds(printer, places_of(printer, payload.place), case)
    if not past or not past[-1].readings:
        raise Problem(
            409,
            "measure_first",
            "Measure before you turn: without a figure before, nobody learns what the turn did.",
            "turns",
        )
    belt = printer.model.motion().belts()[payload.place]
    tensioner = belt.tensioner or Tensioner()
    Action.objects.create(
        printer=printer,
        case=case,
        place=payload.place,
        turns=payload.turns,
        unit=tensioner.unit,
        direction=tensioner.moved(payload.turns > 0),
        advised=payload.advised,
        round=past[-1].number,
        note=payload.note.strip()[:300],
        by=request.user,
        at=now(),
    )
    audit(
        request.user,
        "turned",
        printer,
        f"Belt {payload.place.upper()}: {payload.turns:+.2f} {tensioner.unit}",
    )
    if printer.simulated is not None:
        after = simulator.turn(simulator.SimMachine.model_validate(printer.simulated), payload.place, payload.turns)
        printer.simulated = after.model_dump(mode="json")
        printer.save(update_fields=["simulated"])
    return see_rounds(request, printer_id, payload.place, payload.case_id)
