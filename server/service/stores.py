"""Spares: how many lie in which drawer, counted, ordered, come, and fitted in the act that fits them; what will be wanted, and to order by when.

A drawer is held while anything goes in or out: two people cannot fit the last one. Not here: the reckoning (the core's), and what a type of
part is (`workshop.components`).
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

import numpy as np
from cases.lives import Lives
from cases.models import State, Suspect
from django.db import transaction
from django.db.models import F, OuterRef, QuerySet, Subquery
from django.dispatch import receiver
from django.utils import timezone
from kestov_core.condition.stores import MOST, Outlook, outlook, typical_chances
from kestov_core.condition.use import Use
from kestov_core.knowledge.part_kinds import part_kinds
from kestov_core.procedures.life import Floats
from people.clock import now
from people.models import User, audit
from people.refusals import Refused
from workshop import components, tags
from workshop.meters import hours_now
from workshop.models import Component, PartType, Printer

from .models import Order, ServiceSetting, Stock, StockMove

#: So many days ahead it is reckoned.
AHEAD = 366
#: Part of the parts in trouble that want another one; the others are adjusted, or cleaned (typical).
_TROUBLED = 0.5


def types() -> QuerySet[PartType]:
    """All types of parts with what they fit, and how many lie in the drawer (``here``; None: no drawer is kept)."""
    return components.types().annotate(here=F("stock__here"))


def settings() -> ServiceSetting:
    """What the lead has settled of stores."""
    return ServiceSetting.objects.first() or ServiceSetting()


def settle(by: User, risk: float, money: str) -> None:
    """Settle the chance of standing without that is borne, and in which money costs are told."""
    row, _ = ServiceSetting.objects.get_or_create(pk=1)
    row.risk, row.money = risk, money.strip()
    row.save()
    audit(by, "changed", row, f"Of spares: a chance of {100 * risk:.3g} % of standing without is borne.")


@transaction.atomic
def keep(
    by: User, type_id: int, drawer: str, minimum: int, lead_days: int, cost: Decimal | None, ended: bool = False
) -> Stock:
    """Keep a drawer of a type of part, or change what is told of it. ``ended``: no more of it can be had."""
    kind = PartType.objects.filter(pk=type_id).first()
    if kind is None:
        raise Refused(404, "not_found", "There is no such type of part.")
    row, new = Stock.objects.select_for_update().get_or_create(type=kind)
    row.drawer, row.minimum, row.lead_days, row.cost = drawer.strip(), minimum, lead_days, cost
    row.ended = ended
    row.save(update_fields=["drawer", "minimum", "lead_days", "cost", "ended"])
    audit(
        by, "added" if new else "changed", row, f"{'A drawer is kept' if new else 'Changed the drawer'} of {kind.name}."
    )
    return row


def _held(stock_id: int) -> Stock:
    row = Stock.objects.select_for_update(of=("self",)).select_related("type").filter(pk=stock_id).first()
    if row is None:
        raise Refused(404, "not_found", "No drawer of it is kept.")
    return row


def _move(row: Stock, did: str, here: int, number: int, by: User, **more: Any) -> None:
    row.here = here
    row.save(update_fields=["here", "counted_at"])
    StockMove.objects.create(stock=row, did=did, number=number, left=here, by=by, at=now(), **more)


@transaction.atomic
def count(by: User, stock_id: int, number: int) -> Stock:
    """Write down how many lie there."""
    row = _held(stock_id)
    row.counted_at = now()
    _move(row, "counted", number, number, by)
    return row


@transaction.atomic
def order(by: User, stock_id: int, number: int, expected_on: date | None = None) -> Order:
    """Write down that parts were ordered; they are expected after the time that an order takes, where nothing else is told."""
    row = _held(stock_id)
    today = timezone.localdate(now())
    if expected_on is not None and expected_on < today:
        raise Refused(422, "out_of_range", "That day is over.", "expected_on")
    made = Order.objects.create(
        stock=row,
        number=number,
        ordered_at=now(),
        expected_on=expected_on or today + timedelta(days=row.lead_days),
        by=by,
    )
    audit(by, "ordered", made, f"Ordered {number} of {row.type.name}.")
    return made


def _open_order(order_id: int) -> tuple[Order, Stock]:
    found = Order.objects.filter(pk=order_id).values_list("stock", flat=True).first()
    if found is None:
        raise Refused(404, "not_found", "There is no such order.")
    # The drawer first, as everybody holds it: nobody waits for another for ever.
    row = _held(found)
    made = Order.objects.select_for_update().get(pk=order_id)
    if made.ended_at is not None:
        raise Refused(409, "ended", "This order is settled already.")
    return made, row


def is_late(order: Order) -> bool:
    """Whether an order should have come already."""
    return order.ended_at is None and order.expected_on < timezone.localdate(now())


@transaction.atomic
def receive(by: User, order_id: int, number: int) -> Stock:
    """Parts that were ordered have come: into the drawer with them; the rest is waited for."""
    made, row = _open_order(order_id)
    if number > made.number - made.came:
        raise Refused(422, "out_of_range", f"No more than {made.number - made.came} are still to come.", "number")
    made.came += number
    made.ended_at = now() if made.came == made.number else None
    made.save(update_fields=["came", "ended_at"])
    _move(row, "came", row.here + number, number, by)
    return row


@transaction.atomic
def give_up(by: User, order_id: int) -> Stock:
    """What has not come of an order is not waited for any more."""
    made, row = _open_order(order_id)
    made.ended_at = now()
    made.save(update_fields=["ended_at"])
    audit(by, "gave up", made, f"{made.number - made.came} of {row.type.name} are not waited for any more.")
    return row


@receiver(tags.part_fitted)
def _fitted(sender: type, component: Component, user: User, spare: components.Spare, **more: Any) -> None:
    """A part that is fitted leaves its drawer, in the same act."""
    if spare != "drawer" or component.type_id is None:
        return
    row = Stock.objects.select_for_update(of=("self",)).filter(type=component.type_id).select_related("type").first()
    if row is None or (row.counted_at is None and row.here == 0):
        return
    if row.here < 1:
        raise Refused(
            409, "none_left", f"The drawer of “{row.type.name}” stands at none. Count it, or say that this one came from elsewhere.", "spare",
        )  # fmt: skip
    where = f"{component.label} of {component.printer.name}"
    _move(row, "fitted", row.here - 1, 1, user, component=component, words=where[:200])


@dataclass(frozen=True)
class Drawer:
    """A drawer with what is on its way, how many machines' parts may want one, and what comes of it."""

    stock: Stock
    orders: list[Order]
    parts: int
    outlook: Outlook
    unknown: int

    @property
    def order_by(self) -> date | None:
        """The day by which to order; None of what can be had no more."""
        return None if self.stock.ended else self._day(self.outlook.order_by)

    @property
    def short_on(self) -> date | None:
        """The day from which the chance of standing without is over what is borne."""
        return self._day(self.outlook.short_on)

    @staticmethod
    def _day(ahead: int | None) -> date | None:
        return None if ahead is None else timezone.localdate(now()) + timedelta(days=ahead)


