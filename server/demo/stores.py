"""The stores: what lies in the drawers, what was counted, ordered and fitted; one part will not last beyond next month."""

from __future__ import annotations

from datetime import timedelta
from typing import TYPE_CHECKING, Any

from people.clock import at
from workshop.models import Component

if TYPE_CHECKING:
    from .workshop import Maker

#: Name, kind, drawer, at the least, days that an order takes, what one costs, how many were counted five weeks ago.
_DRAWERS: list[tuple[str, str, str, int, int, str, int]] = [
    ("Brass nozzle, 0.4 mm", "nozzle", "A1", 2, 7, "3.20", 9),
    ("Liner tube, 1 m", "liner", "A2", 1, 10, "2.10", 6),
    ("Belt with fibre cords, 6 mm, 1 m", "belt", "B1", 2, 21, "2.80", 5),
    ("Ball idler, 20 teeth", "idler", "B2", 2, 14, "3.40", 4),
    ("Pulley, 20 teeth", "pulley", "B3", 1, 14, "4.10", 3),
    ("Spring-steel plate, textured", "plate", "C1", 1, 12, "24.00", 1),
    ("Rotor fan, 40 mm", "fans", "C2", 1, 9, "5.60", 2),
]


def stores(maker: Maker) -> None:
    """Drawers with their counts and an order; a fan that was fitted out of one."""

    def call(who: str, path: str, told: dict[str, Any], days: float) -> Any:
        with at(maker.today - timedelta(days=days)):
            return maker.call(who, "POST", path, told)

    ids: dict[str, int] = {}
    for name, kind, drawer, minimum, lead, cost, number in _DRAWERS:
        seen = call("lead", "/part-types", {"name": name, "kind": kind}, 36)
        type_id = next(t["id"] for t in seen["types"] if t["name"] == name)
        told = {"drawer": drawer, "minimum": minimum, "lead_days": lead, "cost": cost}
        seen = call("lead", f"/part-types/{type_id}/drawer", told, 36)
        ids[name] = next(d["id"] for d in seen["drawers"] if d["type_id"] == type_id)
        call("tech2", f"/drawers/{ids[name]}/count", {"number": number}, 35)
        if kind == "fans":
            part = Component.objects.get(printer__name="Windlass", kind=kind, removed_on=None)
            fitted = {"did": "replace", "because": "worn", "words": "It grated.", "type_id": type_id}
            call("tech", f"/components/{part.pk}/deeds", fitted, 6)
    call("lead", "/stores/settled", {"risk": 0.05, "money": "€"}, 34)
    call("lead", f"/drawers/{ids['Ball idler, 20 teeth']}/orders", {"number": 6}, 5)
    seen = call("lead", f"/drawers/{ids['Liner tube, 1 m']}/orders", {"number": 4}, 18)
    order = next(d["orders"][0]["id"] for d in seen["drawers"] if d["id"] == ids["Liner tube, 1 m"])
    call("tech2", f"/part-orders/{order}/came", {"number": 2}, 9)
