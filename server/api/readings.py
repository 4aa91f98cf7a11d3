"""Measurements as they come in: typed, as a file, from the network, from a stand-in. Routes and types are made from the
core's procedures: the shape of each payload is the core's own context, in which what is known may be left out.
"""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from cases.acts import case_of
from cases.instruments import ask_record
from django.conf import settings
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from kestov_core import procedures
from kestov_core.asking import fill
from kestov_core.procedures.base import Procedure
from kestov_core.procedures.belt_pluck import PluckHeard
from kestov_core.procedures.shaper import PROCEDURE as SHAPER
from kestov_core.procedures.shaper import ShaperContext, ShaperResult
from kestov_core.quantities import Quantity
from kestov_core.tables.mapping import TableMap, wanted
from measuring import recording
from measuring.models import Capture
from measuring.taking import Taken, known_of, measuring, procedure_at, simulated, take, take_from_stand_in
from ninja import File, Form, Query, Router, UploadedFile
from pydantic import BaseModel, ConfigDict, Field, create_model
from workshop.models import Instrument

from .bench import the_printer
from .downloads import download
from .once import once
from .parsing import parse_meta
from .permissions import may
from .problems import Problem
from .shapes import CaptureOut, Shape, capture_out
from .signed import SignedIn
from .work import WorkOut, work_out

router = Router(tags=["measuring"])

Source = Literal["file", "microphone", "standin", "lossy", "typed", "network"]


class About(Shape):
    """What goes with a measurement. ``id`` is made by the client: sending it twice makes one capture."""

    id: UUID
    place: str
    case_id: int | None = None
    instrument_id: int | None = None
    source: Source | None = None
    circumstances: dict[str, str | float | None] = {}
    supersedes: UUID | None = None
    taken_at: datetime | None = None


class Heard(Shape):
    """What the core hears in a recording so far."""

    seconds: float
    chunks: int
    plucks: list[PluckHeard]
    frequency: Quantity | None
    why_not: str


class Practice(Shape):
    """What the hand instruments of a simulated machine say: rows as they would be typed, and figures that go with them."""

    rows: list[dict[str, float | str]]
    settings: dict[str, Any]


Seconds = Annotated[float, Field(ge=2, le=60)]


def _words(name: str) -> str:
    return "".join(part.title() for part in name.split("-"))


def _typed_part(procedure: Procedure) -> type[BaseModel]:
    """A procedure's context of which any part may be left out: the server knows the rest."""
    fields: dict[str, Any] = {}
    for name, info in procedure.context.model_fields.items():
        if name != "sources":
            # Its bounds go with it; the last is only there because an annotation needs one.
            fields[name] = (Annotated[info.annotation, *info.metadata, "typed"] | None, None)
    config = ConfigDict(extra="forbid", allow_inf_nan=False)
    return create_model(f"{_words(procedure.name)}Typed", __config__=config, **fields)


def _taken(about: Any, source: Source, request: SignedIn) -> Taken:
    instrument = None
    if about.instrument_id is not None:
        instrument = get_object_or_404(Instrument, pk=about.instrument_id)
    return Taken(
        id=about.id,
        place=about.place,
        source=about.source or source,
        typed=about.context.model_dump(mode="json", exclude_none=True),
        instrument=instrument,
        circumstances=about.circumstances,
        supersedes=about.supersedes,
        taken_at=about.taken_at,
    )


def read_upload(file: UploadedFile) -> bytes:
    if (file.size or 0) > settings.MAX_UPLOAD:
        most = settings.MAX_UPLOAD / 1024 / 1024
        raise Problem(413, "too_large", f"The file is over {most:.0f} MB. A minute of recording is plenty.", "file")
    return file.read()


