"""The machines' meters, read once a month, and what was done to single parts over the spring."""

from __future__ import annotations

from datetime import timedelta
from typing import TYPE_CHECKING, Any

from people.clock import at
from workshop.models import Component, Printer

if TYPE_CHECKING:
    from .workshop import Maker

#: Hours of print a day of each machine; two types that the workshop has its own figure for; what was done to single parts.
_A_DAY = {
    "Bowline": 6.5, "Marline": 7.2, "Sheepshank": 4.1, "Halyard": 3.8, "Carrick": 2.2, "Windlass": 5.0, "Capstan": 2.9,
    "Longsplice": 3.3,
}  # fmt: skip
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
    ("Bowline", "pulley", "a", 18, {"did": "inspect", "found": "sound", "words": "Marks in line."}),
    ("Windlass", "liner", "e", 33, {"did": "replace", "because": "failed", "words": "Browned at its end."}),
    ("Windlass", "joints", "frame", 12, {"did": "inspect", "found": "sound"}),
    ("Marline", "fans", "all", 9, {"did": "inspect", "found": "sound"}),
    ("Marline", "plate", "bed", 75, {"did": "replace", "because": "worn", "words": "Its coat was gone in the middle."}),
]


def parts_and_hours(maker: Maker, printers: list[tuple[str, str, str, dict[str, float]]]) -> None:
    """The meters read once a month, and what was done to single parts."""
    for row in _TYPES:
        maker.call("lead", "POST", "/part-types", row)
    for i, (name, *_) in enumerate(printers):
        path = f"/printers/{Printer.objects.get(name=name).pk}/meter"
        for k, ago in enumerate((112, 81, 50, 22)):
            uneven = (0.0, 6.0, -9.0, 4.0)[k]
            hours = round(_A_DAY[name] * (400 + 37 * i - ago) + uneven, 1)
            with at(maker.today - timedelta(days=ago, hours=2)):
                maker.call("tech2", "POST", path, {"hours": hours})
    worn = [
        (name, kind, "e", 24 + 8 * i + more, {"did": "replace", "because": "worn"})
        for i, (name, *_) in enumerate(printers)
        for kind, more in (("nozzle", 0), ("liner", 11))
        if not any(d[:2] == (name, kind) for d in _DEEDS)
    ]
    for name, kind, place, ago, told in sorted([*_DEEDS, *worn], key=lambda d: -d[3]):
        part = Component.objects.get(printer__name=name, kind=kind, place=place, removed_on=None)
        with at(maker.today - timedelta(days=ago)):
            maker.call("tech", "POST", f"/components/{part.pk}/deeds", told)
