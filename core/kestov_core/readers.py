"""Strict readers for the files people bring: WAV recordings and CSV tables.

A file is taken whole or refused whole, with what is wrong, where, and how to mend it.
"""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from .errors import BadInput
from .quantities import MOST_TOLD

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

MAX_WAV_BYTES = 64 * 1024 * 1024
MAX_CSV_BYTES = 50 * 1024 * 1024


@dataclass(frozen=True)
class Sound:
    """A recording. ``samples``: float32, shape (n, channels), full scale ±1; ``rate_hz`` samples a second."""

    samples: NDArray[np.float32]
    rate_hz: int

    @property
    def seconds(self) -> float:
        """Length in seconds."""
        return float(self.samples.shape[0] / self.rate_hz)


def read_wav(data: bytes) -> Sound:
    """Read a WAV file.

    Parameters
    ----------
    data : bytes
        8 to 192 kHz, one channel or more, PCM of 16, 24 or 32 bit or float.

    Returns
    -------
    Sound
        ``samples`` (n, channels) of full scale 1, and the rate (Hz).

    Raises
    ------
    BadInput
        ``empty_file``, ``too_large``, ``not_a_wav``, ``no_samples``, ``out_of_range`` (rate), ``not_finite``.

    Examples
    --------
    >>> read_wav(b"time_s,ax")
    Traceback (most recent call last):
    ...
    kestov_core.errors.BadInput: This is not a WAV file. It looks like text. Save the recording as WAV (PCM or float).
    """
    if not data:
        raise BadInput("empty_file", "The file is empty. Record again and save it as WAV.", "data")
    if len(data) > MAX_WAV_BYTES:
        raise BadInput("too_large", "The recording is over 64 MB. Ten seconds are plenty; cut it.", "data")
    if data[:4] not in (b"RIFF", b"RF64") or data[8:12] != b"WAVE":
        kind = "It looks like text. " if _looks_like_text(data[:512]) else ""
        raise BadInput("not_a_wav", f"This is not a WAV file. {kind}Save the recording as WAV (PCM or float).", "data")
    import numpy as np
    import soundfile

    try:
        with soundfile.SoundFile(io.BytesIO(data)) as f:
            if f.subtype not in ("PCM_16", "PCM_24", "PCM_32", "FLOAT", "DOUBLE"):
                raise BadInput(
                    "not_a_wav",
                    f"This WAV holds {f.subtype} sound; PCM of 16, 24 or 32 bit, or float, is needed.",
                    "data",
                )
            rate = int(f.samplerate)
            samples = f.read(dtype="float32", always_2d=True)
    except soundfile.SoundFileError as e:
        raise BadInput("not_a_wav", "The WAV file is damaged and cannot be read. Record again.", "data") from e
    if samples.shape[0] == 0:
        raise BadInput("no_samples", "The WAV file has a header and no sound in it. Record again.", "data")
    if not 8000 <= rate <= 192000:
        raise BadInput("out_of_range", f"The sample rate is {rate} Hz; 8000 to 192000 Hz is accepted.", "data")
    if not np.isfinite(samples.sum(dtype=np.float64)):
        raise BadInput("not_finite", "The recording holds samples that are not numbers.", "data")
    return Sound(samples=samples, rate_hz=rate)


def _looks_like_text(head: bytes) -> bool:
    try:
        text = head.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return all(c.isprintable() or c in "\r\n\t" for c in text)


def read_csv(
    data: bytes,
    columns: Sequence[str],
    optional: Sequence[str] = (),
    signs: Sequence[str] = (),
    ways: Sequence[str] = (),
) -> dict[str, list[float]]:
    r"""Read a table of figures with a header line.

    Comma, semicolon or tab; decimal point or (not with comma as separator) decimal comma; a byte-order mark, blank lines and
    lines that begin with ``#`` are passed over; columns in any order.

    Parameters
    ----------
    data : bytes
        The file.
    columns, optional : sequence of str
        Names that must be there, and that may be.
    signs : sequence of str
        Of these, the columns that hold + or -; they come back as 1 or -1.
    ways : sequence of str
        Of these, the columns that hold up or down; they come back as 1 or -1.

    Returns
    -------
    dict of list of float
        By name; optional ones only where the header has them.

    Raises
    ------
    BadInput
        ``empty_file``, ``too_large``, ``not_text``, ``missing_column``, ``bad_row``, ``not_finite``, with the row.

    Examples
    --------
    >>> read_csv(b"at_mm;way\n1,5;+\n2;-\n", ("at_mm", "way"), signs=("way",))
    {'at_mm': [1.5, 2.0], 'way': [1.0, -1.0]}
    """
    head = _head(data, columns, optional)
    wanted = [head.names[i] for i in head.wanted]
    table: dict[str, list[float]] = {n: [] for n in wanted}
    for number, cells in _rows(head):
        for name, i in zip(wanted, head.wanted, strict=True):
            read = _sign if name in signs else _way if name in ways else _figure
            table[name].append(read(cells[i], name, number, head.separator != ","))
    return table


