"""How much a machine was used: its meters, read or typed, its job logs, and the weeks they add up to."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated

from django.utils import timezone
from kestov_core.condition.use import Meter
from kestov_core.errors import BadInput
from kestov_core.tables import jobs
from ninja import Field, File, Form, Router, UploadedFile
from people.clock import now
from people.models import name_of
from workshop import job_logs, meters
from workshop.models import JobLog, LoggedWeek, Printer

from .bench import the_printer
from .once import once
from .parsing import parse_meta
from .permissions import may
from .readings import read_upload
from .shapes import Shape
from .signed import SignedIn
from .still import still
from .work import WorkOut, work_out

router = Router(tags=["use"])
Hours = Annotated[float, Field(ge=0, le=1e6)]
#: So many weeks are drawn (two years), so many logs listed, so many first rows shown, cut at so many letters.
_WEEKS, _LOGS, _FIRST, _CELL = 104, 20, 5, 40


class MeterOut(Shape):
    """What a meter stands at now, in ``unit``. ``what``: hours, filament, or the axis whose travel it counts.

    ``estimated``: worked out from the use since ``read_at``; ``typical``: nobody counts it, it goes by the hours; ``u95``: how far it may
    be off; ``a_day``: use of late; ``shown``: what it was last read to show.
    """

    what: str
    unit: str
    value: float | None
    estimated: bool
    typical: bool
    u95: float | None
    read_at: datetime | None
    a_day: float | None
    shown: float | None


class WeekOut(Shape):
    """What the job logs add up to in the week from a Monday."""

    monday: date
    hours: float
    filament_kg: float | None


class WrongRowOut(Shape):
    """A row of a log that cannot be taken; ``row`` 0: it is the log as a whole."""

    row: int
    column: str
    message: str


class LogOut(Shape):
    """A job log that was brought. ``taken_at`` null: it waits, or it was refused for what is ``wrong``."""

    id: int
    name: str
    by: str
    at: datetime
    taken_at: datetime | None
    jobs: int
    new: int
    began: datetime | None
    ended: datetime | None
    wrong: list[WrongRowOut]


class UseOut(Shape):
    """How much a machine was used."""

    meters: list[MeterOut]
    weeks: list[WeekOut]
    logs: list[LogOut]


def meter_out(what: str, unit: str, meter: Meter, typical: bool = False) -> MeterOut:
    """A meter as it is told."""
    there, use = meter.at(now()), meter.use
    return MeterOut(
        what=what,
        unit=unit,
        value=None if there is None else there.value,
        estimated=there is not None and there.estimated,
        typical=typical,
        u95=None if there is None else there.u95,
        read_at=None if there is None else there.read_at,
        a_day=None if use is None else use.a_day,
        shown=meter.shown,
    )


def _use(printer: Printer) -> UseOut:
    m = meters.meters_of(printer)
    weeks = LoggedWeek.objects.filter(printer=printer).order_by("-monday")[:_WEEKS]
    logs = JobLog.objects.filter(printer=printer).select_related("by").defer("data")[:_LOGS]
    return UseOut(
        meters=[
            meter_out("hours", "h", m.hours),
            meter_out("filament", "kg", m.filament, "filament" in m.typical),
            *(meter_out(axis, "km", meter, axis in m.typical) for axis, meter in m.travel.items()),
        ],
        weeks=[WeekOut(monday=w.monday, hours=w.hours, filament_kg=w.filament_kg) for w in reversed(weeks)],
        logs=[_log(row) for row in logs],
    )


def _log(row: JobLog) -> LogOut:
    return LogOut(
        id=row.pk,
        name=row.name,
        by=name_of(row.by),
        at=row.at,
        taken_at=row.taken_at,
        jobs=row.jobs,
        new=row.new,
        began=row.began,
        ended=row.ended,
        wrong=[WrongRowOut(**w) for w in row.wrong],
    )


@router.get("/printers/{printer_id}/use", auth=may("use.see"), response=UseOut, operation_id="use.see")
@still
def see(request: SignedIn, printer_id: int):
    """How much a machine was used: its meters, and its job logs by weeks."""
    return _use(the_printer(printer_id))


class MeterIn(Shape):
    """What a machine's meters show. ``reset``: they began anew, as with a replaced board."""

    hours: Hours
    filament_kg: Annotated[float, Field(ge=0, le=1e6)] | None = None
    travel_km: Annotated[dict[Annotated[str, Field(max_length=5)], Annotated[float, Field(ge=0, le=1e7)]], Field(max_length=6)] = {}  # fmt: skip
    reset: bool = False


