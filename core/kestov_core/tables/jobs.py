"""A machine's own list of its jobs, as a table: which column is which, what each row says, and how much use that makes.

A log is taken whole or not at all: what is wrong is told row by row, and what would be taken is shown beside it.
"""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta, tzinfo
from typing import Annotated, Literal
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic import BaseModel, ConfigDict, Field

from ..errors import BadInput
from ..readers import MAX_CSV_BYTES
from .seen import MOST_COLUMNS, text_of

Name = Annotated[str, Field(max_length=80)]
Dates = Literal["year_first", "day_first", "month_first", "seconds"]
#: So many rows a log may have, so many wrong ones are told, and so many are read between two words on how far it is.
MOST_ROWS, MOST_WRONG, _TELL = 1_000_000, 20, 5_000
#: No job takes longer (days), and none began before this.
MOST_DAYS, FIRST = 60, datetime(2000, 1, 1, tzinfo=UTC)
#: Grams a cubic centimetre of the usual filaments: 1.24 +-10 % (typical: from 1.04 to 1.27, some to 1.4).
DENSITY = 1.24
_MOST_KG, _MOST_KM = 500.0, 10_000.0
_KG = {"kg": 1.0, "g": 1e-3}
_KM = {"km": 1.0, "m": 1e-3, "mm": 1e-6}
_SECONDS = {"s": 1.0, "min": 60.0, "h": 3600.0}