def drawers(risk: float) -> tuple[list[Drawer], list[PartType]]:
    """All drawers, what is to be ordered soonest first so that the risk of standing without is not passed; and all types of parts."""
    known = {t.pk: t for t in types()}
    stocks = list(Stock.objects.all())
    if not stocks:
        return [], list(known.values())
    for s in stocks:
        s.type = known[s.type_id]
    theirs = _wanting(stocks)
    open_orders: dict[int, list[Order]] = defaultdict(list)
    for o in Order.objects.filter(ended_at=None).select_related("by"):
        open_orders[o.stock_id].append(o)
    today = timezone.localdate(now())
    out = []
    for s in stocks:
        chances, unknown = theirs[s.pk]
        arrivals = [(max(0, (o.expected_on - today).days), o.number - o.came) for o in open_orders[s.pk]]
        found = outlook(chances, s.here, arrivals, s.lead_days, s.minimum, risk)
        out.append(Drawer(s, open_orders[s.pk], len(chances), found, unknown))
    far = date.max
    return sorted(out, key=lambda d: (d.order_by or far, d.short_on or far, d.stock.type.name)), list(known.values())


def _wanting(stocks: list[Stock]) -> dict[int, tuple[Floats, int]]:
    """Of each drawer, the chance of every part that may want one from it, by day; and of how many parts nobody can tell.

    A part whose type was not told counts with the only drawer that fits it.
    """
    printers = {p.pk: p for p in Printer.objects.filter(retired=False).only("model_id", "in_use_since")}
    meters = hours_now(printers.values())
    by_type = {s.type_id: s for s in stocks}
    suspects = Suspect.objects.filter(component=OuterRef("pk")).exclude(case__state=State.CLOSED).order_by("-chance")
    sitting = Component.objects.filter(
        printer__retired=False, removed_on=None, kind__in={s.type.kind for s in stocks}
    ).annotate(suspected=Subquery(suspects.values("chance")[:1]))
    sitting = sitting.only(
        "printer_id", "place", "kind", "label", "type_id", "fitted_on", "fitted_hours", "brought_hours", "trouble"
    )
    aged: dict[int, list[_Aged]] = defaultdict(list)
    unknown: dict[int, int] = defaultdict(int)
    every: list[tuple[Component, float]] = []
    for c in sitting:
        meter = meters[c.printer_id]
        age = components.age_hours(c, meter)
        if age is not None:
            every.append((c, age[0]))
        of_type = by_type.get(c.type_id) if c.type_id else None
        mine = of_type if c.type_id else only_one(stocks, printers[c.printer_id].model_id, c.kind, c.place)
        if mine is None:
            continue
        expected = mine.type.life_hours or (part_kinds()[c.kind].life_hours if c.kind in part_kinds() else None)
        if age is not None and meter.use is not None and expected is not None:
            aged[mine.pk].append(_Aged(c, age[0], meter.use, expected, c.suspected or 0.0))
        elif c.trouble or c.suspected:
            # Its hours are not known: it is in trouble, or suspected, and no more can be told.
            aged[mine.pk].append(_Aged(c, 0.0, Use(0.0, 0.0), 1.0, c.suspected or 0.0))
        else:
            unknown[mine.pk] += 1
    lives = Lives(every)
    return {s.pk: (_chances(aged[s.pk][:MOST], lives), unknown[s.pk]) for s in stocks}


