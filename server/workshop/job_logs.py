"""Job logs of machines: how a machine's are read (told once), taken whole by a worker, and what weeks they add up to."""

from __future__ import annotations

import gzip
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone
from kestov_core.errors import BadInput
from kestov_core.tables import jobs
from people.clock import now
from people.models import User, audit, name_of
from people.refusals import Refused
from people.telling import tell
from work import kinds
from work.doing import Progress, ask
from work.models import Work

from . import meters, tags, timeline
from .models import JobLog, LoggedJob, LoggedWeek, Printer

_BATCH = 2000


def remembered(printer: Printer, names: list[str]) -> jobs.JobColumns | None:
    """How a log with these columns is read: as the last of this machine, or of another of its model, that has them all."""
    rows = JobLog.objects.filter(printer__model=printer.model_id, taken_at__isnull=False).order_by("-taken_at")
    told = [
        *rows.filter(printer=printer).values_list("columns", flat=True)[:3],
        *rows.values_list("columns", flat=True)[:3],
    ]
    for columns in map(jobs.JobColumns.model_validate, told):
        if set(columns.names().values()) <= set(names):
            return columns
    return None


def ask_to_take(printer: Printer, name: str, data: bytes, columns: jobs.JobColumns, user: User) -> Work:
    """Keep a log as it came, and have a worker take it."""
    log = JobLog.objects.create(
        printer=printer,
        name=name[:120],
        data=gzip.compress(data, 6),
        columns=columns.model_dump(mode="json"),
        at=now(),
        by=user,
    )
    return ask("job log", f"The job log of {printer.name}", user, {"log": log.pk})


def known_of(printer: Printer, found: list[jobs.Job]) -> dict[tuple[datetime, str], LoggedJob]:
    """Those of some jobs that are known already, by when they began and their names."""
    if not found:
        return {}
    first, last = min(j.began for j in found), max(j.began for j in found)
    rows = LoggedJob.objects.filter(printer=printer, began__gte=first, began__lte=last)
    return {(r.began, r.name): r for r in rows}


