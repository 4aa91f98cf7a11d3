"""Which column of an instrument's table is which of a procedure's, in what unit; and the table that it then makes."""

from __future__ import annotations

import io
import re
import types
import typing
from dataclasses import dataclass
from datetime import datetime
from typing import TYPE_CHECKING, Annotated

from pydantic import BaseModel, ConfigDict, Field

from ..asking import asked_of, bounds_of
from ..errors import BadInput
from ..procedures.base import Procedure
from ..quantities import MOST_TOLD, UNITS
from .seen import CLOCK, Seen, see

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

#: Units of tables beside those of quantities: dimension, and factor to the dimension's base.
_MORE = {"us": ("time", 1e-6), "ns": ("time", 1e-9), "mg": ("acceleration", 9.80665)}
_KNOWN = UNITS | _MORE
#: What a column may be in, by dimension, the likeliest first; ``counts`` are told with what one of them is.
CHOICES = {
    "time": ("s", "ms", "us", "ns", "clock"),
    "acceleration": ("m/s2", "g", "mg", "mm/s2", "counts"),
    "length": ("mm", "um", "in", "m", "counts"),
    "force": ("N", "gf", "kgf", "lbf", "counts"),
}
#: What names of columns end in, where their unit is not told otherwise.
_ENDS = {"_mm": "mm", "_n": "N", "_s": "s"}
MOST_MAPPED = 12


class TableColumn(BaseModel):
    """A column that a procedure reads. ``unit``: empty for words; ``words``: which it may hold; ``units``: what a table may have it in."""

    model_config = ConfigDict(extra="forbid")

    name: str
    title: str
    unit: str
    units: list[str]
    words: list[str]
    optional: bool
    low: float | None
    high: float | None


class MappedColumn(BaseModel):
    """One wanted column: which of the table's it is (by name, else by number from 1), in what unit. ``scale``: what one count is."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    name: Annotated[str, Field(max_length=40)]
    column: Annotated[str, Field(max_length=80)] = ""
    number: Annotated[int, Field(ge=1, le=60)]
    unit: Annotated[str, Field(max_length=12)] = ""
    scale: Annotated[float, Field(gt=0, le=1e9)] | None = None


class TableMap(BaseModel):
    """How an instrument's table is read. ``rate_hz``: rows a second, where it has no column of time."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    columns: Annotated[list[MappedColumn], Field(max_length=MOST_MAPPED)]
    rate_hz: Annotated[float, Field(ge=0.01, le=1e7)] | None = None


@dataclass(frozen=True)
class Mapped:
    """A table as the procedure wants it: figures by name (each (n,), in the procedure's unit), words by name."""

    figures: dict[str, NDArray[np.float64]]
    words: dict[str, list[str]]
    order: list[str]

    def csv(self) -> bytes:
        """As the table that the procedure reads, to nine digits."""
        columns = [
            [f"{v:.9g}" for v in self.figures[n].tolist()]
            if n in self.figures
            else [w.replace(",", " ").replace('"', "'") for w in self.words[n]]
            for n in self.order
        ]
        out = io.StringIO()
        out.write(",".join(self.order) + "\n")
        out.writelines(",".join(row) + "\n" for row in zip(*columns, strict=True))
        return out.getvalue().encode()


def wanted(procedure: Procedure) -> list[TableColumn]:
    """The columns that a procedure's table has; none where it reads no table."""
    row = procedure.table or procedure.row
    if row is None:
        return []
    titles = asked_of(row)
    out = []
    for name, info in row.model_fields.items():
        how = titles.get(name)
        words, is_figure = _kind(info.annotation)
        unit = (how.unit if how is not None else "") or next((u for e, u in _ENDS.items() if name.endswith(e)), "")
        low, high, _ = bounds_of(info)
        out.append(
            TableColumn(
                name=name,
                title=(how.title if how is not None else "") or name.rpartition("_")[0].replace("_", " ").capitalize() or name.capitalize(),
                unit=unit if is_figure else "",
                units=list(CHOICES.get(_KNOWN[unit][0], (unit,))) if is_figure and unit in _KNOWN else [],
                words=words,
                optional=not info.is_required(),
                low=low,
                high=high,
            )
        )  # fmt: skip
    return out


def _kind(annotation: object) -> tuple[list[str], bool]:
    """The words that a column may hold, and whether it holds figures."""
    if typing.get_origin(annotation) is typing.Literal:
        return [str(a) for a in typing.get_args(annotation)], False
    if typing.get_origin(annotation) in (typing.Union, types.UnionType, typing.Annotated):
        kinds = [_kind(a) for a in typing.get_args(annotation) if a is not type(None)]
        return next((k for k in kinds if k[0] or k[1]), ([], False))
    return [], annotation is float


#: What columns are called, beside the procedure's own name for them.
_CALLED = {
    "time_s": ("t", "time", "timestamp", "timestamps", "clock", "seconds", "millis", "micros"),
    "ax": ("x", "acc x", "accel x", "acceleration x", "a x", "accelx", "accx", "x axis", "xaxis"),
    "ay": ("y", "acc y", "accel y", "acceleration y", "a y", "accely", "accy", "y axis", "yaxis"),
    "az": ("z", "acc z", "accel z", "acceleration z", "a z", "accelz", "accz", "z axis", "zaxis"),
}


