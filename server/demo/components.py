"""Types of parts, and what was done to single parts over the months."""

from __future__ import annotations

from datetime import timedelta
from typing import TYPE_CHECKING, Any

from people.clock import at
from workshop.models import Component

from .history import A_DAY, LONG

if TYPE_CHECKING:
    from .workshop import Maker

#: Two types that the workshop has its own figure for; what was done to single parts.
_TYPES = [
    {"name": "Steel nozzle, hardened", "kind": "nozzle", "life_hours": 2500},
    {
        "name": "Belt with steel cords",
        "kind": "belt",
        "life_hours": 6000,
        "notes": "Stiffer than the others: it is set to less.",
    },
]
#: (machine, kind, place, days ago, what is told).
_DEEDS: list[tuple[str, str, str, int, dict[str, Any]]] = [
    (
        "Bowline",
        "nozzle",
        "e",
        64,
        {"did": "replace", "because": "worn", "words": "Thin lines after the filled filament."},
    ),
    (
        "Windlass",
        "idler",
        "y1",
        18,
        {"did": "inspect", "found": "trouble", "words": "The upper one rumbles when spun."},
    ),
    ("Marline", "belt", "a", 210, {"did": "replace", "because": "worn", "words": "Fuzz on its edge."}),
    ("Marline", "belt", "b", 210, {"did": "replace", "because": "worn", "words": "With its partner."}),
    ("Bowline", "pulley", "a", 18, {"did": "inspect", "found": "sound", "words": "Marks in line."}),
    ("Windlass", "liner", "e", 33, {"did": "replace", "because": "failed", "words": "Browned at its end."}),
    ("Windlass", "joints", "frame", 12, {"did": "inspect", "found": "sound"}),
    ("Marline", "fans", "all", 9, {"did": "inspect", "found": "sound"}),
    ("Marline", "plate", "bed", 75, {"did": "replace", "because": "worn", "words": "Its coat was gone in the middle."}),
]


def parts_of_machines(maker: Maker, printers: list[tuple[str, str, str, dict[str, float]]]) -> None:
    """Types of parts, and what was done to single parts."""
    for row in _TYPES:
        maker.call("lead", "POST", "/part-types", row)
    worn = [row for i, (name, *_) in enumerate(printers) for row in _worn_out(maker, name, i)]
    for name, kind, place, ago, told in sorted([*_DEEDS, *worn], key=lambda d: -d[3]):
        part = Component.objects.get(printer__name=name, kind=kind, place=place, removed_on=None)
        with at(maker.today - timedelta(days=ago)):
            maker.call("tech", "POST", f"/components/{part.pk}/deeds", told)


def _worn_out(maker: Maker, name: str, i: int) -> list[tuple[str, str, str, int, dict[str, Any]]]:
    """Nozzles and liners as they wore out over the months, each after its own hours; the last of each some weeks ago."""
    rows = []
    for kind, last, hours in (("nozzle", 24 + 8 * i, 1100.0), ("liner", 35 + 8 * i, 1900.0)):
        ago = next((float(d[3]) for d in _DEEDS if d[:2] == (name, kind)), None)
        told = {"did": "replace", "because": "worn"}
        if ago is None:
            rows.append((name, kind, "e", last, told))
            ago = float(last)
        while True:
            ago += hours * float(maker.rng.weibull(2.6)) / A_DAY[name]
            if ago > LONG - 30:
                break
            sound = float(maker.rng.random()) < 0.2
            rows.append((name, kind, "e", int(ago), {"did": "replace", "because": "sound" if sound else "worn"}))
    return rows
