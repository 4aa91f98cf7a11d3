"""Procedures whose readings are typed or come as a small table; hand instruments of simulated machines; programs of moves.

The shape of each payload is the core's own context: one model for one thing.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from kestov_core import gcode, procedures
from kestov_core.machine import AXES_OF_BELT, across
from kestov_core.procedures.backlash import BacklashContext
from kestov_core.procedures.shaper import ShaperContext, ShaperResult
from kestov_core.quantities import Finite
from ninja import File, Form, Query, Router, Schema, UploadedFile
from pydantic import Field, create_model
from workshop.models import Printer

from .bench import ReadingsMeta, parse_meta, store, the_printer
from .once import once
from .permissions import may
from .problems import Problem
from .shapes import CaptureOut

router = Router(tags=["measuring"])

#: Typed procedures, and whether their place is a belt (else an axis or a motor).
_TYPED = {
    "belt-deflection": True,
    "belt-tracking": True,
    "ringing-print": False,
    "ripple-source": False,
    "layer-shift": False,
    "steps": False,
    "motor-current": False,
}
Axis = Literal["x", "y", "z"]


def axis_of(printer: Printer, place: str) -> str:
    """A place that is an axis, a motor or a diagonal of this machine; refused otherwise."""
    motion = printer.model.motion()
    axes = {a for axes in AXES_OF_BELT[motion.kinematics].values() for a in axes} | {"x", "y", "z", "e"}
    if place not in axes | set(motion.transmissions) | {"all"}:
        raise Problem(422, "out_of_range", f"{printer.name} has no axis “{place}”.", "place")
    return place


def _typed_route(name: str, of_belt: bool) -> None:
    context = procedures.get(name).context
    words = "".join(part.title() for part in name.split("-"))
    payload_type = create_model(f"{words}In", __base__=ReadingsMeta, context=(context, ...))

    def typed(request: HttpRequest, printer_id: int, payload: Any) -> CaptureOut:
        printer = the_printer(printer_id, payload.place if of_belt else None)
        # Where the context itself says what was measured, that is its place.
        payload.place = getattr(payload.context, "rings", None) or payload.place
        axis_of(printer, payload.place)
        sent = payload.context.model_dump(mode="json", exclude_none=True)
        return store(request, printer, payload, name, sent, None, "", "typed")

    typed.__annotations__.update(request=HttpRequest, printer_id=int, payload=payload_type)
    typed.__doc__ = f"Take typed readings: {procedures.get(name).title.lower()}."
    router.post(
        f"/printers/{{printer_id}}/{name}",
        auth=may("measure.typed"),
        response=CaptureOut,
        operation_id=f"measure.{name}",
    )(once(typed))


for _name, _of_belt in _TYPED.items():
    _typed_route(_name, _of_belt)


class ReversalReading(Schema):
    """One reading of the dial indicator: the actual position on the target's scale."""

    target_mm: Finite
    approach: Literal["+", "-"]
    reading_mm: Finite


class BacklashIn(ReadingsMeta):
    rows: Annotated[list[ReversalReading], Field(min_length=1, max_length=2000)]
    context: BacklashContext


class TableMeta(ReadingsMeta):
    context: BacklashContext = BacklashContext()


@router.post(
    "/printers/{printer_id}/backlash", auth=may("measure.typed"), response=CaptureOut, operation_id="measure.backlash"
)
@once
def backlash(request: HttpRequest, printer_id: int, payload: BacklashIn):
    """Take readings of a dial indicator, typed. They are kept as the table they make."""
    printer = the_printer(printer_id)
    axis_of(printer, payload.place)
    lines = ["target_mm,approach,reading_mm", *(f"{r.target_mm!r},{r.approach},{r.reading_mm!r}" for r in payload.rows)]
    data = ("\n".join(lines) + "\n").encode()
    context = payload.context.model_dump(mode="json", exclude_none=True)
    return store(request, printer, payload, "backlash", context, data, "typed.csv", "typed")


@router.post(
    "/printers/{printer_id}/backlash/file",
    auth=may("measure.table"),
    response=CaptureOut,
    operation_id="measure.backlash_file",
)
@once
def backlash_file(request: HttpRequest, printer_id: int, meta: Form[str], file: File[UploadedFile]):
    """Take a table ``target_mm,approach,reading_mm`` (CSV). ``meta`` is a TableMeta as JSON."""
    about = parse_meta(meta, TableMeta)
    printer = the_printer(printer_id)
    axis_of(printer, about.place)
    context = about.context.model_dump(mode="json", exclude_none=True)
    return store(request, printer, about, "backlash", context, file.read(), file.name or "readings.csv", "file")


class Practice(Schema):
    """What the hand instruments of a simulated machine say: rows as they would be typed, and settings that go with them."""

    rows: list[dict[str, float | str]]
    settings: dict[str, float]


