"""Minutes and money: what things cost, a repair that was offered for the machine that is out of use, a warranty, a decision."""

from __future__ import annotations

from datetime import timedelta
from typing import TYPE_CHECKING

from people.clock import at
from workshop.models import Printer, PrinterModel

if TYPE_CHECKING:
    from .workshop import Maker

#: What another costs, and how many years one lasts.
_PRICES = {
    "Heron 300": ("1450", 6),
    "Dunlin 220": ("320", 4),
    "Avocet 350": ("1900", 6),
    "Plover Tall": ("780", 5),
}


def worth(maker: Maker) -> None:
    """Prices, an offer for Carrick, until when Longsplice is under warranty, and that Windlass is kept."""
    ids = dict(Printer.objects.values_list("name", "pk"))

    def lead(path: str, days: float, **told: object) -> None:
        with at(maker.today - timedelta(days=days)):
            maker.call("lead", "POST", f"/service/worth/{path}", told)

    lead("hour", 90, hour="14")
    for name, (another, years) in _PRICES.items():
        lead("price", 90, model_id=PrinterModel.objects.get(name=name).pk, another=another, lasts_years=years)
    until = (maker.today + timedelta(days=140)).date().isoformat()
    lead("warranty", 60, printer_id=ids["Longsplice"], until=until)
    lead("quote", 3, printer_id=ids["Carrick"], parts="68", hours=2.5, words="A new board, and the hours to fit it.")
    lead(
        "decide", 30, printer_id=ids["Windlass"], decided="keep", why="Rails for its X are on the list for the summer."
    )
