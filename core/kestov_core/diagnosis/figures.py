"""Figures that are told in their own unit, read by this machine's own lengths: a spacing in mm, a belt's pitch in Hz.

Somebody counts ten bands over eighty millimetres, or hears a belt at 82 Hz; what that means follows from the screw's lead
and from the belt's free length. Not here: what was measured at the bench (its procedures say themselves what they found).
"""

from __future__ import annotations

import math
from typing import Any

from pydantic import TypeAdapter, ValidationError

from ..knowledge import findings
from ..machine import BeltTransmission, Place, Transmission, linear_density_typical, tension_band_typical
from ..procedures.ripple_source import FOUND, SHARES, Machine, lengths_along
from ..quantities import Quantity, quadrature
from .shapes import Observed, PrinterIn

#: A bare figure by hand, as a share of itself: a spacing by ruler, a pitch by ear or telephone (typical, 95 %).
_BY_HAND = {"mm": 0.06, "Hz": 0.03}
#: A free length by tape (typical, 95 %), mm.
_TAPE_MM = 1.0
#: How well a length of the machine is known, as a share.
_OWN = 0.01
#: Share of spacings that are no length of the machine, and over how wide a range (of logarithms) they spread.
_OTHER, _SPREAD = 0.45, 4.0
#: From this chance on a spacing is said to be a length; below that one it is said not to be.
_SURE, _NOT = 0.75, 0.03

_DRIVE: TypeAdapter[Any] = TypeAdapter(Transmission)


def read_figures(told: list[Observed], printer: PrinterIn) -> tuple[list[Observed], list[str]]:
    """What was told, with what its figures are read as behind it; and in words, which could not be read and why."""
    drives = _drives(printer)
    out, unread = [], []
    for o in told:
        kind = findings()[o.finding]
        # What nobody meets says something only by what it is read as.
        if kind.met or not kind.reads_as:
            out.append(o)
        if not kind.reads_as or o.value is None or o.state == "absent":
            continue
        value, u95 = (o.value.value, o.value.u95) if isinstance(o.value, Quantity) else (o.value, None)
        if value <= 0:
            continue
        u95 = max(u95 if u95 is not None else _BY_HAND[kind.unit or "mm"] * value, 1e-6 * value)
        heard = kind.unit == "Hz"
        read = _as_tension(o, value, u95, drives) if heard else _as_length(o, value, u95, printer, drives)
        out += read or []
        if read is None:
            why = (
                "say where it is"
                if kind.placed and o.axis is None
                else "that length is not in the machine's description"
            )
            unread.append(f"“{kind.label}”: {value:g} {kind.unit} cannot be read: {why}.")
    return out, unread


def _drives(printer: PrinterIn) -> dict[Place, Any]:
    """The transmissions that are described well enough to have lengths."""
    out: dict[Place, Any] = {}
    for place, told in printer.transmissions.items():
        try:
            out[place] = _DRIVE.validate_python(told)
        except ValidationError:
            continue
    return out


def _as_length(
    o: Observed, value: float, u95: float, printer: PrinterIn, drives: dict[Place, Any]
) -> list[Observed] | None:
    """Which length of the machine a spacing is, where one of them is far likelier than all else; None: no length is known."""
    direction = "z" if o.axis is None and "z" in findings()[o.finding].among else o.axis
    if direction not in ("x", "y", "z"):
        return None
    along = lengths_along(direction, Machine(kinematics=printer.kinematics, transmissions=drives))
    chances = {FOUND[s]: 0.0 for s, _, _ in along if FOUND.get(s) in findings()[o.finding].reads_as}
    if not chances:
        return None
    count = {s: sum(1 for n, _, _ in along if n == s) for s, _, _ in along}
    rest = _OTHER / _SPREAD
    for source, _, period in along:
        sigma = math.hypot(u95 / 1.96 / value, _OWN)
        weight = SHARES[source] / count[source] * _density(math.log(value / period), sigma)
        if (found := FOUND.get(source)) in chances:
            chances[found] += weight
        else:
            rest += weight
    total = rest + sum(chances.values())
    quantity = Quantity(value=value, u95=u95, unit="mm")
    read = []
    for finding, chance in chances.items():
        if chance / total > _SURE:
            read.append(o.model_copy(update=_read(finding, direction, "present", quantity)))
        elif chance / total < _NOT:
            read.append(o.model_copy(update=_read(finding, direction, "absent", None)))
    return read


def _density(x: float, sigma: float) -> float:
    return math.exp(-0.5 * (x / sigma) ** 2) / (sigma * math.sqrt(2 * math.pi))


def _as_tension(o: Observed, hz: float, u95: float, drives: dict[Place, Any]) -> list[Observed] | None:
    """The tension that a pitch means on the belt's first free length: T = 4 mu L^2 f^2, against the typical band of its width;
    None: its free length is not known.
    """
    drive = drives.get(o.axis) if o.axis is not None else None
    if not isinstance(drive, BeltTransmission) or not drive.spans:
        return None
    span_mm = drive.spans[0].span_mm
    density, percent = linear_density_typical(drive.width_mm)
    if drive.linear_density_g_per_m is not None:
        density, percent = drive.linear_density_g_per_m, drive.linear_density_u95_percent or 3.0
    tension = 4 * density / 1000 * (span_mm / 1000) ** 2 * hz**2
    share = quadrature(percent / 100, 2 * _TAPE_MM / span_mm, 2 * u95 / hz)
    quantity = Quantity(value=tension, u95=share * tension, unit="N")
    low, high = tension_band_typical(drive.width_mm)
    rows = (("belt_slack", low, tension < low), ("belt_overtight", high, tension > high))
    return [
        o.model_copy(update=_read(finding, o.axis, "present" if there else "absent", quantity) | {"limit": limit})
        for finding, limit, there in rows
    ]


def _read(finding: str, axis: str | None, state: str, value: Quantity | None) -> dict[str, Any]:
    return {"finding": finding, "axis": axis, "state": state, "value": value, "complaint": False, "missed": None}