def guess(seen: Seen, columns: list[TableColumn]) -> TableMap:
    """Which column is most likely which: by name, and what is left in the order in which it stands."""
    out: dict[str, int] = {}
    plain = [_plain(n) for n in seen.names]
    for want in columns:
        called = {_plain(want.name), _plain(want.title), *_CALLED.get(want.name, ())}
        called |= {_plain(want.name.rpartition("_")[0])} if "_" in want.name else set()
        hit = next((i for i, n in enumerate(plain) if n in called and i not in out.values()), None)
        if hit is not None:
            out[want.name] = hit
    # As many columns left as are wanted: they stand as a rule in the same order.
    left = [i for i in range(len(seen.names)) if i not in out.values()]
    missing = [c.name for c in columns if c.name not in out and not c.optional]
    if len(left) == len(missing) or (not out and seen.header == 0 and len(left) > len(missing)):
        out |= dict(zip(missing, left, strict=False))
    mapped = [
        MappedColumn(
            name=c.name, column=seen.names[out[c.name]] if seen.header else "", number=out[c.name] + 1,
            unit=_unit(seen, out[c.name], c),
        )
        for c in columns
        if c.name in out
    ]  # fmt: skip
    return TableMap(columns=mapped)


def _plain(name: str) -> str:
    """A name without its unit, in small letters, parted by blanks."""
    name = re.sub(r"[\[(].*$", "", name).lower()
    words = re.sub(r"[^a-z0-9]+", " ", name).split()
    if len(words) > 1 and words[-1] in ("s", "ms", "us", "mm", "um", "n", "g", "mg", "raw"):
        words = words[:-1]
    return " ".join(words)


def _unit(seen: Seen, column: int, want: TableColumn) -> str:
    if seen.units[column] in want.units:
        return seen.units[column]
    first = next((cells[column] for _, line in seen.lines() if len(cells := seen.cells(line)) > column), "")
    if "clock" in want.units and CLOCK.match(first):
        return "clock"
    return want.units[0] if want.units else ""


def mapped(seen: Seen, columns: list[TableColumn], told: TableMap) -> Mapped:
    r"""The procedure's table, out of an instrument's.

    Parameters
    ----------
    seen : Seen
        The instrument's table.
    columns : list of TableColumn
        What the procedure reads.
    told : TableMap
        Which column is which, and in what unit.

    Returns
    -------
    Mapped
        Figures in the procedure's units, words as they stand.

    Raises
    ------
    BadInput
        ``missing_column`` where a column that is needed is not told, or not there; ``unknown_unit``; ``missing_field`` for counts
        without their scale; ``bad_row`` and ``not_finite`` with the row; ``too_few_rows`` under two.

    Examples
    --------
    >>> seen = see(b"a b\n0 1\n1 2\n2 3\n")
    >>> length = TableColumn(name="x_mm", title="X", unit="mm", units=["mm", "um"], words=[], optional=False, low=None, high=None)
    >>> mapped(seen, [length], TableMap(columns=[MappedColumn(name="x_mm", column="b", number=2, unit="um")])).csv()
    b'x_mm\n0.001\n0.002\n0.003\n'
    """
    by_name = {c.name: c for c in told.columns}
    where: dict[str, int] = {}
    for want in columns:
        if want.name in by_name:
            where[want.name] = _where(seen, by_name[want.name], want)
        elif not (want.optional or (want.unit == "s" and told.rate_hz is not None)):
            raise BadInput("missing_column", f"Tell which column is “{want.title}”.", want.name)
    if seen.rows < 2:
        raise BadInput("too_few_rows", "There is only one line of figures.", "data")
    quick = _quickly(seen)
    table = _table(seen, sorted(set(where.values()))) if quick is None else {}
    figures: dict[str, NDArray[np.float64]] = {}
    words: dict[str, list[str]] = {}
    for want in columns:
        if want.name in where:
            at, how = where[want.name], by_name[want.name]
            if not want.unit and want.words:
                words[want.name] = table[at] if quick is None else [f"{v:g}" for v in quick[:, at]]
            elif quick is not None and how.unit != "clock":
                figures[want.name] = _scaled(quick[:, at], want, how, seen)
            else:
                figures[want.name] = _in_unit(table[at] if quick is None else [], want, how, seen)
        elif want.unit == "s" and told.rate_hz is not None:
            figures[want.name] = _counted(seen.rows, told.rate_hz)
    return Mapped(figures, words, [c.name for c in columns if c.name in figures or c.name in words])


def as_read(procedure: Procedure, data: bytes, told: TableMap) -> bytes:
    """An instrument's table as the CSV that a procedure reads."""
    return mapped(see(data), wanted(procedure), told).csv()


def reads_as_is(seen: Seen, columns: list[TableColumn]) -> bool:
    """Whether the procedure's own reader takes the table: its first line names all columns that are needed."""
    first = next((line for line in seen.text.split("\n") if line.strip() and not line.lstrip().startswith("#")), "")
    named = {c.strip().lower() for c in seen.cells(first)} if seen.separator != " " else set()
    return {c.name for c in columns if not c.optional} <= named


