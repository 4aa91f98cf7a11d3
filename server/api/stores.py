"""Stores: types of parts and what they fit, what lies in the drawers, what was ordered, and what to order by when."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from typing import Annotated, Literal

from kestov_core.knowledge.part_kinds import part_kinds
from kestov_core.machine import PLACES
from ninja import Field, Query, Router
from people.models import name_of
from service import labels, stores
from service.models import Stock, StockMove
from workshop import components
from workshop.models import Printer

from .components import TypeOut, type_out
from .downloads import download
from .once import once
from .permissions import may
from .problems import Problem
from .shapes import Shape
from .signed import SignedIn
from .still import still

router = Router(tags=["stores"])
Number = Annotated[int, Field(ge=0, le=9999)]
Some = Annotated[int, Field(ge=1, le=9999)]


class OrderOut(Shape):
    """Parts on their way: ``left`` have not come yet."""

    id: int
    number: int
    left: int
    ordered_at: datetime
    expected_on: date
    late: bool
    by: str


class DrawerOut(Shape):
    """What lies in a drawer. ``expected``, ``low``, ``high``: how many are wanted in the next quarter (5 and 95 %); ``parts``: so many sit in
    machines that may want one, of ``unknown`` more nobody can tell. ``short_on``: from then on the chance of standing without is over what
    is borne; ``order_by``: so that it is not, ``order`` of them. ``ended``: it can be had no more.
    """

    id: int
    type_id: int
    type: str
    kind: str
    drawer: str
    here: int
    minimum: int
    lead_days: int
    cost: Decimal | None
    ended: bool
    counted_at: datetime | None
    orders: list[OrderOut]
    parts: int
    unknown: int
    expected: float
    low: int
    high: int
    short_on: date | None
    order_by: date | None
    order: int


class StoresOut(Shape):
    """Drawers, what to order soonest first; types of parts; the kinds, and the places in which parts sit; ``risk``: of standing without."""

    drawers: list[DrawerOut]
    types: list[TypeOut]
    kinds: dict[str, str]
    places: list[str]
    risk: float
    money: str


def _stores() -> StoresOut:
    settled = stores.settings()
    rows, types = stores.drawers(settled.risk)
    return StoresOut(
        drawers=[_drawer(d) for d in rows],
        types=[type_out(t) for t in types],
        kinds={k.id: k.label for k in part_kinds().values()},
        places=list(PLACES),
        risk=settled.risk,
        money=settled.money,
    )


def _drawer(d: stores.Drawer) -> DrawerOut:
    s, o = d.stock, d.outlook
    return DrawerOut(
        id=s.pk,
        type_id=s.type_id,
        type=s.type.name,
        kind=part_kinds()[s.type.kind].label if s.type.kind in part_kinds() else s.type.kind,
        drawer=s.drawer,
        here=s.here,
        minimum=s.minimum,
        lead_days=s.lead_days,
        cost=s.cost,
        ended=s.ended,
        counted_at=s.counted_at,
        orders=[
            OrderOut(
                id=each.pk,
                number=each.number,
                left=each.number - each.came,
                ordered_at=each.ordered_at,
                expected_on=each.expected_on,
                late=stores.is_late(each),
                by=name_of(each.by),
            )
            for each in d.orders
        ],
        parts=d.parts,
        unknown=d.unknown,
        expected=o.expected,
        low=o.low,
        high=o.high,
        short_on=d.short_on,
        order_by=d.order_by,
        order=o.order,
    )


@router.get("/stores", auth=may("stores.see"), response=StoresOut, operation_id="stores.see")
@still
def see(request: SignedIn):
    """All drawers with what will be wanted of them, and the types of parts."""
    return _stores()


class FitsIn(Shape):
    """What a type fits: models (none: all), and places there (none: all of its kind)."""

    models: list[int] = Field([], max_length=200)
    places: list[Annotated[str, Field(max_length=5)]] = Field([], max_length=20)


class TypeIn(FitsIn):
    """A type of part. ``life_hours`` null: typical of its kind."""

    name: str = Field(min_length=2, max_length=80)
    kind: str = Field(max_length=30)
    life_hours: float | None = Field(None, ge=1, le=1e5)
    lubricant: str = Field("", max_length=200)
    notes: str = Field("", max_length=400)


@router.post("/part-types", auth=may("components.types"), response=StoresOut, operation_id="components.add_type")
@once
def add_type(request: SignedIn, payload: TypeIn):
    """Add a type of part, with its life in this workshop where that is known."""
    p = payload
    fits = components.Fits(p.models, p.places)
    components.add_type(request.user, p.name, p.kind, p.life_hours, p.lubricant, p.notes, fits)
    return _stores()


class TypeChangeIn(FitsIn):
    """What is known of a type of part; of which kind it is stays."""

    name: str = Field(min_length=2, max_length=80)
    life_hours: float | None = Field(None, ge=1, le=1e5)
    lubricant: str = Field("", max_length=200)
    notes: str = Field("", max_length=400)


@router.post(
    "/part-types/{type_id}", auth=may("components.types"), response=StoresOut, operation_id="components.change_type"
)
@once
def change_type(request: SignedIn, type_id: int, payload: TypeChangeIn):
    """Change what is known of a type of part."""
    p = payload
    fits = components.Fits(p.models, p.places)
    components.change_type(request.user, type_id, p.name, p.life_hours, p.lubricant, p.notes, fits)
    return _stores()


class DrawerIn(Shape):
    """A drawer of a type of part: where, how many at the least, days from order to drawer, what one costs; ``ended``: it can be had no more."""

    drawer: str = Field("", max_length=40)
    minimum: Number = 0
    lead_days: int = Field(14, ge=0, le=365)
    cost: Decimal | None = Field(None, ge=0, le=Decimal(1_000_000), decimal_places=2)
    ended: bool = False


@router.post("/part-types/{type_id}/drawer", auth=may("stores.keep"), response=StoresOut, operation_id="stores.keep")
@once
def keep(request: SignedIn, type_id: int, payload: DrawerIn):
    """Keep a drawer of a type of part, or change what is told of it."""
    p = payload
    stores.keep(request.user, type_id, p.drawer, p.minimum, p.lead_days, p.cost, p.ended)
    return _stores()


class CountIn(Shape):
    number: Number


@router.post("/drawers/{drawer_id}/count", auth=may("stores.move"), response=StoresOut, operation_id="stores.count")
@once
def count(request: SignedIn, drawer_id: int, payload: CountIn):
    """Write down how many lie in a drawer."""
    stores.count(request.user, drawer_id, payload.number)
    return _stores()


class PartsOrderIn(Shape):
    """How many were ordered; ``expected_on`` null: after the days that an order takes."""

    number: Some
    expected_on: date | None = None


@router.post("/drawers/{drawer_id}/orders", auth=may("stores.move"), response=StoresOut, operation_id="stores.order")
@once
def order(request: SignedIn, drawer_id: int, payload: PartsOrderIn):
    """Write down that parts were ordered."""
    stores.order(request.user, drawer_id, payload.number, payload.expected_on)
    return _stores()


class CameIn(Shape):
    number: Some


@router.post("/part-orders/{order_id}/came", auth=may("stores.move"), response=StoresOut, operation_id="stores.came")
@once
def came(request: SignedIn, order_id: int, payload: CameIn):
    """What was ordered has come, or some of it: into the drawer."""
    stores.receive(request.user, order_id, payload.number)
    return _stores()


@router.post(
    "/part-orders/{order_id}/give-up", auth=may("stores.move"), response=StoresOut, operation_id="stores.give_up"
)
@once
def give_up(request: SignedIn, order_id: int):
    """What has not come of an order is not waited for any more."""
    stores.give_up(request.user, order_id)
    return _stores()


class SettledIn(Shape):
    """The chance of standing without a part that is borne, and in which money costs are told."""

    risk: float = Field(ge=0.001, le=0.5)
    money: str = Field("", max_length=8)


@router.post("/stores/settled", auth=may("stores.keep"), response=StoresOut, operation_id="stores.settle")
@once
def settle(request: SignedIn, payload: SettledIn):
    """Settle what chance of standing without is borne."""
    stores.settle(request.user, payload.risk, payload.money)
    return _stores()


class MoveOut(Shape):
    """What went into or out of a drawer; ``left``: what lay there after it."""

    did: Literal["counted", "came", "fitted"]
    number: int
    left: int
    words: str
    at: datetime
    by: str


@router.get("/drawers/{drawer_id}/moves", auth=may("stores.see"), response=list[MoveOut], operation_id="stores.moves")
def moves(request: SignedIn, drawer_id: int):
    """What went into and out of a drawer, newest first."""
    rows = StockMove.objects.filter(stock=drawer_id).select_related("by")[:100]
    return [
        MoveOut.model_validate(
            {"did": m.did, "number": m.number, "left": m.left, "words": m.words, "at": m.at, "by": name_of(m.by)}
        )
        for m in rows
    ]


class LabelSheet(Shape):
    """A sheet of labels, by what it is called and how many it has."""

    name: str
    words: str
    many: int


@router.get("/labels", auth=may("stores.see"), response=list[LabelSheet], operation_id="labels.sheets")
def sheets(request: SignedIn):
    """The sheets on which labels can be printed."""
    return [LabelSheet(name=n, words=s.words, many=s.many) for n, s in labels.SHEETS.items()]


@router.get("/labels.pdf", auth=may("stores.see"), operation_id="labels.pdf")
def print_labels(
    request: SignedIn,
    what: Literal["drawers", "machines"],
    sheet: str = "a4-24",
    skip: Annotated[int, Query(ge=0, le=100)] = 0,
):
    """Labels of all drawers or machines, as PDF: a machine's leads to its page, or a member to the report."""
    if sheet not in labels.SHEETS:
        raise Problem(422, "out_of_range", "Choose one of the listed sheets.", "sheet")
    here = request.build_absolute_uri("/").rstrip("/")
    if what == "drawers":
        rows = [
            labels.Label(f"{here}/stores?drawer={s.pk}", s.type.name, s.drawer, f"{s.minimum} at the least")
            for s in Stock.objects.select_related("type")
        ]
    else:
        rows = [
            labels.Label(f"{here}/m/{p.pk}", p.name, p.area.name, "Something wrong? Report it here.")
            for p in Printer.on_the_floor()
        ]
    if not rows:
        raise Problem(409, "nothing_there", f"There are no {what} yet.")
    return download(labels.as_pdf(rows, labels.SHEETS[sheet], skip), "application/pdf", f"labels-{what}.pdf")
