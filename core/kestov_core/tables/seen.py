"""What stands in a table that nobody has described: its separator, its header, where its figures begin, the units it names.

Not here: what the columns mean (`mapping`).
"""

from __future__ import annotations

import csv
import itertools
import re
from collections.abc import Iterator
from dataclasses import dataclass

from ..errors import BadInput
from ..readers import MAX_CSV_BYTES

#: So many lines are looked at to see where the figures begin, and so many of them must be alike.
_LOOKED_AT, _ALIKE = 400, 3
MOST_COLUMNS = 60
_SEPARATORS = (";", "\t", ",", " ")
_MARKS = "#%;!*/\"' \t"
_FIGURE = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$")
_FIGURE_COMMA = re.compile(r"[+-]?(\d+,?\d*|,\d+)([eE][+-]?\d+)?$")
#: A time of day, with or without its date.
CLOCK = re.compile(r"(\d{4}-\d\d-\d\d[T ])?\d{1,2}:\d\d:\d\d([.,]\d+)?(Z|[+-]\d\d:?\d\d)?$")

#: Units as headers write them.
SPELT = {
    "s": "s", "sec": "s", "secs": "s", "second": "s", "seconds": "s",
    "ms": "ms", "msec": "ms", "millis": "ms", "milliseconds": "ms",
    "us": "us", "µs": "us", "μs": "us", "usec": "us", "micros": "us", "microseconds": "us", "ns": "ns",
    "g": "g", "mg": "mg", "m/s2": "m/s2", "m/s^2": "m/s2", "m/s²": "m/s2", "m/s/s": "m/s2", "ms-2": "m/s2",
    "mm/s2": "mm/s2", "mm/s^2": "mm/s2", "mm/s²": "mm/s2",
    "counts": "counts", "count": "counts", "lsb": "counts", "raw": "counts", "digits": "counts",
    "mm": "mm", "um": "um", "µm": "um", "μm": "um", "in": "in", "inch": "in", "inches": "in",
    "n": "N", "gf": "gf", "kgf": "kgf", "lbf": "lbf",
}  # fmt: skip


@dataclass(frozen=True)
class Seen:
    """A table as it was seen.

    ``text``: its lines, each ended by a line feed. ``separator``: a blank stands for any run of blanks. ``comma``: the
    decimal mark. ``names`` and ``units``: by column; a name is ``Column 1`` where there is no header, a unit empty where none
    is told. ``header``: its line (0: none). ``first``: the first line of figures. ``rows``: how many lines of figures there are.
    """

    text: str
    separator: str
    comma: bool
    names: list[str]
    units: list[str]
    header: int
    first: int
    rows: int

    def cells(self, line: str) -> list[str]:
        """One line's cells."""
        return split(line, self.separator)

    def lines(self) -> Iterator[tuple[int, str]]:
        """The lines of figures, each with its number in the file."""
        for number, line in enumerate(self.text.split("\n"), 1):
            if number >= self.first and line.strip() and line.lstrip()[0] != "#":
                yield number, line

    def is_figure(self, cell: str) -> bool:
        """Whether a cell is a figure, in this table's way of writing them."""
        return bool((_FIGURE_COMMA if self.comma else _FIGURE).match(cell) or _FIGURE.match(cell))


def see(data: bytes) -> Seen:
    r"""What stands in a table.

    Parameters
    ----------
    data : bytes
        A text table: UTF-8, UTF-16 with its mark, or Latin-1; anything may stand before the figures.

    Returns
    -------
    Seen
        Separator, decimal mark, header, and where the figures begin.

    Raises
    ------
    BadInput
        ``empty_file``, ``too_large``, ``not_text``, ``no_figures`` where no lines of figures are found.

    Examples
    --------
    >>> found = see(b"Made by a box\n# t [ms]; x [g]\n0;0,01\n10;0,02\n20;0,03\n")
    >>> found.names, found.units, found.separator, found.comma, found.first
    (['t', 'x'], ['ms', 'g'], ';', True, 3)
    """
    if not data:
        raise BadInput("empty_file", "The file is empty.", "data")
    if len(data) > MAX_CSV_BYTES:
        raise BadInput("too_large", "The table is over 50 MB.", "data")
    text = text_of(data).replace("\r\n", "\n").replace("\r", "\n")
    head = list(itertools.islice(enumerate(_lines(text), 1), _LOOKED_AT))
    best = max((_begins(head, s) for s in _SEPARATORS), key=lambda b: b.figures)
    if best.figures < 1:
        raise BadInput("no_figures", "No lines of figures are found in this file.", "data")
    names, units, header = _header(head, best)
    rows = sum(
        1 for i, line in enumerate(_lines(text), 1) if i >= best.row and line.strip() and line.lstrip()[0] != "#"
    )
    return Seen(text, best.separator, best.comma, names, units, header, best.row, rows)