def _routes(procedure: Procedure) -> None:
    """The routes by which one procedure's measurements come in."""
    name, title = procedure.name, procedure.title.lower()
    part = _typed_part(procedure)
    about = create_model(f"{_words(name)}About", __base__=About, context=(part, part()))
    path = f"/printers/{{printer_id}}/{name}"

    def keep(request: SignedIn, printer_id: int, taken: Taken, case_id: int | None) -> CaptureOut:
        printer = the_printer(printer_id)
        return capture_out(take(printer, name, request.user, taken, case_of(case_id, printer)))

    def route(where: str, view: Any, id_: str, answers: type[Shape] = CaptureOut, **annotations: Any) -> None:
        view.__annotations__.update(request=SignedIn, printer_id=int, **annotations)
        asked = router.post(
            path + where, auth=may("measure.take"), response=answers, operation_id=f"measure.{name}{id_}"
        )
        asked(once(view, named=True))

    if procedure.data is None or procedure.table is not None:
        rows: dict[str, Any] = {}
        if procedure.table is not None:
            rows = {"rows": (Annotated[list[procedure.table], Field(min_length=1, max_length=2000)], ...)}  # type: ignore[name-defined]
        payload_type = create_model(f"{_words(name)}In", __base__=about, **rows)

        def typed(request: SignedIn, printer_id: int, payload: Any) -> CaptureOut:
            taken = _taken(payload, "typed", request)
            if procedure.table is not None:
                taken.rows = [r.model_dump() for r in payload.rows]
            return keep(request, printer_id, taken, payload.case_id)

        typed.__doc__ = f"Take typed readings: {title}."
        route("", typed, "", payload=payload_type)

    if procedure.data is not None:
        filed = create_model(f"{_words(name)}Filed", __base__=about, columns=(TableMap | None, None))

        def by_file(request: SignedIn, printer_id: int, meta: Any, file: Any) -> CaptureOut:
            parsed: Any = parse_meta(meta, filed)
            taken = _taken(parsed, "file", request)
            taken.columns = parsed.columns if wanted(procedure) else None
            taken.data, taken.data_name = read_upload(file), file.name or f"{name}.{procedure.data}"
            return keep(request, printer_id, taken, parsed.case_id)

        by_file.__doc__ = f"Take a file ({procedure.data.upper()}): {title}. ``meta`` is a {filed.__name__} as JSON."
        route("/file", by_file, ".file", meta=Form[str], file=File[UploadedFile])

    if procedure.data is not None and procedure.table is None and procedure.stand_in is not None:
        shaken = create_model(f"{_words(name)}Record", __base__=about, seconds=(Seconds, 20.0))

        def by_stand_in(request: SignedIn, printer_id: int, payload: Any) -> CaptureOut:
            printer = the_printer(printer_id)
            case_id = case_of(payload.case_id, printer)
            taken, how = _taken(payload, "standin", request), {"seconds": payload.seconds}
            return capture_out(take_from_stand_in(printer_id, name, request.user, taken, how, case_id))

        by_stand_in.__doc__ = f"Let the simulated instrument of a simulated machine measure it: {title}."
        route("/stand-in", by_stand_in, ".standin", payload=shaken)

        if procedure.live == "accelerometer":

            def by_instrument(request: SignedIn, printer_id: int, payload: Any) -> WorkOut:
                taken, p = _taken(payload, "network", request), payload
                work = ask_record(the_printer(printer_id), name, request.user, taken, p.case_id, p.seconds)
                return work_out(work)

            by_instrument.__doc__ = (
                f"Have an instrument on the network take a record (docs/instruments.md), by a worker: {title}."
            )
            route("/instrument", by_instrument, ".instrument", answers=WorkOut, payload=shaken)

    if procedure.live == "microphone":

        def finish(request: SignedIn, printer_id: int, recording_id: UUID, payload: Any, chunks: int) -> CaptureOut:
            known = Capture.objects.filter(pk=payload.id, printer=printer_id, taken_by=request.user).first()
            if known is not None:
                # Made already; the answer was lost on the way, and the pieces are gone.
                return capture_out(known)
            taken = _taken(payload, "microphone", request)
            taken.data, taken.data_name = recording.assemble(recording_id, chunks, request.user), "microphone.wav"
            out = keep(request, printer_id, taken, payload.case_id)
            recording.forget(recording_id, request.user)
            return out

        finish.__doc__ = f"Make a capture of a live recording, once all its chunks have come: {title}."
        route(
            "/recordings/{recording_id}/finish", finish, ".finish", recording_id=UUID, payload=about, chunks=int
        )  # fmt: skip

    if procedure.program is not None:
        _program_route(procedure)


def _program_route(procedure: Procedure) -> None:
    program = procedure.program
    assert program is not None

    def moves(request: SignedIn, q: Any) -> HttpResponse:
        return script(program.gcode(q), f"{program.name}-{q.axis}")

    moves.__annotations__.update(request=SignedIn, q=Query[program.told])  # type: ignore[name-defined,misc]
    moves.__doc__ = (
        f"Moves for {procedure.title.lower()}, as G-code: no heating, no extruding, inside the axis less a margin."
    )
    router.get(
        f"/programs/{procedure.name}.gcode", auth=may("measure.program"), operation_id=f"program.{procedure.name}"
    )(moves)


def script(text: str, name: str) -> HttpResponse:
    """G-code to take along."""
    return download(text, "text/x-gcode", f"{name}.gcode")


for _procedure in measuring():
    _routes(_procedure)


@router.post(
    "/recordings/{recording_id}/chunks/{number}", auth=may("bench.chunk"), response=Heard, operation_id="bench.chunk"
)
def chunk(request: SignedIn, recording_id: UUID, number: int, rate_hz: int):
    """Add a piece of a live recording (16-bit mono, little endian) and hear what there is so far. Repeats are harmless."""
    recording.add(recording_id, number, rate_hz, request.body, request.user)
    return Heard(**recording.hear_so_far(recording_id, request.user))


@router.get(
    "/printers/{printer_id}/practice-readings",
    auth=may("measure.practice"),
    response=Practice,
    operation_id="measure.practice",
)
def practice(request: SignedIn, printer_id: int, procedure: str, place: str, seed: int = 1):
    """Let the simulated hand instruments (dial indicator, rule, calipers) read a simulated machine."""
    printer = the_printer(printer_id)
    machine = simulated(printer)
    asked = procedure_at(printer, procedure, place)
    if asked.stand_in is None or (asked.data is not None and asked.table is None):
        raise Problem(422, "out_of_range", f"There is no simulated hand instrument for {procedure}.", "procedure")
    known = fill(asked.context, {}, known_of(printer, asked, place))
    got = asked.stand_in(machine, place, machine.seed * 1000 + seed % 1000, known)
    return Practice(rows=got.rows, settings=got.told)


@router.post("/shaper", auth=may("measure.shaper"), response=ShaperResult, operation_id="measure.shaper")
def shaper(request: SignedIn, payload: ShaperContext):
    """One input shaper: impulses, sensitivity, cost. Nothing is kept."""
    return procedures.run(SHAPER.name, payload.model_dump(mode="json"))
