"""One figure across the machines of a model: which stands apart, and whether all moved together."""

from __future__ import annotations

from datetime import datetime
from typing import cast

from kestov_core.quantities import Quantity, Verdict
from measuring import fleet as fleets
from ninja import Router

from .permissions import may
from .problems import Problem
from .shapes import Shape
from .signed import SignedIn
from .still import still

router = Router(tags=["fleet"])


class CommonOut(Shape):
    """A figure that several machines of a model have."""

    procedure: str
    place: str
    words: str
    unit: str
    machines: int


class ModelFigures(Shape):
    """A model, and the figures that its machines have in common."""

    model_id: int
    model: str
    figures: list[CommonOut]


class MachineStands(Shape):
    """A machine's figure among the others. ``apart``: so many spreads from the centre (null: they are all alike); ``odd``: further than
    chance has it; ``before``, ``moved``: since the figure before (null: none, or it was ``touched`` in between); ``alone``: otherwise than the
    others did.
    """

    printer_id: int
    printer: str
    at: datetime
    value: Quantity
    low: float | None
    high: float | None
    verdict: Verdict
    apart: float | None
    odd: bool
    before_at: datetime | None
    before: float | None
    moved: float | None
    alone: bool
    touched: str


class FleetOut(Shape):
    """A figure across machines. ``few``: too few to say which is odd; ``together``: what most moved by; ``all_moved``: more than chance."""

    common: CommonOut
    centre: float
    spread: float
    few: bool
    together: Quantity | None
    all_moved: bool
    machines: list[MachineStands]


@router.get("/fleet", auth=may("fleet.see"), response=list[ModelFigures], operation_id="fleet.list")
@still
def list_figures(request: SignedIn):
    """Models of which several machines have a figure in common."""
    return [
        ModelFigures(
            model_id=model.pk,
            model=model.name,
            figures=[CommonOut.model_validate(c, from_attributes=True) for c in common],
        )
        for model, common in fleets.models_with_figures()
    ]


@router.get("/fleet/{model_id}", auth=may("fleet.see"), response=FleetOut, operation_id="fleet.see")
@still
def see(request: SignedIn, model_id: int, procedure: str, place: str):
    """One figure across the machines of a model."""
    found = fleets.fleet(model_id, procedure[:40], place[:5])
    if found is None:
        raise Problem(404, "not_found", "Fewer than two machines of this model have this figure.")
    unit = found.common.unit
    return FleetOut(
        common=CommonOut.model_validate(found.common, from_attributes=True),
        centre=found.across.centre,
        spread=found.across.spread,
        few=found.across.few,
        together=found.across.together,
        all_moved=found.across.all_moved,
        machines=[
            MachineStands(
                printer_id=m.printer.pk,
                printer=m.printer.name,
                at=m.now.at,
                value=Quantity(value=m.now.value, u95=m.u95, unit=unit),
                low=m.low,
                high=m.high,
                verdict=cast(Verdict, m.verdict),
                apart=s.apart if abs(s.apart) < 1e6 else None,
                odd=s.odd,
                before_at=None if m.before is None else m.before.at,
                before=None if m.before is None else m.before.value,
                moved=s.moved,
                alone=s.alone,
                touched=m.touched,
            )
            for m, s in zip(found.machines, found.across.stands, strict=True)
        ],
    )