@router.get(
    "/printers/{printer_id}/practice-readings",
    auth=may("measure.practice"),
    response=Practice,
    operation_id="measure.practice",
)
def practice(request: HttpRequest, printer_id: int, procedure: str, place: str, seed: int = 1):
    """Let the simulated dial indicator, rule or calipers read a simulated machine."""
    from kestov_core.simulator import instruments
    from kestov_core.simulator.machine import SimMachine

    printer = the_printer(printer_id)
    axis_of(printer, place)
    if printer.simulated is None:
        raise Problem(409, "not_simulated", "This is a real machine: measure it.")
    machine = SimMachine.model_validate(printer.simulated)
    seed = machine.seed * 1000 + seed
    if procedure == "backlash":
        targets = [20.0 + 2.5 * i for i in range(5)]
        lines = instruments.reversal_csv(machine.truly_travels(place), targets, 5, seed).decode().splitlines()[1:]
        rows = [dict(zip(("target_mm", "approach", "reading_mm"), r.split(","), strict=True)) for r in lines]
        return Practice(rows=[{k: v if k == "approach" else float(v) for k, v in r.items()} for r in rows], settings={})
    if procedure == "steps":
        readings = instruments.travel_readings(machine.truly_travels(place), 100.0, 5, seed)
        return Practice(rows=[{"measured_mm": r} for r in readings], settings={"commanded_mm": 100.0})
    if procedure in ("ringing-print", "ripple-source"):
        # A wall shows the ringing of the axis across it.
        ringing = across(place) if procedure == "ripple-source" and place in ("x", "y") else place
        hz = machine.axis(ringing).modes[0].hz
        speeds = [80.0] if procedure == "ringing-print" else [60.0, 120.0]
        rows_ = [
            {"speed_mm_s": v, "count": float(n), "distance_mm": d}
            for k, v in enumerate(speeds)
            for n, d in instruments.ripple_counts(hz, v, 8, 3 if procedure == "ringing-print" else 2, seed + k)
        ]
        if procedure == "ringing-print":
            rows_ = [{k: r[k] for k in ("count", "distance_mm")} for r in rows_]
        return Practice(rows=rows_, settings={"speed_mm_s": speeds[0]})
    if procedure == "layer-shift":
        kinematics = printer.model.kinematics
        motor = "a" if kinematics == "corexy" else "x"
        x, y = instruments.shift_readings(kinematics, motor, 2.0, seed)
        return Practice(rows=[{"shift_x_mm": x, "shift_y_mm": y}], settings={})
    raise Problem(422, "out_of_range", f"There is no simulated hand instrument for {procedure}.", "procedure")


class ReversalProgram(Schema):
    """Where the test runs, and the axis's own ends (mm). ``pause_s`` left out: it waits for a key."""

    axis: Axis
    start_mm: float
    step_mm: float = 2.0
    targets: int = 5
    cycles: int = 5
    low_mm: float
    high_mm: float
    pause_s: float | None = Field(None, ge=1, le=600)


class TravelProgram(Schema):
    axis: Axis
    start_mm: float
    travel_mm: float
    repeats: int = 5
    low_mm: float
    high_mm: float
    pause_s: float | None = Field(None, ge=1, le=600)


def _program(text: str, name: str) -> HttpResponse:
    return HttpResponse(
        text, content_type="text/x-gcode", headers={"Content-Disposition": f'attachment; filename="{name}.gcode"'}
    )


@router.get("/programs/reversal.gcode", auth=may("measure.program"), operation_id="measure.reversal_program")
def reversal_program(request: HttpRequest, q: Query[ReversalProgram]):
    """Moves of a reversal test, as G-code: no heating, no extruding, inside the axis less a margin."""
    return _program(
        gcode.backlash_test(q.axis, q.start_mm, q.step_mm, q.targets, q.cycles, q.low_mm, q.high_mm, pause_s=q.pause_s),
        f"reversal-{q.axis}",
    )


@router.get("/programs/travel.gcode", auth=may("measure.program"), operation_id="measure.travel_program")
def travel_program(request: HttpRequest, q: Query[TravelProgram]):
    """Moves of a travel test, as G-code."""
    return _program(
        gcode.travel_test(q.axis, q.start_mm, q.travel_mm, q.repeats, q.low_mm, q.high_mm, q.pause_s),
        f"travel-{q.axis}",
    )


@router.get("/captures/{capture_id}/steps.gcode", auth=may("measure.program"), operation_id="measure.steps_script")
def steps_script(request: HttpRequest, capture_id: UUID):
    """The script that sets, stores and reads back the steps that a travel test came to."""
    from django.shortcuts import get_object_or_404
    from measuring.models import Capture

    capture = get_object_or_404(Capture, pk=capture_id, procedure="steps")
    result = capture.latest()
    assert result is not None
    return _program(result.found["script"]["gcode"], f"steps-{capture.place}")


@router.post("/shaper", auth=may("measure.shaper"), response=ShaperResult, operation_id="measure.shaper")
def shaper(request: HttpRequest, payload: ShaperContext):
    """One input shaper: impulses, sensitivity, cost. Nothing is kept."""
    return procedures.run("shaper", payload.model_dump(mode="json"))
