"""What a machine keeps in its memory: its values by name, in words, as lines of settings, and what a difference means.

A name is the kind and, where it has one, the place: ``steps_x``, ``skew_xy``, ``nozzle_height``. Lines of settings are read
as machines commonly print them (``M92 X80.00 Y80.00``), whatever stands before them; what is not understood is kept.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache
from typing import Annotated, Literal

from pydantic import Field

from ..errors import BadInput
from ..knowledge.ledger import PLACES, StoredKind, stored_kinds
from ..procedures.base import Part

#: A machine prints some hundred lines; more is no list of settings.
MOST_CHARACTERS, MOST_LINES = 200_000, 5_000
#: What is stored is printed rounded: two figures that differ by less than so much of a printed digit are one.
_ROUNDED = 0.51
_COMMAND = re.compile(r"(?:^|[\s:>])([MG]\d{1,4})(?=[\s]|$)(.*)$")
_LETTER = re.compile(r"([A-Z])\s*([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)?")

State = Literal["same", "changed", "lost", "new"]


@dataclass(frozen=True)
class Stored:
    """One value that a machine can store: its name, kind and place ("" for the whole machine)."""

    name: str
    kind: StoredKind
    place: str

    @property
    def label(self) -> str:
        """In words, with its place."""
        return f"{self.kind.label}, {self.place.upper()}" if self.place else self.kind.label


class Value(Part):
    """A value as it was read from a line of settings. ``decimals``: as many as were printed."""

    name: str
    value: float
    decimals: int
    row: int


class Kept(Part):
    """A line that is kept as it came, and why nothing was read from it (empty: it is no line of a value)."""

    row: int
    line: Annotated[str, Field(max_length=200)]
    why: str = ""


class Settings(Part):
    """What was read: values in their order, and the lines that were kept."""

    values: list[Value]
    kept: list[Kept]


class HeldAgainst(Part):
    """One value of before beside what the machine has now. ``means``: what prints will show of it."""

    name: str
    label: str
    unit: str
    was: float | None
    now: float | None
    state: State
    means: str = ""
    measured_by: str | None = None


@cache
def all_stored() -> dict[str, Stored]:
    """Every value that a machine can store, by name, in the order of the sheet."""
    out = {}
    for kind in stored_kinds().values():
        for place in PLACES[kind.at]:
            name = f"{kind.id}_{place}" if place else kind.id
            out[name] = Stored(name, kind, place)
    return out


def words(name: str) -> str:
    """What a stored value is called; a name that is not known as it is."""
    known = all_stored().get(name)
    return known.label if known is not None else name.replace("_", " ")


def check(name: str, value: float) -> None:
    """Refuse a figure that a machine cannot have under a known name (``out_of_range``)."""
    known = all_stored().get(name)
    if known is None or known.kind.kind == "text":
        return
    if not known.kind.low <= value <= known.kind.high:
        raise BadInput(
            "out_of_range",
            f"{known.label} lies between {known.kind.low:g} and {known.kind.high:g} {known.kind.unit}.",
            "value",
        )


def read_settings(text: str) -> Settings:
    r"""Values from lines of settings as a machine prints them.

    Parameters
    ----------
    text : str
        Lines such as ``echo:  M92 X80.00 Y80.00 Z400.00``; comments after ``;``.

    Returns
    -------
    Settings
        Each value once (the last one counts), and the lines of which nothing was read.

    Raises
    ------
    BadInput
        ``empty_file`` without a line, ``too_large`` over 5,000.

    Examples
    --------
    >>> found = read_settings("echo:  M92 X80.00 Z384.00 ; steps\nM999 Q4\n")
    >>> [(v.name, v.value) for v in found.values], [k.line for k in found.kept]
    ([('steps_x', 80.0), ('steps_z', 384.0)], ['M999 Q4'])
    """
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    if not text.strip():
        raise BadInput("empty_file", "There is no line of settings here.", "text")
    if len(text) > MOST_CHARACTERS or len(lines) > MOST_LINES:
        raise BadInput("too_large", "This is longer than any list of settings.", "text")
    values: dict[str, Value] = {}
    kept: list[Kept] = []
    for row, line in enumerate(lines, 1):
        bare = line.split(";", 1)[0].strip()
        if not bare:
            continue
        found, why = _of_line(bare, row)
        for v in found:
            values.pop(v.name, None)
            values[v.name] = v
        if why is not None:
            kept.append(Kept(row=row, line=line.strip()[:200], why=why))
    return Settings(values=list(values.values()), kept=kept)


def _of_line(bare: str, row: int) -> tuple[list[Value], str | None]:
    """Values of a line; and why it is kept, where something of it was not read (None: all of it was)."""
    command = _COMMAND.search(bare)
    if command is None:
        return [], ""
    word, told = command.group(1), command.group(2).upper()
    kinds = [k for k in stored_kinds().values() if k.word == word]
    letters = _LETTER.findall(told)
    if not kinds or not letters:
        return [], ""
    if any(letter == "T" and number and float(number) != 0 for letter, number in letters):
        return [], "it is another tool's"
    flags = {letter for letter, number in letters if not number}
    out: list[Value] = []
    left: list[str] = []
    for letter, number in letters:
        if not number or letter == "T":
            continue
        names = [(k, p) for k in kinds for p in _places(k, letter, flags)]
        if not names:
            left.append(letter)
        for kind, place in names:
            value = float(number) / kind.factor
            if not kind.low <= value <= kind.high:
                return [], f"{kind.label.lower()} {value:g} {kind.unit} cannot be"
            decimals = len(number.lower().split("e")[0].partition(".")[2])
            out.append(Value(name=f"{kind.id}_{place}" if place else kind.id, value=value, decimals=decimals, row=row))
    return out, f"{', '.join(left)} of it is not understood" if left else None


def _places(kind: StoredKind, letter: str, flags: set[str]) -> list[str]:
    if kind.letter is None:
        return [p for p, own in PLACES[kind.at].items() if own == letter]
    if letter != kind.letter:
        return []
    # A bare X or Y says whose it is; without one it is all of theirs.
    named = [p for p, own in PLACES[kind.at].items() if own in flags] if kind.flag else []
    return named or list(PLACES[kind.at])


def script(values: Mapping[str, float]) -> str:
    r"""Lines that set these values, store them and print them, in the order of the sheet. What has no word of its own is left out.

    Examples
    --------
    >>> script({"steps_z": 400.0, "steps_x": 80.0, "travel_high_x": 250.0})
    'M92 X80.0000 Z400.0000\nM500\nM503\n'
    """
    lines: dict[tuple[str, str], list[str]] = {}
    for name, stored in all_stored().items():
        kind = stored.kind
        if name not in values or kind.word is None:
            continue
        check(name, values[name])
        letter = kind.letter or PLACES[kind.at][stored.place]
        flag = PLACES[kind.at][stored.place] if kind.flag else ""
        lines.setdefault((kind.word, flag), []).append(f"{letter}{values[name] * kind.factor:.{kind.digits}f}")
    rows = [" ".join([word, *([flag] if flag else []), *told]) for (word, flag), told in lines.items()]
    return "\n".join([*rows, "M500", "M503", ""]) if rows else ""


def alike(stored: Stored, was: float, now: Value) -> bool:
    """Whether two figures are one, as far as the machine prints it."""
    decimals = max(now.decimals, min(stored.kind.prints, stored.kind.digits))
    return abs(was - now.value) * stored.kind.factor <= _ROUNDED * 10.0**-decimals + 1e-9 * abs(was)


def compare(before: Mapping[str, float], values: Iterable[Value]) -> list[HeldAgainst]:
    """Every value of before and of now beside each other, what differs first.

    ``lost``: it is in the ledger and the machine does not print it; ``new``: the machine has it and the ledger does not.
    Values that no machine prints are left out.
    """
    rows, now = [], {v.name: v for v in values}
    for name, stored in all_stored().items():
        was, has = before.get(name), now.get(name)
        if stored.kind.word is None or (was is None and has is None):
            continue
        if was is None:
            state: State = "new"
        elif has is None:
            state = "lost"
        else:
            state = "same" if alike(stored, was, has) else "changed"
        rows.append(
            HeldAgainst(
                name=name,
                label=stored.label,
                unit=stored.kind.unit,
                was=was,
                now=None if has is None else has.value,
                state=state,
                means=meaning(name, was, has.value)
                if state == "changed" and was is not None and has is not None
                else "",
                measured_by=stored.kind.measured_by,
            )
        )
    order = ("changed", "lost", "new", "same")
    return sorted(rows, key=lambda r: order.index(r.state))


def meaning(name: str, was: float, now: float) -> str:
    """What prints will show when a machine has ``now`` where ``was`` is right.

    Examples
    --------
    >>> meaning("steps_z", 400.0, 384.0)
    'parts come out 4 % short along Z'
    """
    stored = all_stored()[name]
    kind = stored.kind
    more = now > was
    told = (kind.feeds_more if more else kind.feeds_less) if stored.place == "e" else None
    told = told or (kind.off if not now else None) or (kind.more if more else kind.less) or ""
    percent = 100 * abs(now / was - 1) if was else 100.0
    return told.format(
        place=stored.place.upper(),
        percent=f"{percent:.2g}" if percent < 100 else f"{percent:.0f}",
        by=f"{abs(now - was):.3g}",
        now=f"{now:.4g}",
        per100=f"{100 * abs(now - was):.2g}",
    )


def known_here(names: Iterable[str]) -> list[str]:
    """These names in the order of the sheet, those that are not known last."""
    order = list(all_stored())
    return sorted(names, key=lambda n: (order.index(n) if n in order else len(order), n))
