"""A bed's map as machines print it: a grid of numbers with or without labels, or points; read into heights by place.

Not here: what the heights say (`procedures.bed`).
"""

from __future__ import annotations

import re
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from .errors import BadInput
from .readers import read_csv

#: Lines and columns of a grid at the most; heights beyond this (mm) are none.
MOST_LINES, MOST_COLUMNS, MOST_MM = 64, 64, 20.0
_NUMBER = re.compile(r"[+\-\u2212]?(?:\d+[.,]?\d*|[.,]\d+)(?:[eE][+\-]?\d+)?")
_WORDS = re.compile(r"[A-Za-z_]{2,}")
At = Annotated[float, Field(ge=-5000, le=5000)]


class GridAsked(BaseModel):
    """A map as text, where its first and last column and line lie (mm), and whether its first line is the front of the bed."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    text: Annotated[str, Field(min_length=1, max_length=200_000)]
    first_line: Literal["front", "rear"] = "front"
    left_mm: At = 0.0
    right_mm: At = 200.0
    front_mm: At = 0.0
    rear_mm: At = 200.0


class GridHeight(BaseModel):
    """A height at a place (mm)."""

    model_config = ConfigDict(extra="forbid")

    x_mm: float
    y_mm: float
    z_mm: float


class GridRead(BaseModel):
    """What was read: the heights, how many columns and lines, and whether places and the order of lines were told by the map itself."""

    model_config = ConfigDict(extra="forbid")

    heights: list[GridHeight]
    columns: int
    lines: int
    places_told: bool
    order_told: bool


def read_grid(asked: GridAsked) -> GridRead:
    """Heights by place from a bed's map.

    Parameters
    ----------
    asked : GridAsked
        The text: points with a header that names x, y and z, or a grid: numbers parted by comma, semicolon, tab or spaces, with or
        without labels before each line and above the columns, which are places (mm) or counts.

    Returns
    -------
    GridRead

    Raises
    ------
    BadInput
        ``too_few_rows`` under two lines or columns, ``bad_row`` for lines of unlike length, ``out_of_range`` for what is no height,
        ``too_large``.

    Examples
    --------
    >>> found = read_grid(GridAsked(text=" 0 1 2\\n0 +0.1 +0.0 -0.1\\n1 +0.2 +0.1 +0.0\\n", right_mm=100, rear_mm=50))
    >>> found.columns, found.lines, found.heights[-1].x_mm, found.heights[-1].z_mm
    (3, 2, 100.0, 0.0)
    """
    points = _points(asked.text)
    if points is not None:
        return points
    rows = _figures(asked.text)
    if not rows:
        raise BadInput("too_few_rows", "There are no lines of numbers in it.", "text")
    xs, ys, z = _labels(rows)
    lines, columns = z.shape
    if lines < 2 or columns < 2:
        raise BadInput("too_few_rows", "A map has two lines and two columns at the least.", "text")
    if lines > MOST_LINES or columns > MOST_COLUMNS:
        raise BadInput(
            "too_large", f"{lines} lines of {columns} columns; {MOST_LINES} of {MOST_COLUMNS} at the most.", "text"
        )
    if np.abs(z).max() > MOST_MM:
        raise BadInput("out_of_range", f"{z.flat[np.abs(z).argmax()]:g} is no height of a bed in mm.", "text")
    x_told, y_told = _places(xs), _places(ys)
    order_told = ys is not None
    # Counts tell which line is which; places tell it themselves.
    rear_first = asked.first_line == "rear" if ys is None else ys[0] > ys[-1]
    for told, low, high, name in (
        (x_told, asked.left_mm, asked.right_mm, "right_mm"),
        (y_told, asked.front_mm, asked.rear_mm, "rear_mm"),
    ):
        if told is None and high <= low:
            raise BadInput("out_of_range", "The last column lies right of the first, the rear behind the front.", name)
    x = x_told if x_told is not None else np.linspace(asked.left_mm, asked.right_mm, columns)
    if xs is not None and x_told is None and xs[0] > xs[-1]:
        x = x[::-1]
    y = y_told if y_told is not None else np.linspace(asked.front_mm, asked.rear_mm, lines)
    if y_told is None and rear_first:
        y = y[::-1]
    heights = [
        GridHeight(x_mm=round(float(x[c]), 3), y_mm=round(float(y[r]), 3), z_mm=float(z[r, c]))
        for r in range(lines)
        for c in range(columns)
    ]
    return GridRead(
        heights=heights,
        columns=columns,
        lines=lines,
        places_told=x_told is not None and y_told is not None,
        order_told=order_told,
    )


def _points(text: str) -> GridRead | None:
    """Points by a header that names x, y and z (with or without their unit); None where there is none."""
    first = next((line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")), "")
    names = [n.strip().lower() for n in re.split(r"[,;\t]", first)]
    bare = [n.removesuffix("_mm").removesuffix(" mm") for n in names]
    if not {"x", "y", "z"} <= set(bare):
        return None
    separator = max(";\t,", key=first.count)
    header = separator.join(f"{b}_mm" if b in ("x", "y", "z") else b or f"c{i}" for i, b in enumerate(bare))
    table = read_csv(text.replace(first, header, 1).encode(), ("x_mm", "y_mm", "z_mm"))
    z = np.array(table["z_mm"])
    if len(z) and np.abs(z).max() > MOST_MM:
        raise BadInput("out_of_range", f"{z[np.abs(z).argmax()]:g} is no height of a bed in mm.", "text")
    heights = [
        GridHeight(x_mm=a, y_mm=b, z_mm=c) for a, b, c in zip(table["x_mm"], table["y_mm"], table["z_mm"], strict=True)
    ]
    return GridRead(
        heights=heights,
        columns=len(set(table["x_mm"])),
        lines=len(set(table["y_mm"])),
        places_told=True,
        order_told=True,
    )


def _figures(text: str) -> list[tuple[int, list[float]]]:
    """Lines of numbers with their number in the text; lines of words are passed over."""
    out: list[tuple[int, list[float]]] = []
    for number, line in enumerate(text.splitlines(), 1):
        if _WORDS.search(line) or line.lstrip().startswith("#"):
            continue
        # A comma is a decimal one where another sign parts the numbers.
        decimal = ";" in line or "\t" in line or not re.search(r"\d\s*,\s*[+\-\u2212]?\s*\d", line)
        cells = re.split(r"[;\t|\[\]()\s]+", line) if decimal else re.split(r"[,;\t|\[\]()\s]+", line)
        figures = [c for c in cells if c and c != ","]
        if not figures:
            continue
        if not all(_NUMBER.fullmatch(c.rstrip(",")) for c in figures):
            continue
        if len(figures) > MOST_COLUMNS + 1 or len(out) > MOST_LINES + 1:
            raise BadInput("too_large", f"More than {MOST_LINES} lines of {MOST_COLUMNS} numbers.", "text")
        out.append((number, [float(c.rstrip(",").replace(",", ".").replace("\u2212", "-")) for c in figures]))
    return out


def _labels(rows: list[tuple[int, list[float]]]) -> tuple[list[float] | None, list[float] | None, np.ndarray]:
    """Labels above the columns, before the lines, and the numbers themselves."""
    lengths = [len(r) for _, r in rows]
    xs = None
    if len(rows) > 2 and lengths[0] == lengths[1] - 1 and len(set(lengths[1:])) == 1:
        xs, body = rows[0][1], rows[1:]
        # One label fewer than numbers: each line has its own before it.
        return xs, [r[0] for _, r in body], np.array([r[1:] for _, r in body])
    if len(set(lengths)) != 1:
        wrong = next(i for i, n in enumerate(lengths) if n != max(set(lengths), key=lengths.count))
        raise BadInput(
            "bad_row",
            f"Row {rows[wrong][0]} has {lengths[wrong]} numbers where the others have {max(set(lengths), key=lengths.count)}.",
            "text",
            rows[wrong][0],
        )
    z = np.array([r for _, r in rows])
    first = z[:, 0]
    ys: list[float] | None = None
    if len(z) > 2 and z.shape[1] > 2 and _counts(first):
        ys, z = first.tolist(), z[:, 1:]
    if len(z) > 2 and _counts(z[0]):
        xs, z = z[0].tolist(), z[1:]
        ys = ys[1:] if ys is not None else None
    return xs, ys, z


def _counts(row: np.ndarray) -> bool:
    """Whether numbers are labels: whole and one apart, up or down."""
    steps = np.diff(row)
    return bool(np.all(row == np.round(row)) and len(row) > 1 and (np.all(steps == 1) or np.all(steps == -1)))


def _places(labels: list[float] | None) -> np.ndarray | None:
    """Labels as places in mm; None where they only count, or there are none."""
    if labels is None or len(labels) < 2:
        return None
    row = np.array(labels)
    steps = np.diff(row)
    if _counts(row) or not (np.all(steps > 0) or np.all(steps < 0)) or np.abs(steps).min() < 2:
        return None
    return row
