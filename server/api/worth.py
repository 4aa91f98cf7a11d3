"""Minutes and money: what each machine took in a year, what speaks for giving it up, and what the lead decides."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from typing import Annotated, Literal

from django.utils import timezone
from kestov_core.condition.worth import LASTS_YEARS, Speaks
from ninja import Field, Router
from people.clock import now
from people.models import name_of
from service import stores, worth
from service.models import Decided, Price, Quote
from workshop import adding
from workshop.models import PrinterModel

from .once import once
from .permissions import may
from .problems import Problem
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["service"])
Money = Annotated[Decimal, Field(ge=0, le=Decimal(9_999_999), decimal_places=2)]


class ReasonOut(Shape):
    """What speaks for not going on as before; ``undecided``: the lead has not decided since it does."""

    speaks: Speaks
    words: str
    undecided: bool


class DecidedOut(Shape):
    decided: worth.Decision
    why: str
    at: datetime
    by: str


class QuoteOut(Shape):
    """What a repair would take, as somebody has told it."""

    parts: Decimal
    hours: float
    words: str
    at: datetime
    by: str


class MachineTook(Shape):
    """What a machine took in a year: minutes of people, parts (``unpriced`` of them have no price), days that it stood; beside it what it
    printed (``printed_hours`` give or take ``printed_u95``; ``kg`` where logs tell).

    ``repair``: what the repair at hand costs; ``faults_cost``: what faults cost in the year; ``a_year``: what a year of another one costs.
    """

    printer_id: int
    printer: str
    area: str
    model_id: int
    retired: bool
    rounds: float
    measuring: float
    cases: float
    fitted: int
    parts_cost: Decimal
    unpriced: int
    stood_days: float
    printed_hours: float | None
    printed_u95: float | None
    kg: float | None
    reasons: list[ReasonOut]
    decided: DecidedOut | None
    warranty_until: date | None
    quote: QuoteOut | None
    repair: float | None
    faults_cost: float | None
    a_year: float | None


class ModelPrice(Shape):
    """What another machine of a model costs (null: nobody told), and how long one lasts."""

    model_id: int
    model: str
    another: Decimal | None
    lasts_years: float


class WorthOut(Shape):
    """All machines with what they took since a day; what an hour of somebody's time costs (null: not told), in which money."""

    since: date
    machines: list[MachineTook]
    models: list[ModelPrice]
    hour: Decimal | None
    money: str


def _worth() -> WorthOut:
    settled = stores.settings()
    prices = {p.model_id: p for p in Price.objects.all()}
    return WorthOut(
        since=timezone.localdate(now() - worth.YEAR),
        machines=[_machine(w) for w in worth.of_machines()],
        models=[_price(m, prices.get(m.pk)) for m in PrinterModel.objects.defer("description")],
        hour=settled.hour,
        money=settled.money,
    )


def _price(model: PrinterModel, price: Price | None) -> ModelPrice:
    another, lasts = (price.another, price.lasts_years) if price else (None, LASTS_YEARS)
    return ModelPrice(model_id=model.pk, model=model.name, another=another, lasts_years=lasts)


def _machine(w: worth.Worth) -> MachineTook:
    p, t = w.printer, w.took
    return MachineTook(
        printer_id=p.pk,
        printer=p.name,
        area=p.area.name,
        model_id=p.model_id,
        retired=p.retired,
        rounds=t.rounds,
        measuring=t.measuring,
        cases=t.cases,
        fitted=t.fitted,
        parts_cost=t.parts_cost,
        unpriced=t.unpriced,
        stood_days=t.stood_days,
        printed_hours=t.printed.value if t.printed else None,
        printed_u95=t.printed.u95 if t.printed else None,
        kg=t.kg,
        reasons=[ReasonOut(speaks=r.speaks, words=r.words, undecided=r in w.undecided) for r in w.reasons],
        decided=_decided(w.decided),
        warranty_until=p.warranty_until,
        quote=_quote(w.quote),
        repair=w.repair,
        faults_cost=w.faults_cost,
        a_year=w.a_year,
    )


def _decided(d: Decided | None) -> DecidedOut | None:
    return DecidedOut(decided=d.decided, why=d.why, at=d.at, by=name_of(d.by)) if d else None  # type: ignore[arg-type]


def _quote(q: Quote | None) -> QuoteOut | None:
    return QuoteOut(parts=q.parts, hours=q.hours, words=q.words, at=q.at, by=name_of(q.by)) if q else None


@router.get("/service/worth", auth=may("worth.see"), response=WorthOut, operation_id="worth.see")
def see(request: SignedIn):
    """What each machine took in the last year, and what speaks for giving it up."""
    return _worth()


class HourIn(Shape):
    """What an hour of somebody's time costs; null: nobody tells."""

    hour: Annotated[Decimal, Field(ge=0, le=Decimal(99_999), decimal_places=2)] | None


@router.post("/service/worth/hour", auth=may("worth.decide"), response=WorthOut, operation_id="worth.hour")
@once
def hour(request: SignedIn, payload: HourIn):
    """Tell what an hour of somebody's time costs."""
    worth.tell_hour(request.user, payload.hour)
    return _worth()


class PriceIn(Shape):
    """What another machine of a model costs (null: nobody tells), and for how many years one lasts."""

    model_id: int
    another: Money | None
    lasts_years: float = Field(LASTS_YEARS, ge=0.5, le=50)


@router.post("/service/worth/price", auth=may("worth.decide"), response=WorthOut, operation_id="worth.price")
@once
def price(request: SignedIn, payload: PriceIn):
    """Tell what another machine of a model costs."""
    worth.tell_price(request.user, payload.model_id, payload.another, payload.lasts_years)
    return _worth()


class QuoteIn(Shape):
    """What a repair would take; of neither parts nor hours it is reckoned again."""

    printer_id: int
    parts: Money = Decimal(0)
    hours: float = Field(0.0, ge=0, le=1000)
    words: str = Field("", max_length=200)


@router.post("/service/worth/quote", auth=may("worth.reckon"), response=WorthOut, operation_id="worth.quote")
@once
def quote(request: SignedIn, payload: QuoteIn):
    """Write down what a repair of a machine would take."""
    p = payload
    worth.quote(request.user, p.printer_id, p.parts, p.hours, p.words)
    return _worth()


class WarrantyIn(Shape):
    printer_id: int
    until: date | None


@router.post("/service/worth/warranty", auth=may("worth.decide"), response=WorthOut, operation_id="worth.warranty")
@once
def warranty(request: SignedIn, payload: WarrantyIn):
    """Tell until when a machine is under its maker's warranty."""
    if payload.until is not None and not 2000 <= payload.until.year <= 2100:
        raise Problem(422, "out_of_range", "Choose a day of this century.", "until")
    adding.tell_warranty(request.user, payload.printer_id, payload.until)
    return _worth()


class DecideIn(Shape):
    printer_id: int
    decided: Literal["keep", "retire", "warranty"]
    why: str = Field("", max_length=300)


@router.post("/service/worth/decide", auth=may("worth.decide"), response=WorthOut, operation_id="worth.decide")
@once
def decide(request: SignedIn, payload: DecideIn):
    """Decide of a machine: keep it, give it up, or send it back under warranty."""
    worth.decide(request.user, payload.printer_id, payload.decided, payload.why)
    return _worth()
