"""Whether a mapped table can be: time that goes on at a plausible rate, gravity where it should be, figures in their bounds."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from ..errors import BadInput
from .mapping import Mapped, TableColumn, TableMap, mapped
from .seen import Seen

#: Standard gravity (CGPM 1901), m/s2; a place on earth and a cheap sensor's zero lie within this share of it (typical).
GRAVITY, _NEAR = 9.80665, 0.08
#: Below this (m/s2) a sensor takes gravity off, or the table's mean was taken off (typical).
_TAKEN_OFF = 0.6
#: Readings a second of accelerometers that one buys (typical).
_RATES = (25.0, 50_000.0)
_AXES = ("ax", "ay", "az")
#: What a wrong unit makes of gravity, and what the table is then in.
_LOOKS_LIKE = (("g", 1 / GRAVITY), ("mm/s2", 1000.0), ("mg", 1000.0 / GRAVITY), ("m/s2", GRAVITY), ("m/s2", 0.001))


class TableNote(BaseModel):
    """What was looked at, in words. ``grave``: it can hardly be so. ``scale``: what one count then is, where that is told by it."""

    model_config = ConfigDict(extra="forbid")

    code: str
    message: str
    grave: bool = False
    column: Literal[""] | str = ""
    scale: float | None = None


def sense(table: Mapped, columns: list[TableColumn], counted: bool = False) -> list[TableNote]:
    """What speaks for and against a mapping.

    Parameters
    ----------
    table : Mapped
        The table as it would be read.
    columns : list of TableColumn
        What the procedure reads, with bounds.
    counted : bool
        Whether its accelerations come of counts and a scale.

    Returns
    -------
    list of TableNote
        The grave ones first.

    Examples
    --------
    >>> import numpy as np
    >>> still = Mapped({"ax": np.zeros(9), "ay": np.zeros(9), "az": np.full(9, 1.0)}, {}, ["ax", "ay", "az"])
    >>> [n.message for n in sense(still, [])]
    ['At rest it would feel 1 m/s², where gravity is 9.8: the figures look like g.']
    """
    notes = [n for want in columns if (n := _bounds(table, want)) is not None]
    if "time_s" in table.figures:
        notes += _time(table.figures["time_s"], all(a in table.figures for a in _AXES))
    if all(a in table.figures for a in _AXES):
        notes.append(_gravity([table.figures[a] for a in _AXES], counted))
    return sorted(notes, key=lambda n: not n.grave)


def likely(seen: Seen, columns: list[TableColumn], told: TableMap) -> TableMap:
    """The same mapping in the units that make sense, for columns whose unit the table does not name itself.

    Gravity tells that of acceleration, a rate that accelerometers have that of time; what neither tells stays as it was.
    """
    named = {c.name for c in told.columns if seen.units[c.number - 1]}
    try:
        table = mapped(seen, columns, told)
    except BadInput:
        return told
    units: dict[str, str] = {}
    if all(a in table.figures for a in _AXES) and not named & set(_AXES):
        size = float(np.linalg.norm([np.median(table.figures[a]) for a in _AXES]))
        fits = (u for u, f in _LOOKS_LIKE[:3] if abs(size / (GRAVITY * f) - 1) <= _NEAR)
        unit = next(fits, None)
        units |= dict.fromkeys(_AXES, unit) if unit else {}
    time = table.figures.get("time_s")
    how = next((c.unit for c in told.columns if c.name == "time_s"), "")
    if time is not None and "time_s" not in named and how == "s" and time[-1] > time[0]:
        rate = (len(time) - 1) / float(time[-1] - time[0])
        fits = (u for u, f in (("s", 1.0), ("ms", 1e3), ("us", 1e6)) if _RATES[0] <= rate * f <= _RATES[1])
        units["time_s"] = next(fits, "s")
    return told.model_copy(
        update={"columns": [c.model_copy(update={"unit": units.get(c.name, c.unit)}) for c in told.columns]}
    )


def _bounds(table: Mapped, want: TableColumn) -> TableNote | None:
    if want.name not in table.figures:
        if want.words and (odd := sorted({w.lower() for w in table.words.get(want.name, [])} - set(want.words))):
            words = f"“{want.title}” holds “{odd[0][:30]}”; it may hold {', '.join(want.words)}."
            return TableNote(code="odd_word", message=words, grave=True, column=want.name)
        return None
    values = table.figures[want.name]
    least, most = float(values.min()), float(values.max())
    if (want.low is not None and least < want.low) or (want.high is not None and most > want.high):
        words = f"“{want.title}” runs from {least:.4g} to {most:.4g} {want.unit}: no such reading lies beyond {want.low:g} to {want.high:g}."
        return TableNote(code="out_of_bounds", message=words, grave=True, column=want.name)
    if least == most and len(values) > 5 and want.name not in _AXES:
        return TableNote(code="never_changes", message=f"“{want.title}” never changes.", column=want.name)
    return None


def _time(time: NDArray[np.float64], shaken: bool) -> list[TableNote]:
    steps = np.diff(time)
    back = int((steps < 0).sum())
    if back:
        words = f"Time goes back {back} times: is this the column of time?"
        return [TableNote(code="time_goes_back", message=words, grave=True, column="time_s")]
    length = float(time[-1] - time[0])
    if length <= 0:
        return [TableNote(code="time_stands", message="Time stands still.", grave=True, column="time_s")]
    rate = (len(time) - 1) / length
    words = f"{len(time)} readings in {length:.6g} s, {rate:.4g} a second."
    if shaken and not _RATES[0] <= rate <= _RATES[1]:
        return [
            TableNote(
                code="rate_odd",
                message=f"{words} No accelerometer does that: is the unit of time right?",
                grave=True,
                column="time_s",
            )
        ]
    gaps = int((steps > 20 / rate).sum())
    more = [TableNote(code="gaps", message=f"There are {gaps} gaps in it.", column="time_s")] if gaps else []
    return [TableNote(code="rate", message=words, column="time_s"), *more]


def _gravity(axes: list[NDArray[np.float64]], counted: bool) -> TableNote:
    means = [float(np.median(a)) for a in axes]
    size = float(np.linalg.norm(means))
    if abs(size / GRAVITY - 1) <= _NEAR:
        along = "XYZ"[int(np.argmax(np.abs(means)))]
        return TableNote(
            code="gravity", message=f"At rest it feels {size:.2f} m/s², mostly along {along}: that is gravity."
        )
    if size < _TAKEN_OFF:
        return TableNote(code="no_gravity", message="It feels no gravity: the sensor, or its program, takes it off.")
    words = f"At rest it would feel {size:.4g} m/s², where gravity is 9.8"
    if counted:
        return TableNote(
            code="gravity_odd",
            message=f"{words}: what one count is does not fit.",
            grave=True,
            column="ax",
            scale=GRAVITY / size,
        )
    for unit, factor in _LOOKS_LIKE:
        if abs(size / (GRAVITY * factor) - 1) <= _NEAR:
            return TableNote(
                code="gravity_odd", message=f"{words}: the figures look like {unit}.", grave=True, column="ax"
            )
    return TableNote(
        code="gravity_odd", message=f"{words}. Are the unit and the three columns right?", grave=True, column="ax"
    )