def split(line: str, separator: str) -> list[str]:
    """One line's cells, trimmed; a blank as separator stands for any run of blanks."""
    if separator == " ":
        return line.split()
    try:
        cells = next(csv.reader([line], delimiter=separator, skipinitialspace=True), [])
    except csv.Error:
        cells = line.split(separator)
    cells = [c.strip() for c in cells]
    # A separator at the end of each line makes no column.
    return cells[:-1] if len(cells) > 1 and not cells[-1] else cells


def _lines(text: str) -> Iterator[str]:
    at = 0
    while at < len(text):
        end = text.find("\n", at)
        end = len(text) if end < 0 else end
        yield text[at:end]
        at = end + 1


def text_of(data: bytes) -> str:
    """A table's text: UTF-8, UTF-16 with its mark, else Latin-1; ``not_text`` where it is none."""
    coding = "utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig"
    try:
        text = data.decode(coding)
    except UnicodeDecodeError:
        # Older instruments write µ and ² in one byte each.
        text = data.decode("latin-1")
    odd = sum(1 for c in text[:4000] if ord(c) < 32 and c not in "\n\r\t\f")
    if odd > 0:
        raise BadInput("not_text", "This is not a text table (CSV).", "data")
    return text


@dataclass(frozen=True)
class _Begin:
    """Where figures begin with one separator, and how many stand in the first such line."""

    separator: str
    row: int
    cells: int
    figures: float
    comma: bool


def _begins(head: list[tuple[int, str]], separator: str) -> _Begin:
    rows = [(i, line) for i, line in head if line.strip() and line.lstrip()[0] not in "#%"]
    best = _Begin(separator, 0, 0, 0.0, False)
    for k in range(len(rows)):
        block = [split(line, separator) for _, line in rows[k : k + _ALIKE]]
        n = len(block[0])
        if n > MOST_COLUMNS or any(len(cells) != n for cells in block):
            continue
        for comma in (False, True) if separator != "," else (False,):
            worth = min(_worth(cells, comma) for cells in block)
            if worth > best.figures:
                best = _Begin(separator, rows[k][0], n, worth, comma)
        if best.figures > 0:
            break
    return best


def _worth(cells: list[str], comma: bool) -> float:
    """Figures count for a table, words against it; a time of day is as good as a figure."""
    mark = _FIGURE_COMMA if comma else _FIGURE
    figures = sum(1 for c in cells if mark.match(c) or CLOCK.match(c))
    words = sum(1 for c in cells if c and not mark.match(c) and not CLOCK.match(c))
    # A comma that stands in a figure says more than a figure without any.
    return 0.0 if not figures else figures - 0.9 * words + (0.1 if comma and any("," in c for c in cells) else 0.0)


def _header(head: list[tuple[int, str]], begin: _Begin) -> tuple[list[str], list[str], int]:
    """Names, units and the header's line; a line of units alone may stand between it and the figures."""
    units: list[str] | None = None
    for number, line in reversed([x for x in head if x[0] < begin.row and x[1].strip()]):
        cells = _as_many(line.strip().lstrip(_MARKS), begin)
        if cells is None:
            break
        spelt = [SPELT.get(c.strip("[]() ").lower(), "") for c in cells]
        if units is None and all(spelt) and not all(c.lower() in ("s", "n", "g") for c in cells):
            units = spelt
            continue
        told = [_named(c) for c in cells]
        named = [name or f"Column {i + 1}" for i, (name, _) in enumerate(told)]
        return _apart(named), units or [unit for _, unit in told], number
    return [f"Column {i + 1}" for i in range(begin.cells)], units or [""] * begin.cells, 0


def _as_many(line: str, begin: _Begin) -> list[str] | None:
    """A line's cells where they are as many as the figures', by their separator or another; None where they are not."""
    for separator in (begin.separator, *_SEPARATORS):
        cells = split(line, separator)
        if len(cells) == begin.cells and not all(_FIGURE.match(c) for c in cells):
            return cells
    return None


_BRACKETS = re.compile(r"^(.*?)[\s_]*[\[(]([^\])]*)[\])]\s*$")


def _named(cell: str) -> tuple[str, str]:
    """A header's cell as name and unit: ``t [ms]``, ``acc_x (g)``, ``time_ms``, ``X mm``."""
    cell = cell.strip().strip("\"'")[:60]
    found = _BRACKETS.match(cell)
    if found and found.group(2).strip().lower() in SPELT:
        return found.group(1).strip() or cell, SPELT[found.group(2).strip().lower()]
    name, _, last = re.sub(r"[\s_]+", " ", cell).rpartition(" ")
    if name and last.lower() in SPELT and last.lower() not in ("s", "n"):
        return cell, SPELT[last.lower()]
    if name and last.lower() == "s" and name.lower() in ("t", "time", "timestamp"):
        return cell, "s"
    return cell, ""


def _apart(names: list[str]) -> list[str]:
    """Names of which no two are alike."""
    out: list[str] = []
    for name in names:
        n, given = 1, name
        while given.lower() in (o.lower() for o in out):
            n += 1
            given = f"{name} ({n})"
        out.append(given)
    return out
