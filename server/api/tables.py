"""An instrument's own table, looked at before it is taken: its columns, what they are taken for, and whether that can be."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from django.shortcuts import get_object_or_404
from kestov_core import procedures
from kestov_core.errors import BadInput
from kestov_core.tables.mapping import Mapped, TableColumn, TableMap, guess, mapped, reads_as_is, wanted
from kestov_core.tables.seen import Seen, see
from kestov_core.tables.sense import TableNote, likely, sense
from measuring.taking import remembered
from ninja import File, Form, Router, UploadedFile
from workshop.models import Instrument

from .parsing import parse_meta
from .permissions import may
from .problems import Problem
from .readings import read_upload
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["measuring"])

#: So many first rows are shown, cut at so many letters, and so many points drawn of each column.
FIRST_ROWS, CELL, POINTS = 6, 40, 240


class AskedTable(Shape):
    """How a table is to be read; without ``columns`` as remembered for the instrument, else as its names suggest."""

    procedure: str
    instrument_id: int | None = None
    columns: TableMap | None = None


class TableSeries(Shape):
    """A column as it would be read, thinned out: the least and the greatest of each stretch."""

    name: str
    title: str
    unit: str
    low: list[float]
    high: list[float]


class TableWrong(Shape):
    """Why it cannot be read so."""

    code: str
    message: str
    field: str | None


class TableSeen(Shape):
    """What stands in a table. ``as_is``: the procedure reads it as it is. ``remembered``: ``columns`` are those of the last time."""

    names: list[str]
    first: list[list[str]]
    rows: int
    wanted: list[TableColumn]
    columns: TableMap
    remembered: bool
    as_is: bool
    series: list[TableSeries]
    notes: list[TableNote]
    wrong: TableWrong | None


@router.post("/tables", auth=may("measure.take"), response=TableSeen, operation_id="tables.look")
def look(request: SignedIn, meta: Annotated[str, Form()], file: Annotated[UploadedFile, File()]):
    """Look at a table, or at its beginning. Nothing is kept. ``meta`` is an AskedTable as JSON."""
    asked = parse_meta(meta, AskedTable)
    procedure = procedures.get(asked.procedure)
    columns = wanted(procedure)
    if not columns:
        raise Problem(422, "out_of_range", f"{procedure.title} reads no table.", "procedure")
    instrument = None
    if asked.instrument_id is not None:
        instrument = get_object_or_404(Instrument, pk=asked.instrument_id)
    seen = see(read_upload(file))
    kept = remembered(instrument, procedure)
    told = asked.columns or kept or likely(seen, columns, guess(seen, columns))
    series, notes, wrong = _tried(seen, columns, told)
    if asked.columns is None and kept is not None and wrong is not None:
        # It is another table than the last one: what its names suggest is nearer.
        kept, told = None, likely(seen, columns, guess(seen, columns))
        series, notes, wrong = _tried(seen, columns, told)
    first = [[c[:CELL] for c in seen.cells(line)] for _, line in zip(range(FIRST_ROWS), _lines(seen), strict=False)]
    return TableSeen(
        names=seen.names,
        first=first,
        rows=seen.rows,
        wanted=columns,
        columns=told,
        remembered=asked.columns is None and kept is not None,
        as_is=reads_as_is(seen, columns),
        series=series,
        notes=notes,
        wrong=wrong,
    )


def _lines(seen: Seen) -> list[str]:
    return [line for _, (_, line) in zip(range(FIRST_ROWS), seen.lines(), strict=False)]


def _tried(
    seen: Seen, columns: list[TableColumn], told: TableMap
) -> tuple[list[TableSeries], list[TableNote], TableWrong | None]:
    try:
        table = mapped(seen, columns, told)
    except BadInput as e:
        return [], _scale_of_counts(seen, columns, told), TableWrong(code=e.code, message=e.message, field=e.field)
    counted = any(c.unit == "counts" for c in told.columns)
    return _series(table, columns), sense(table, columns, counted), None


def _scale_of_counts(seen: Seen, columns: list[TableColumn], told: TableMap) -> list[TableNote]:
    """Where one count's size is not told: what gravity says of it."""
    if not any(c.unit == "counts" and c.scale is None for c in told.columns):
        return []
    ones = [c.model_copy(update={"scale": c.scale or 1.0}) for c in told.columns]
    try:
        notes = sense(mapped(seen, columns, told.model_copy(update={"columns": ones})), columns, True)
    except BadInput:
        return []
    words = "If it lay still in between, gravity tells what one count is."
    return [n.model_copy(update={"message": words, "grave": False}) for n in notes if n.scale is not None]


def _series(table: Mapped, columns: list[TableColumn]) -> list[TableSeries]:
    out = []
    for want in columns:
        values = table.figures.get(want.name)
        if values is None:
            continue
        stretches = np.array_split(values, min(POINTS, len(values)))
        out.append(
            TableSeries(
                name=want.name,
                title=want.title,
                unit=want.unit,
                low=[float(s.min()) for s in stretches],
                high=[float(s.max()) for s in stretches],
            )
        )
    return out