def _quickly(seen: Seen) -> NDArray[np.float64] | None:
    """All of a table that holds nothing but figures, (rows, columns), by numpy's own reader; None where it does not take it."""
    import numpy as np

    body = seen.text.replace(",", ".") if seen.comma else seen.text
    delimiter = None if seen.separator == " " else seen.separator
    try:
        rows = np.loadtxt(io.StringIO(body), delimiter=delimiter, skiprows=seen.first - 1, ndmin=2, comments="#")
    except ValueError:
        return None
    return rows if rows.shape == (seen.rows, len(seen.names)) else None


def _where(seen: Seen, told: MappedColumn, want: TableColumn) -> int:
    """The index of a told column: by its name where the table has names, else by its number."""
    if told.column and seen.header:
        for i, name in enumerate(seen.names):
            if name.lower() == told.column.lower():
                return i
        raise BadInput(
            "missing_column", f"This table has no column “{told.column}”, which is to be “{want.title}”.", want.name
        )
    if told.number > len(seen.names):
        raise BadInput("missing_column", f"This table has only {len(seen.names)} columns.", want.name)
    return told.number - 1


def _table(seen: Seen, wanted_columns: list[int]) -> dict[int, list[str]]:
    """The cells of some columns, row by row; a row of another length is refused."""
    out: dict[int, list[str]] = {i: [] for i in wanted_columns}
    for number, line in seen.lines():
        cells = seen.cells(line)
        if len(cells) != len(seen.names):
            raise BadInput(
                "bad_row",
                f"Row {number} has {len(cells)} cells where the others have {len(seen.names)}.",
                "data",
                number,
            )
        for i in wanted_columns:
            out[i].append(cells[i])
    return out


def _counted(rows: int, rate_hz: float) -> NDArray[np.float64]:
    import numpy as np

    return np.arange(rows) / rate_hz


def _in_unit(raw: list[str], want: TableColumn, told: MappedColumn, seen: Seen) -> NDArray[np.float64]:
    import numpy as np

    if told.unit == "clock" and "clock" in want.units:
        return _from_clock(raw, want, seen)
    text = [c.replace(",", ".") for c in raw] if seen.comma else raw
    try:
        values = np.array(text, dtype=float)
    except ValueError:
        row, cell = next((n, c) for (n, _), c in zip(seen.lines(), raw, strict=True) if not seen.is_figure(c))
        raise BadInput(
            "bad_row", f"Row {row}, column “{want.title}”: “{cell[:40]}” is not a figure.", want.name, row
        ) from None
    return _scaled(values, want, told, seen)


def _scaled(values: NDArray[np.float64], want: TableColumn, told: MappedColumn, seen: Seen) -> NDArray[np.float64]:
    import numpy as np

    out = values * _factor(want, told)
    bad = ~(np.abs(out) <= MOST_TOLD)
    if bad.any():
        row = next(n for k, (n, _) in enumerate(seen.lines()) if bad[k])
        raise BadInput("not_finite", f"Row {row}, column “{want.title}”: this is no finite figure.", want.name, row)
    return out


def _factor(want: TableColumn, told: MappedColumn) -> float:
    """From the table's unit to the procedure's."""
    if not want.units or told.unit == want.unit:
        return 1.0
    if told.unit not in want.units:
        raise BadInput("unknown_unit", f"“{want.title}” may be in {', '.join(want.units)}.", want.name)
    if told.unit == "counts":
        if told.scale is None:
            raise BadInput("missing_field", f"Tell what one count is, in {want.unit}.", f"{want.name}.scale")
        return told.scale
    return _KNOWN[told.unit][1] / _KNOWN[want.unit][1]


def _from_clock(raw: list[str], want: TableColumn, seen: Seen) -> NDArray[np.float64]:
    """Seconds since the first row; a time of day that passes midnight goes on."""
    import numpy as np

    out = np.empty(len(raw))
    days, last = 0.0, -1.0
    start: datetime | None = None
    for k, ((number, _), cell) in enumerate(zip(seen.lines(), raw, strict=True)):
        if not CLOCK.match(cell):
            raise BadInput(
                "bad_row", f"Row {number}, column “{want.title}”: “{cell[:40]}” is no time of day.", want.name, number
            )
        text = cell.replace(",", ".")
        try:
            dated = "-" in text[:6]
            moment = datetime.fromisoformat(
                text if dated else f"2000-01-01T{text.zfill(8) if text[1] != ':' else '0' + text}"
            )
        except ValueError:
            raise BadInput(
                "bad_row", f"Row {number}, column “{want.title}”: “{cell[:40]}” is no time of day.", want.name, number
            ) from None
        start = start or moment
        try:
            seconds = (moment - start).total_seconds()
        except TypeError:
            raise BadInput(
                "bad_row", f"Row {number}: its time has a zone where the first has none.", want.name, number
            ) from None
        if not dated and seconds + days < last - 43_200:
            days += 86_400.0
        last = out[k] = seconds + days
    return out
