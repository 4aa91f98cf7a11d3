"""Resonance: records of an accelerometer by file, from the network, from a stand-in; one against another."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from django.conf import settings
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from kestov_core import comparing
from kestov_core.procedures.resonance import ModeFound, ResonanceResult
from measuring import accelerometer
from measuring.models import Capture, Result
from ninja import File, Form, Router, Schema, UploadedFile
from pydantic import Field
from workshop.models import Instrument, Printer

from .bench import ReadingsMeta, parse_meta, store, the_printer
from .once import once
from .permissions import may
from .problems import Problem
from .shapes import CaptureOut

router = Router(tags=["resonance"])

Axis = Literal["x", "y", "z", "a", "b"]
Excitation = Literal["sweep", "impulse", "ambient"]


class ShakenMeta(ReadingsMeta):
    """What goes with a record: the direction that was shaken is its place."""

    place: Axis
    excitation: Excitation
    unit: Literal["m/s2", "g", "mm/s2"] = "m/s2"
    smoothing_limit_mm: Annotated[float, Field(gt=0, le=5)] = 0.12
    max_frequency_hz: Annotated[float, Field(ge=20, le=500)] = 150.0


class RecordIn(ShakenMeta):
    seconds: Annotated[float, Field(ge=2, le=60)] = 20.0


class EarlierRecord(Schema):
    """An earlier record of the same direction (or the other diagonal): its spectrum, and what the difference means."""

    capture_id: UUID
    place: str
    at: datetime
    frequency_hz: list[float]
    power: list[float]
    modes: list[ModeFound]
    compared: comparing.Compared | None


class OverlayOut(Schema):
    """``earlier``: newest first, the oldest believable one is the baseline. ``other``: the other diagonal of a crossed pair."""

    earlier: list[EarlierRecord]
    baseline: UUID | None
    other: EarlierRecord | None


def _allowed(printer: Printer, place: str) -> None:
    crossed = printer.model.kinematics == "corexy"
    if place in ("a", "b") and not crossed:
        raise Problem(422, "out_of_range", f"{printer.name} has no crossed belts, so no diagonals.", "place")


def _context(printer: Printer, meta: ShakenMeta, unit: str) -> dict[str, Any]:
    context: dict[str, Any] = {
        "unit": unit,
        "excited_axis": meta.place,
        "excitation": meta.excitation,
        "smoothing_limit_mm": meta.smoothing_limit_mm,
        "max_frequency_hz": meta.max_frequency_hz,
        "axis": meta.place,
    }
    good = next(
        (r for c, r in _records(printer, meta.place) if r.verdict != "cannot_tell" and r.found["frequency"]), None
    )
    if good is not None:
        context["baseline"] = good.found["frequency"]
    return context


def _records(printer: Printer, place: str) -> list[tuple[Capture, Result]]:
    """Records of a direction with their results, newest first."""
    captures = (
        Capture.objects.filter(printer=printer, place=place, procedure="resonance", superseded_by__isnull=True)
        .defer("data")
        .prefetch_related("results")
    )
    return [(c, r) for c in captures if (r := c.latest()) is not None]


@router.post(
    "/printers/{printer_id}/resonance", auth=may("resonance.take"), response=CaptureOut, operation_id="resonance.file"
)
@once
def by_file(request: HttpRequest, printer_id: int, meta: Form[str], file: File[UploadedFile]):
    """Take a record as CSV ``time_s,ax,ay,az``. ``meta`` is a ShakenMeta as JSON."""
    about = parse_meta(meta, ShakenMeta)
    printer = the_printer(printer_id)
    _allowed(printer, about.place)
    if (file.size or 0) > settings.MAX_UPLOAD:
        raise Problem(413, "too_large", "The table is over 50 MB. A minute is plenty.", "file")
    context = _context(printer, about, about.unit)
    return store(request, printer, about, "resonance", context, file.read(), file.name or "record.csv", "file")


@router.post(
    "/printers/{printer_id}/resonance/instrument",
    auth=may("resonance.take"),
    response=CaptureOut,
    operation_id="resonance.instrument",
)
@once
def by_instrument(request: HttpRequest, printer_id: int, payload: RecordIn):
    """Have an accelerometer on the network take a record (docs/instruments.md)."""
    printer = the_printer(printer_id)
    _allowed(printer, payload.place)
    instrument = get_object_or_404(Instrument, pk=payload.instrument_id)
    if not instrument.address:
        raise Problem(422, "out_of_range", f"{instrument.name} has no address on the network.", "instrument_id")
    data, unit = accelerometer.record(instrument.address, payload.place, payload.excitation, payload.seconds)
    context = _context(printer, payload, unit)
    return store(request, printer, payload, "resonance", context, data, f"{instrument.name}.csv", "network")


@router.post(
    "/printers/{printer_id}/resonance/stand-in",
    auth=may("resonance.take"),
    response=CaptureOut,
    operation_id="resonance.standin",
)
@once
def by_stand_in(request: HttpRequest, printer_id: int, payload: RecordIn):
    """Let the simulated accelerometer of a simulated machine take a record."""
    from kestov_core.simulator import machine as simulator

    printer = the_printer(printer_id)
    _allowed(printer, payload.place)
    printer = Printer.objects.select_for_update(of=("self",)).select_related("model").get(pk=printer.pk)
    if printer.simulated is None:
        raise Problem(409, "not_simulated", "This is a real machine: load a file, or record from an instrument.")
    truth = simulator.SimMachine.model_validate(printer.simulated)
    after, got = simulator.shake_axis(truth, payload.place, payload.excitation, payload.seconds)
    printer.simulated = after.model_dump(mode="json")
    printer.save(update_fields=["simulated"])
    context = _context(printer, payload, got.unit)
    return store(request, printer, payload, "resonance", context, got.csv(), "stand-in.csv", "standin")


@router.get(
    "/captures/{capture_id}/overlay",
    auth=may("resonance.compare"),
    response=OverlayOut,
    operation_id="resonance.overlay",
)
def overlay(request: HttpRequest, capture_id: UUID):
    """A record against the earlier ones of its direction, and against the other diagonal where belts cross."""
    capture = get_object_or_404(Capture.objects.select_related("printer__model"), pk=capture_id, procedure="resonance")
    result = capture.latest()
    assert result is not None
    now = _found(result)
    earlier = [(c, r) for c, r in _records(capture.printer, capture.place) if c.taken_at < capture.taken_at]
    believed = [c.id for c, r in earlier if r.verdict != "cannot_tell"]
    shown = earlier[:4] + [(c, r) for c, r in earlier[4:] if believed and c.id == believed[-1]]
    other = None
    if capture.place in ("a", "b"):
        across = "b" if capture.place == "a" else "a"
        for c, r in _records(capture.printer, across)[:1]:
            pair = (now.modes, _found(r).modes) if capture.place == "a" else (_found(r).modes, now.modes)
            other = _compared(c, r, comparing.diagonals(*pair))
    return OverlayOut(
        earlier=[
            _compared(c, r, comparing.with_earlier(now.modes, _found(r).modes, f"on {c.taken_at:%-d %B}"))
            for c, r in shown
        ],
        baseline=believed[-1] if believed else None,
        other=other,
    )


def _found(result: Result) -> ResonanceResult:
    return ResonanceResult.model_validate(result.found)


def _compared(capture: Capture, result: Result, compared: comparing.Compared | None) -> EarlierRecord:
    found = _found(result)
    return EarlierRecord(
        capture_id=capture.id,
        place=capture.place,
        at=capture.taken_at,
        frequency_hz=found.spectrum.frequency_hz,
        power=found.spectrum.excited,
        modes=found.modes,
        compared=compared,
    )
