"""All figures of the workshop as one table: a row for each figure that was judged, by machine, place and procedure; for others' tools."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, datetime, time, timedelta
from typing import Any, NamedTuple, get_type_hints

from django.utils import timezone
from people.models import name_of
from people.refusals import Refused

from .models import Capture

#: So many captures at the most: more is asked for in parts.
MOST = 100_000


class FigureRow(NamedTuple):
    """One figure. ``nth``: 0 is the headline of its capture; ``low``, ``high``: the limits that it was judged by."""

    capture: str
    nth: int
    machine: str
    model: str
    number: str
    place: str
    procedure: str
    taken_at: datetime
    taken_by: str
    instrument: str
    case: int | None
    what: str
    value: float
    u95: float | None
    unit: str
    low: float | None
    high: float | None
    limits_from: str
    verdict: str
    core: str


def figures(since: date, until: date, printer_id: int | None = None) -> Iterator[FigureRow]:
    """The figures of all captures from one day to another, both whole, the oldest first; corrected readings are left out."""
    if until < since:
        raise Refused(422, "out_of_range", "It must not end before it begins.", "until")
    zone = timezone.get_default_timezone()
    rows = Capture.objects.current().filter(
        taken_at__gte=datetime.combine(since, time(), zone),
        taken_at__lt=datetime.combine(until + timedelta(days=1), time(), zone),
    )
    if printer_id is not None:
        rows = rows.filter(printer=printer_id)
    if rows.count() > MOST:
        raise Refused(
            422, "too_many", f"These are more than {MOST} measurements: choose a shorter time, or one machine.", "since"
        )
    rows = rows.defer("data", "context").select_related("printer__model", "instrument", "taken_by")
    return _rows(rows.prefetch_related("results").order_by("taken_at", "id").iterator(chunk_size=1000))


def _rows(captures: Iterator[Capture]) -> Iterator[FigureRow]:
    for c in captures:
        result = c.latest()
        if result is None:
            continue
        for nth, judged in enumerate(result.judged):
            quantity, limits = judged["quantity"], judged.get("limits") or {}
            yield FigureRow(
                capture=str(c.pk),
                nth=nth,
                machine=c.printer.name,
                model=c.printer.model.name,
                number=c.printer.serial,
                place=c.place,
                procedure=c.procedure,
                taken_at=c.taken_at,
                taken_by=name_of(c.taken_by),
                instrument=c.instrument.name if c.instrument else "",
                case=c.case_id,
                what=judged["words"],
                value=quantity["value"],
                u95=quantity.get("u95"),
                unit=quantity["unit"],
                low=limits.get("low"),
                high=limits.get("high"),
                limits_from=judged.get("source_of_limits", ""),
                verdict=judged.get("verdict", ""),
                core=result.core_version,
            )


def as_parquet(rows: Iterator[FigureRow]) -> bytes:
    """The table as Parquet, each column of its kind; times in world time."""
    import io

    import pyarrow as pa
    from pyarrow import parquet

    whole, real, moment = pa.int64(), pa.float64(), pa.timestamp("us", tz="UTC")
    kinds: dict[Any, Any] = {
        str: pa.string(),
        int: whole,
        int | None: whole,
        float: real,
        float | None: real,
        datetime: moment,
    }
    schema = pa.schema([(name, kinds[kind]) for name, kind in get_type_hints(FigureRow).items()])
    told = list(rows)
    columns = list(zip(*told, strict=True)) if told else [()] * len(schema)
    table = pa.table([pa.array(c, type=f.type) for c, f in zip(columns, schema, strict=True)], schema=schema)
    out = io.BytesIO()
    parquet.write_table(table, out)
    return out.getvalue()