class JobColumns(BaseModel):
    """Which column of a machine's job log is which, each by its name in the header; empty where the log has none.

    ``took``: how long a job ran, where its end is not told, in ``took_in`` (``clock``: as 3:25:00 or 3h 25m). ``travel``: by axis.
    ``dates``: how they are written (``seconds``: since 1970); ``zone``: where those without a zone of their own are meant.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    began: Name
    ended: Name = ""
    took: Name = ""
    took_in: Literal["clock", "s", "min", "h"] = "clock"
    name: Name = ""
    filament: Name = ""
    filament_in: Literal["kg", "g", "m", "mm", "cm3"] = "g"
    diameter_mm: Annotated[float, Field(ge=1, le=5)] = 1.75
    travel: Annotated[dict[Annotated[str, Field(max_length=5)], Name], Field(max_length=6)] = {}
    travel_in: Literal["km", "m", "mm"] = "m"
    dates: Dates = "year_first"
    zone: Annotated[str, Field(max_length=60)] = "UTC"

    def names(self) -> dict[str, str]:
        """Field and column of all that is told."""
        told = {n: getattr(self, n) for n in ("began", "ended", "took", "name", "filament")}
        return {n: c for n, c in (told | {f"travel.{a}": c for a, c in self.travel.items()}).items() if c}


@dataclass(frozen=True, slots=True)
class Job:
    """One job: when it began and ended (UTC), and what it used where the log tells."""

    began: datetime
    ended: datetime
    name: str = ""
    filament_kg: float | None = None
    travel_km: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class WrongRow:
    """A row that cannot be taken: its number in the file, its column, and why."""

    row: int
    column: str
    message: str


@dataclass(frozen=True)
class JobLog:
    """A log as it was read. ``wrong``: the first rows that cannot be taken, of ``wrong_rows``; ``unbegun``: rows that name no use."""

    jobs: list[Job]
    rows: int
    unbegun: int
    wrong: list[WrongRow]
    wrong_rows: int


@dataclass(frozen=True)
class WeekOfUse:
    """What a machine was used in the week that began on a Monday; None where no job told it."""

    monday: date
    hours: float
    filament_kg: float | None
    travel_km: dict[str, float]


def first_rows(data: bytes, most: int) -> tuple[list[str], list[list[str]]]:
    r"""The names of a log's columns, and its first rows as they stand.

    Raises
    ------
    BadInput
        ``empty_file``, ``too_large``, ``not_text``, ``missing_column`` where two columns have one name.

    Examples
    --------
    >>> first_rows(b"Started;Took;File\n2026-05-01 10:00;1:20:00;clip\n", 5)
    (['Started', 'Took', 'File'], [['2026-05-01 10:00', '1:20:00', 'clip']])
    """
    names, _, rows = _opened(data)
    return names, [cells for _, (_, cells) in zip(range(most), rows, strict=False)]


#: What columns are called, by what they tell; the surer names first.
_CALLED = (
    ("began", r"start|beg[aiu]n"),
    ("ended", r"end|finish|complet|until|stopp"),
    ("took", r"dura|took|elapsed|print ?time|run ?time|hours|minutes|seconds"),
    ("began", r"from|date"),
    ("name", r"file|job|name|title|part|what"),
    ("filament", r"filament|material|weight|extru"),
    ("took", r"^time$|time.*(h|min|s)\b"),
    ("began", r"time"),
)
_LENGTH = r"dura|elapsed|took|print ?time|run ?time"


def guess(data: bytes, zone: str = "UTC") -> JobColumns:
    r"""What the names of a log's columns, and its first rows, suggest.

    Examples
    --------
    >>> found = guess(b"Started;Duration;File;Filament [m]\n01.05.2026 10:00;1:20:00;clip;4,2\n")
    >>> found.began, found.took, found.filament, found.filament_in, found.dates
    ('Started', 'Duration', 'Filament [m]', 'm', 'day_first')
    """
    names, _, rows = _opened(data)
    taken: dict[str, str] = {}
    for what, called in _CALLED:
        free = (n for n in names if n not in taken.values() and re.search(called, n.lower()))
        if what in ("began", "ended"):
            free = (n for n in free if not re.search(_LENGTH, n.lower()))
        if what not in taken and (hit := next(free, None)) is not None:
            taken[what] = hit
    first = [cells for _, (_, cells) in zip(range(20), rows, strict=False) if len(cells) == len(names)]
    column = {w: [c[names.index(n)].strip() for c in first] for w, n in taken.items()}
    taken.setdefault("began", names[0])
    unit = re.search(r"\b(kg|g|mm|cm3|cm³|m)\b", taken.get("filament", "").lower())
    took = next((c for c in column.get("took", []) if c), "")
    took_in = "clock" if not re.fullmatch(r"[\d.,]+", took) else _took_unit(taken.get("took", ""))
    return JobColumns.model_validate(
        taken
        | ({} if unit is None else {"filament_in": unit.group(1).replace("³", "3")})
        | {"took_in": took_in, "dates": _way_of_dates(column.get("began", [])), "zone": zone}
    )


def _took_unit(name: str) -> str:
    if re.search(r"hour|\bh\b|_h$", name.lower()):
        return "h"
    return "min" if re.search(r"min", name.lower()) else "s"


def _way_of_dates(cells: list[str]) -> Dates:
    told = [c for c in cells if c]
    if told and all(re.fullmatch(r"\d{9,13}(\.\d+)?", c) for c in told):
        return "seconds"
    if not told or all(re.match(r"\d{4}\D", c) for c in told):
        return "year_first"
    first = [int(m.group(1)) for c in told if (m := re.match(r"(\d{1,2})(\D)(\d{1,2})\D", c))]
    second = [int(m.group(3)) for c in told if (m := re.match(r"(\d{1,2})(\D)(\d{1,2})\D", c))]
    if any(f > 12 for f in first) or "." in told[0][:3]:
        return "day_first"
    return "month_first" if any(s > 12 for s in second) else "day_first"


def read_jobs(
    data: bytes, columns: JobColumns, now: datetime, so_far: Callable[[int], None] = lambda _: None
) -> JobLog:
    r"""Read a job log.

    Parameters
    ----------
    data : bytes
        A table with a header; comma, semicolon or tab; figures with point or comma.
    columns : JobColumns
        Which column is which.
    now : datetime
        No job may have ended later than a day from it.
    so_far : callable
        Told from time to time how many rows have been read.

    Returns
    -------
    JobLog
        Jobs as they stand in the file; what cannot be taken by row and column.

    Raises
    ------
    BadInput
        ``missing_column`` for a told column that is not there, ``missing_field`` without end and length, ``unknown_unit`` for a zone
        that is none, ``too_large`` over a million rows, ``too_few_rows`` without any.

    Examples
    --------
    >>> log = read_jobs(b"start,h\n2026-05-01 10:00,1.5\n2026-05-02 09:00,x\n", JobColumns(began="start", took="h", took_in="h"),
    ...     datetime(2026, 6, 1, tzinfo=UTC))
    >>> (log.jobs[0].ended - log.jobs[0].began).seconds, log.wrong[0].row, log.wrong[0].column
    (5400, 3, 'h')
    """
    names, separator, rows = _opened(data)
    where = {}
    for what, column in columns.names().items():
        if column not in names:
            raise BadInput("missing_column", f"This log has no column “{column}”.", what)
        where[what] = names.index(column)
    if "ended" not in where and "took" not in where:
        raise BadInput("missing_field", "Tell which column says when a job ended, or how long it took.", "took")
    reader = _Reader(names, where, columns, separator, now)
    jobs: list[Job] = []
    wrong: list[WrongRow] = []
    count = wrong_rows = unbegun = 0
    for number, cells in rows:
        count += 1
        if count > MOST_ROWS:
            raise BadInput("too_large", f"The log has over {MOST_ROWS} rows. Take it year by year.", "data")
        if count % _TELL == 0:
            so_far(count)
        try:
            job = reader.job(number, cells)
        except _Wrong as e:
            wrong_rows += 1
            if len(wrong) < MOST_WRONG:
                wrong.append(WrongRow(number, e.column, e.message))
            continue
        if job is None:
            unbegun += 1
        else:
            jobs.append(job)
    if not count:
        raise BadInput("too_few_rows", "There is no job in this log.", "data")
    return JobLog(jobs, count, unbegun, wrong, wrong_rows)


class _Wrong(Exception):
    def __init__(self, column: str, message: str) -> None:
        self.column, self.message = column, message


class _Reader:
    """Reads rows of one log."""

    def __init__(
        self, names: list[str], where: dict[str, int], columns: JobColumns, separator: str, now: datetime
    ) -> None:
        self._names, self._where, self._columns, self._comma = names, where, columns, separator != ","
        self._latest = now + timedelta(days=1)
        try:
            self._zone: tzinfo = UTC if columns.zone == "UTC" else ZoneInfo(columns.zone)
        except (ZoneInfoNotFoundError, ValueError, OSError) as e:
            raise BadInput("unknown_unit", f"“{columns.zone}” is no time zone.", "zone") from e
        area = math.pi * (columns.diameter_mm / 2) ** 2
        gram_a_mm = area * DENSITY * 1e-3
        self._kg = _KG | {"mm": gram_a_mm * 1e-3, "m": gram_a_mm, "cm3": DENSITY * 1e-3}

    def job(self, number: int, cells: list[str]) -> Job | None:
        """One row; None where it tells of no use (a job that never began)."""
        if len(cells) != len(self._names):
            raise _Wrong("", f"Row {number} has {len(cells)} cells where the header has {len(self._names)}.")
        if not self._cell(cells, "began"):
            return None
        began = self._moment(cells, "began", number)
        ended = self._ended(cells, began, number)
        if ended is None:
            return None
        if ended > self._latest:
            raise _Wrong(
                self._name("took" if "took" in self._where else "ended"), f"Row {number}: it would not have ended yet."
            )
        if ended < began:
            raise _Wrong(self._name("ended"), f"Row {number}: it ended before it began.")
        if ended - began > timedelta(days=MOST_DAYS):
            raise _Wrong(self._name("took" if "took" in self._where else "ended"), f"Row {number}: over {MOST_DAYS} days in one job.")  # fmt: skip
        c = self._columns
        filament = self._amount(cells, "filament", self._kg[c.filament_in], _MOST_KG, number)
        travel = {}
        for axis in c.travel:
            km = self._amount(cells, f"travel.{axis}", _KM[c.travel_in], _MOST_KM, number)
            if km is not None:
                travel[axis] = km
        return Job(began, ended, self._cell(cells, "name")[:80], filament, travel)

    def _cell(self, cells: list[str], what: str) -> str:
        return cells[self._where[what]].strip() if what in self._where else ""

    def _name(self, what: str) -> str:
        return self._names[self._where[what]] if what in self._where else ""

    def _ended(self, cells: list[str], began: datetime, number: int) -> datetime | None:
        if self._cell(cells, "took"):
            return began + timedelta(seconds=self._long(cells, number))
        return self._moment(cells, "ended", number) if self._cell(cells, "ended") else None

    def _figure(self, text: str, column: str, number: int) -> float:
        try:
            value = float(text.replace(",", ".") if self._comma else text)
        except ValueError:
            raise _Wrong(column, f"Row {number}, column {column}: “{text[:40]}” is not a figure.") from None
        if not math.isfinite(value) or value < 0:
            raise _Wrong(column, f"Row {number}, column {column}: “{text[:40]}” cannot be.")
        return value

    def _amount(self, cells: list[str], what: str, factor: float, most: float, number: int) -> float | None:
        text = self._cell(cells, what)
        if not text:
            return None
        value = self._figure(text, self._name(what), number) * factor
        if value > most:
            raise _Wrong(self._name(what), f"Row {number}, column {self._name(what)}: “{text[:40]}” is more than one job can use. Another unit?")  # fmt: skip
        return value

    def _long(self, cells: list[str], number: int) -> float:
        """How long a job took, in seconds."""
        text, column = self._cell(cells, "took"), self._name("took")
        if self._columns.took_in != "clock":
            seconds = self._figure(text, column, number) * _SECONDS[self._columns.took_in]
        else:
            m = _COLONS.fullmatch(text) or _LETTERS.fullmatch(text)
            if m is None or not any(m.groups()):
                raise _Wrong(
                    column, f"Row {number}, column {column}: “{text[:40]}” is no length such as 3:25:00 or 3h 25m."
                )
            days, hours, minutes, secs = (float(g.replace(",", ".")) if g else 0.0 for g in m.groups())
            seconds = ((days * 24 + hours) * 60 + minutes) * 60 + secs
        if seconds > MOST_DAYS * 86400:
            raise _Wrong(column, f"Row {number}: over {MOST_DAYS} days in one job.")
        return seconds

    def _moment(self, cells: list[str], what: str, number: int) -> datetime:
        text, column = self._cell(cells, what), self._name(what)
        try:
            found = self._date(text)
            moment = (found if found.tzinfo else found.replace(tzinfo=self._zone)).astimezone(UTC)
        except (ValueError, OverflowError, OSError):
            raise _Wrong(column, f"Row {number}, column {column}: “{text[:40]}” is no date and time as told.") from None
        if not FIRST <= moment <= self._latest:
            raise _Wrong(
                column, f"Row {number}, column {column}: {moment:%Y-%m-%d} cannot be; is the date written otherwise?"
            )
        return moment

    def _date(self, text: str) -> datetime:
        way = self._columns.dates
        if way == "seconds":
            value = float(text)
            return datetime.fromtimestamp(value / 1000 if value > 1e11 else value, UTC)
        if way == "year_first":
            return datetime.fromisoformat(text.replace("/", "-"))
        m = _DATE.fullmatch(text)
        if m is None:
            raise ValueError(text)
        a, b, year, hour, minute, second, half = m.groups()
        day, month = (a, b) if way == "day_first" else (b, a)
        hours = int(hour or 0)
        if half:
            hours = hours % 12 + (12 if half.lower() == "p" else 0)
        full = int(year) + (2000 if len(year) == 2 else 0)
        return datetime(full, int(month), int(day), hours, int(minute or 0), int(second or 0))


_COLONS = re.compile(r"(?:(\d+)(?:\.| ?d(?:ays?)?,? ))?(\d+):(\d{1,2})(?::(\d{1,2}(?:[.,]\d+)?))?")
_N = r"(\d+(?:[.,]\d+)?)"
_LETTERS = re.compile(rf"(?:{_N} ?d\w*[, ]*)?(?:{_N} ?h\w*[, ]*)?(?:{_N} ?m\w*[, ]*)?(?:{_N} ?s\w*)?")
_DATE = re.compile(
    r"(\d{1,2})[./-](\d{1,2})[./-](\d{4}|\d{2})(?:,?[ T]+(\d{1,2}):(\d{2})(?::(\d{2}))?(?: ?([apAP])\.?[mM]\.?)?)?"
)


def weeks(jobs: Iterable[Job], zone: tzinfo = UTC) -> list[WeekOfUse]:
    """The use that jobs make, by weeks from Monday; time that two jobs share counts once.

    Filament and travel of a job go to the week in which it began.

    Examples
    --------
    >>> a = Job(datetime(2026, 5, 3, 23, tzinfo=UTC), datetime(2026, 5, 4, 2, tzinfo=UTC), filament_kg=0.1)
    >>> [(str(w.monday), w.hours, w.filament_kg) for w in weeks([a, a])]
    [('2026-04-27', 1.0, 0.2), ('2026-05-04', 2.0, None)]
    """
    hours: dict[date, float] = {}
    filament: dict[date, float] = {}
    travel: dict[date, dict[str, float]] = {}
    busy_until = FIRST - timedelta(days=1)
    for job in sorted(jobs, key=lambda j: (j.began, j.ended)):
        monday = _monday(job.began, zone)
        if job.filament_kg is not None:
            filament[monday] = filament.get(monday, 0.0) + job.filament_kg
        for axis, km in job.travel_km.items():
            by_axis = travel.setdefault(monday, {})
            by_axis[axis] = by_axis.get(axis, 0.0) + km
        at = max(job.began, busy_until)
        while at < job.ended:
            monday = _monday(at, zone)
            nxt = datetime.combine(monday + timedelta(days=7), datetime.min.time(), zone).astimezone(UTC)
            to = min(job.ended, nxt)
            hours[monday] = hours.get(monday, 0.0) + (to - at).total_seconds() / 3600
            at = to
        busy_until = max(busy_until, job.ended)
    known = sorted({*hours, *filament, *travel})
    return [WeekOfUse(m, hours.get(m, 0.0), filament.get(m), travel.get(m, {})) for m in known]


def _monday(moment: datetime, zone: tzinfo) -> date:
    day = moment.astimezone(zone).date()
    return day - timedelta(days=day.weekday())


def _opened(data: bytes) -> tuple[list[str], str, Iterator[tuple[int, list[str]]]]:
    """A log's column names, its separator, and its rows with their numbers."""
    if not data.strip():
        raise BadInput("empty_file", "The file is empty.", "data")
    if len(data) > MAX_CSV_BYTES:
        raise BadInput("too_large", "The table is over 50 MB. Take it year by year.", "data")
    text = text_of(data).replace("\r\n", "\n").replace("\r", "\n")
    first = next(line for line in text.split("\n") if line.strip())
    separator = max(";\t,", key=first.count)
    rows = csv.reader(io.StringIO(text), delimiter=separator, skipinitialspace=True)
    names: list[str] = []
    for cells in _told(rows):
        names = [c.strip()[:80] or f"Column {i}" for i, c in enumerate(cells[1], 1)]
        break
    if not names:
        raise BadInput("empty_file", "There is no line of column names in the file.", "data")
    if len(names) > MOST_COLUMNS:
        raise BadInput("too_large", f"The table has over {MOST_COLUMNS} columns.", "data")
    if len(set(names)) < len(names):
        raise BadInput(
            "missing_column", "Two columns have the same name. Give each its own, and take it again.", "data"
        )
    return names, separator, _told(rows)


def _told(rows: Iterator[list[str]]) -> Iterator[tuple[int, list[str]]]:
    """Rows that hold anything, each with its line in the file."""
    while True:
        try:
            cells = next(rows)
        except StopIteration:
            return
        except csv.Error as e:
            raise BadInput("bad_row", f"Row {rows.line_num} cannot be told into cells.", "data", rows.line_num) from e  # type: ignore[attr-defined]
        if any(c.strip() for c in cells):
            yield rows.line_num, cells  # type: ignore[attr-defined]