@router.post("/printers/{printer_id}/meter", auth=may("meter.read"), response=UseOut, operation_id="meter.read")
@once
def read_meter(request: SignedIn, printer_id: int, payload: MeterIn):
    """Write down what a machine's meters show; one that goes back, or leaps, is refused with why."""
    printer, p = the_printer(printer_id), payload
    meters.read(printer, p.hours, request.user, p.filament_kg, p.travel_km, p.reset)
    return _use(printer)


class AskedLog(Shape):
    """How a job log is to be read; without ``columns`` as remembered for the machine, else as its names suggest, in ``zone``."""

    columns: jobs.JobColumns | None = None
    zone: str = Field("UTC", max_length=60)


class LogSeen(Shape):
    """What stands in a job log, or in its beginning, and what of it would be taken.

    ``remembered``: ``columns`` are those of the last time. ``unbegun``: rows that tell of no use. ``known``: jobs that are there already.
    ``problem``: why it cannot be read so at all, with the ``field``.
    """

    names: list[str]
    first: list[list[str]]
    columns: jobs.JobColumns
    remembered: bool
    rows: int
    jobs: int
    unbegun: int
    known: int
    hours: float
    filament_kg: float | None
    began: datetime | None
    ended: datetime | None
    weeks: list[WeekOut]
    wrong: list[WrongRowOut]
    wrong_rows: int
    problem: str
    field: str


@router.post("/printers/{printer_id}/job-log/look", auth=may("meter.read"), response=LogSeen, operation_id="use.look")
def look(request: SignedIn, printer_id: int, meta: Annotated[str, Form()], file: Annotated[UploadedFile, File()]):
    """Look at a job log, or at its beginning. Nothing is kept. ``meta`` is an AskedLog as JSON."""
    printer, asked, data = the_printer(printer_id), parse_meta(meta, AskedLog), read_upload(file)
    names, first = jobs.first_rows(data, _FIRST)
    kept = job_logs.remembered(printer, names) if asked.columns is None else None
    columns = asked.columns or kept or jobs.guess(data, asked.zone)
    log, problem, field = jobs.JobLog([], 0, 0, [], 0), "", ""
    try:
        log = jobs.read_jobs(data, columns, now())
    except BadInput as e:
        problem, field = e.message, e.field or ""
    known = job_logs.known_of(printer, log.jobs)
    summed = jobs.weeks(log.jobs, timezone.get_default_timezone())
    filament = [w.filament_kg for w in summed if w.filament_kg is not None]
    return LogSeen(
        names=names,
        first=[[c[:_CELL] for c in cells] for cells in first],
        columns=columns,
        remembered=kept is not None,
        rows=log.rows,
        jobs=len(log.jobs),
        unbegun=log.unbegun,
        known=sum((j.began, j.name) in known for j in log.jobs),
        hours=sum(w.hours for w in summed),
        filament_kg=sum(filament) if filament else None,
        began=min((j.began for j in log.jobs), default=None),
        ended=max((j.ended for j in log.jobs), default=None),
        weeks=[WeekOut(monday=w.monday, hours=w.hours, filament_kg=w.filament_kg) for w in summed[-_WEEKS:]],
        wrong=[WrongRowOut(row=w.row, column=w.column, message=w.message) for w in log.wrong],
        wrong_rows=log.wrong_rows,
        problem=problem,
        field=field,
    )


class TakeLog(Shape):
    """How a job log is read."""

    columns: jobs.JobColumns


@router.post("/printers/{printer_id}/job-log", auth=may("meter.read"), response=WorkOut, operation_id="use.take_log")
@once
def take_log(request: SignedIn, printer_id: int, meta: Annotated[str, Form()], file: Annotated[UploadedFile, File()]):
    """Take a job log, by a worker: whole, or not at all. The same log again changes nothing. ``meta`` is a TakeLog as JSON."""
    printer, told, data = the_printer(printer_id), parse_meta(meta, TakeLog), read_upload(file)
    jobs.first_rows(data, 0)
    return work_out(job_logs.ask_to_take(printer, file.name or "log", data, told.columns, request.user))