def read_named(
    data: bytes,
    columns: Sequence[str],
    words: Mapping[str, Sequence[str]],
    optional: Mapping[str, Sequence[str]] | None = None,
    spare: Sequence[str] = (),
) -> tuple[dict[str, list[float]], dict[str, list[str]]]:
    r"""As `read_csv`, for tables that have words beside their figures.

    Parameters
    ----------
    data : bytes
        The file.
    columns : sequence of str
        Names of the columns of figures.
    words : mapping of str to sequence of str
        The columns of words, each with the words that it may hold (small letters); none: any of up to 60 characters.
    optional : mapping of str to sequence of str, optional
        Columns of words that may be left out.
    spare : sequence of str
        Columns of figures that may be left out, and whose cells may be empty: these are not a number.

    Returns
    -------
    (dict of list of float, dict of list of str)
        Figures and words by name, row by row.

    Raises
    ------
    BadInput
        As `read_csv`; ``bad_row`` for a word that cannot be there.

    Examples
    --------
    >>> read_named(b"axis,mm\nx,1.5\nY,2\n", ("mm",), {"axis": ("x", "y")})
    ({'mm': [1.5, 2.0]}, {'axis': ['x', 'y']})
    """
    head = _head(data, (*columns, *words), ())
    words = {**words, **{n: may_be for n, may_be in (optional or {}).items() if n in head.names}}
    there = [n for n in spare if n in head.names]
    at = {n: head.names.index(n) for n in (*columns, *words, *there)}
    figures: dict[str, list[float]] = {n: [] for n in (*columns, *there)}
    told: dict[str, list[str]] = {n: [] for n in words}
    for number, cells in _rows(head):
        for name in columns:
            figures[name].append(_figure(cells[at[name]], name, number, head.separator != ","))
        for name in there:
            cell = cells[at[name]]
            figures[name].append(_figure(cell, name, number, head.separator != ",") if cell.strip() else math.nan)
        for name, may_be in words.items():
            told[name].append(_word(cells[at[name]], name, number, may_be))
    return figures, told


def _rows(head: _Head) -> Iterator[tuple[int, list[str]]]:
    """The rows under a header, each with its number in the file."""
    for number, line in enumerate(head.text.split("\n"), 1):
        if number <= head.row or not line.strip() or line.lstrip().startswith("#"):
            continue
        cells = _cells(line, head.separator, number)
        if len(cells) != len(head.names):
            raise BadInput(
                "bad_row",
                f"Row {number} has {len(cells)} cells where the header has {len(head.names)}.",
                "data",
                number,
            )
        yield number, cells


def read_columns(data: bytes, columns: Sequence[str]) -> dict[str, NDArray[np.float64]]:
    r"""As `read_csv`, for tables of a million rows: columns as arrays, read by numpy's own reader in one go.

    What that reader does not take is read again slowly, to say in which row and column it fails.

    Parameters
    ----------
    data : bytes
        CSV with a header line; comma, semicolon or tab; lines that begin with # are comments.
    columns : sequence of str
        The names that must be there; others are left aside.

    Returns
    -------
    dict of (n,) ndarray
        By name.

    Raises
    ------
    BadInput
        ``empty_file``, ``not_text``, ``missing_column``, ``bad_row``, ``not_finite``, ``too_large``, with the row.

    Examples
    --------
    >>> read_columns(b"time_s,ax\n0,1.5\n0.1,2.5\n", ("time_s", "ax"))["ax"].tolist()
    [1.5, 2.5]
    """
    import numpy as np

    head = _head(data, columns, ())
    body = head.text
    if head.separator != "," and "," in body:
        body = body.replace(",", ".")
    try:
        # Without usecols: rows of unequal length are then refused.
        rows = np.loadtxt(io.StringIO(body), delimiter=head.separator, skiprows=head.row, ndmin=2, comments="#")
        # What is no finite figure fails this, too.
        if rows.shape[0] and rows.shape[1] == len(head.names) and (np.abs(rows[:, head.wanted]) <= MOST_TOLD).all():
            return {head.names[i]: np.ascontiguousarray(rows[:, i]) for i in head.wanted}
    except ValueError:
        pass
    return {name: np.array(cells, dtype=float) for name, cells in read_csv(data, columns).items()}