@dataclass(frozen=True)
class _Aged:
    """A part with its hours, its machine's use, the life that is expected of it (h), and how likely open cases have it that it is at fault."""

    component: Component
    age: float
    use: Use
    expected: float
    suspected: float


def only_one(stocks: list[Stock], model_id: int, kind: str, place: str) -> Stock | None:
    """The drawer that a part of unknown type can be served from, where it is the only one."""
    found = [s for s in stocks if s.type.kind == kind and components.fits(s.type, model_id, place)]
    return found[0] if len(found) == 1 else None


def _chances(rows: list[_Aged], lives: Lives) -> Floats:
    """Of each part the chance that another is wanted by each day: by the lives here, else by its typical life; at once for half of those
    in trouble, and as likely as an open case has it of those that it suspects.
    """
    if not rows:
        return np.zeros((0, AHEAD))
    days = np.arange(AHEAD, dtype=float)
    age, expected = (np.array([[getattr(r, f)] for r in rows]) for f in ("age", "expected"))
    a_day, u95 = (np.array([[getattr(r.use, f)] for r in rows]) for f in ("a_day", "u95"))
    # How unevenly a machine is used is told by three of its paces.
    paces = (np.maximum(0.0, a_day - u95 / 2), a_day, a_day + u95 / 2)
    out: Floats = np.mean([typical_chances(age, expected, pace * days) for pace in paces], axis=0)
    for i, r in enumerate(rows):
        life = lives.of(r.component)
        if life is not None:
            out[i] = np.mean([life.chances(r.age, pace[i] * days) for pace in paces], axis=0)
        if r.component.trouble:
            out[i] = np.maximum(out[i], _TROUBLED)
        out[i] = np.maximum(out[i], r.suspected)
    return np.clip(out, 0.0, 1.0)