def _take(progress: Progress, told: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    log = JobLog.objects.select_related("printer", "by").get(pk=told["log"])
    if log.taken_at is not None:
        return f"{log.jobs} jobs, {log.new} of them new.", {"log": log.pk}
    columns, data = jobs.JobColumns.model_validate(log.columns), gzip.decompress(bytes(log.data))
    total = max(1, data.count(b"\n"))
    read = _read(log, data, columns, progress, total)
    progress.at(total, total)
    with transaction.atomic():
        Printer.objects.select_for_update().get(pk=log.printer_id)
        new, changed = _store(log.printer, read.jobs)
        log.jobs, log.new, log.taken_at = len(read.jobs), new, now()
        if read.jobs:
            log.began, log.ended = min(j.began for j in read.jobs), max(j.ended for j in read.jobs)
            _sum_up(log.printer, log.began, log.ended)
        log.save()
        meters.keep([log.printer_id])
        tags.parts_or_use_changed.send(sender=JobLog)
        tell("printer", log.printer_id)
        if log.by is not None:
            audit(log.by, "took", log.printer, f"Took the job log {log.name} of {log.printer.name}: {new} new jobs.")
    if not (new or changed):
        return f"Nothing changes: all {len(read.jobs)} jobs were known.", {"log": log.pk}
    more = f" {changed} that were known are told otherwise now." if changed else ""
    return f"{len(read.jobs)} jobs, {new} of them new.{more}", {"log": log.pk}


def _read(log: JobLog, data: bytes, columns: jobs.JobColumns, progress: Progress, total: int) -> jobs.JobLog:
    """The log's jobs; refused whole where any row cannot be taken, or nothing is in it."""
    try:
        read = jobs.read_jobs(data, columns, now(), lambda rows: progress.at(min(rows, total - 1), total))
    except BadInput as e:
        _refused(log, [{"row": e.row or 0, "column": e.field or "", "message": e.message}])
        raise
    if read.wrong_rows:
        _refused(log, [{"row": w.row, "column": w.column, "message": w.message} for w in read.wrong])
        rows = "One row" if read.wrong_rows == 1 else f"{read.wrong_rows} rows"
        raise Refused(
            422, "bad_row", f"Nothing was taken: {rows} of {read.rows} cannot be read. {read.wrong[0].message}"
        )
    if not read.jobs:
        _refused(log, [])
        raise Refused(422, "too_few_rows", "Nothing was taken: no row tells of any use.")
    return read


def _refused(log: JobLog, wrong: list[dict[str, Any]]) -> None:
    # What was refused is not kept: it is with who brought it.
    log.wrong, log.data = wrong, b""
    log.save(update_fields=["wrong", "data"])
    tell("printer", log.printer_id)


def _store(printer: Printer, found: list[jobs.Job]) -> tuple[int, int]:
    """Keep the jobs that are not known; how many those are, and how many of the known are told otherwise now."""
    known = known_of(printer, found)
    fresh: dict[tuple[datetime, str], LoggedJob] = {}
    otherwise: dict[int, LoggedJob] = {}
    for j in found:
        there = known.get((j.began, j.name)) or fresh.get((j.began, j.name))
        if there is None:
            fresh[j.began, j.name] = LoggedJob(
                printer=printer,
                began=j.began,
                ended=j.ended,
                name=j.name,
                filament_kg=j.filament_kg,
                travel_km=j.travel_km,
            )
            continue
        # A job goes on, and what it used may have been told in the wrong unit before; what a log does not tell stays as it was.
        now_told = (
            max(j.ended, there.ended),
            there.filament_kg if j.filament_kg is None or j.ended < there.ended else j.filament_kg,
            there.travel_km if not j.travel_km or j.ended < there.ended else j.travel_km,
        )
        if now_told != (there.ended, there.filament_kg, there.travel_km):
            there.ended, there.filament_kg, there.travel_km = now_told
            if there.pk is not None:
                otherwise[there.pk] = there
    LoggedJob.objects.bulk_create(fresh.values(), batch_size=_BATCH)
    LoggedJob.objects.bulk_update(otherwise.values(), ["ended", "filament_kg", "travel_km"], batch_size=_BATCH)
    return len(fresh), len(otherwise)


def _sum_up(printer: Printer, began: datetime, ended: datetime) -> None:
    """Make the weeks between two moments anew, from all jobs that lie in them."""
    zone = timezone.get_default_timezone()
    first = began.astimezone(zone).date()
    first -= timedelta(days=first.weekday())
    last = ended.astimezone(zone).date()
    last -= timedelta(days=last.weekday())
    begin = datetime.combine(first, datetime.min.time(), zone)
    end = datetime.combine(last + timedelta(days=7), datetime.min.time(), zone)
    rows = LoggedJob.objects.filter(printer=printer, ended__gte=begin, began__lt=end)
    told = rows.values_list("began", "ended", "name", "filament_kg", "travel_km")
    summed = [w for w in jobs.weeks((jobs.Job(*r) for r in told), zone) if first <= w.monday <= last]
    LoggedWeek.objects.filter(printer=printer, monday__gte=first, monday__lte=last).delete()
    LoggedWeek.objects.bulk_create(
        LoggedWeek(printer=printer, monday=w.monday, hours=w.hours, filament_kg=w.filament_kg, travel_km=w.travel_km)
        for w in summed
    )


kinds.register(kinds.Kind("job log", _take, alone=lambda told: str(told["log"])))


def _taken(asked: timeline.Asked) -> QuerySet[JobLog]:
    rows = JobLog.objects.filter(printer=asked.printer, taken_at__isnull=False)
    return rows.none() if asked.place or asked.case is not None else rows.defer("data")


@timeline.register(lambda asked: [(_taken(asked), "taken_at")])
def _told(asked: timeline.Asked) -> list[timeline.Line]:
    return [
        timeline.Line(
            at=r.taken_at,  # type: ignore[arg-type]
            who=name_of(r.by),
            kind="happened",
            words=f"Job log taken: {r.new} new {'job' if r.new == 1 else 'jobs'}",
        )
        for r in asked.newest(_taken(asked).select_related("by"), "taken_at")
    ]