@dataclass(frozen=True)
class _Head:
    """A table's text, its separator, its column names, which of them are wanted, and the header's row."""

    text: str
    separator: str
    names: list[str]
    wanted: list[int]
    row: int


def _head(data: bytes, columns: Sequence[str], optional: Sequence[str]) -> _Head:
    if not data:
        raise BadInput("empty_file", "The file is empty.", "data")
    if len(data) > MAX_CSV_BYTES:
        raise BadInput("too_large", "The table is over 50 MB.", "data")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as e:
        raise BadInput("not_text", "This is not a text table (CSV).", "data") from e
    if "\0" in text:
        raise BadInput("not_text", "This is not a text table (CSV).", "data")
    # Lines end as they do on any machine.
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    lines = enumerate(io.StringIO(text), 1)
    row, line = next(((i, s) for i, s in lines if s.strip() and not s.lstrip().startswith("#")), (0, ""))
    if not row:
        raise BadInput("empty_file", "There is no line of figures in the file.", "data")
    separator = max(";\t,", key=line.count)
    names = [h.strip().lower() for h in _cells(line.rstrip("\n"), separator, row)]
    for name in columns:
        if name not in names:
            raise BadInput(
                "missing_column",
                f"The column “{name}” is missing. The header must name: {', '.join(columns)}.",
                name,
                row,
            )
    return _Head(text, separator, names, [names.index(n) for n in (*columns, *optional) if n in names], row)


def _cells(line: str, separator: str, row: int) -> list[str]:
    try:
        return next(csv.reader([line], delimiter=separator), [])
    except csv.Error as e:
        raise BadInput(
            "bad_row",
            f"Row {row} cannot be told into cells: a quote that does not end, or a cell without end.",
            "data",
            row,
        ) from e


def _sign(cell: str, column: str, row: int, comma: bool) -> float:
    text = cell.strip()
    if text in ("+", "+1", "1"):
        return 1.0
    if text in ("-", "-1", "\u2212"):
        return -1.0
    raise BadInput("bad_row", f"Row {row}, column {column}: “{text}” is neither + nor -.", column, row)


def _way(cell: str, column: str, row: int, comma: bool) -> float:
    text = cell.strip().lower()
    if text in ("up", "down"):
        return 1.0 if text == "up" else -1.0
    raise BadInput("bad_row", f"Row {row}, column {column}: “{text}” is neither up nor down.", column, row)


def _word(cell: str, column: str, row: int, may_be: Sequence[str]) -> str:
    text = cell.strip()
    if may_be and text.lower() not in may_be:
        raise BadInput(
            "bad_row",
            f"Row {row}, column {column}: “{text[:40]}” is not {', '.join(may_be[:-1])} or {may_be[-1]}.",
            column,
            row,
        )
    return text.lower() if may_be else text[:60]


def _figure(cell: str, column: str, row: int, comma: bool) -> float:
    text = cell.strip()
    try:
        value = float(text.replace(",", ".") if comma else text)
    except ValueError as e:
        raise BadInput("bad_row", f"Row {row}, column {column}: “{text}” is not a figure.", column, row) from e
    if not math.isfinite(value):
        raise BadInput("not_finite", f"Row {row}, column {column}: “{text}” is not a finite figure.", column, row)
    if abs(value) > MOST_TOLD:
        raise BadInput("out_of_range", f"Row {row}, column {column}: “{text}” is larger than any figure.", column, row)
    return value
