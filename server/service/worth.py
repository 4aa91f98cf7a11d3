"""What each machine took in a year (hours of people, parts, standing time) beside what it printed, and whether it is worth going on with.

Minutes are reckoned by what each step takes, never clocked. What speaks for giving a machine up is the core's (`condition.worth`); the lead
decides. Not here: what will be wanted of parts (`stores`).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Literal

from cases import acts
from cases.machines import MachineNow, machines
from cases.mending import known_here
from cases.models import Case, Closing, Observation, SiblingLook, State
from django.db import transaction
from django.db.models import Count, Q, Sum
from django.utils import timezone
from kestov_core import knowledge
from kestov_core.condition.use import Amount
from kestov_core.condition.worth import LASTS_YEARS, Known, Mended, Reason, reasons
from measuring.models import Action, Capture
from people.clock import now
from people.models import AuditEntry, User, audit
from people.refusals import Refused
from workshop import adding, components, tags
from workshop.meters import hours_since
from workshop.models import Component, Deed, LoggedWeek, Printer, PrinterModel

from . import stores, tasks
from .models import Decided, Done, PlannedRound, Price, Quote, Stock

Decision = Literal["keep", "retire", "warranty"]
YEAR = timedelta(days=365)
#: Minutes of what says none itself (typical): a task that is no longer known, a turn, a part that was fitted, a case.
_TASK, _TURN, _FITTED, _CASE = 5.0, 4.0, 15.0, 60.0
#: Conditions that would have to be opened for.
_GRAVE = ("failed", "worn")


@dataclass
class Took:
    """What a machine took: minutes of rounds, of measuring and of cases; parts that were fitted, what those cost whose price is known, and how
    many have none; the days that it stood. Beside that what it printed: hours, and filament (kg) where a log tells.
    """

    rounds: float = 0.0
    measuring: float = 0.0
    cases: float = 0.0
    fitted: int = 0
    parts_cost: Decimal = Decimal(0)
    unpriced: int = 0
    stood_days: float = 0.0
    printed: Amount | None = None
    kg: float | None = None

    @property
    def minutes(self) -> float:
        """All minutes of people."""
        return self.rounds + self.measuring + self.cases


@dataclass(frozen=True)
class Worth:
    """A machine with what it took, what speaks for giving it up, which of that nobody has decided yet, and what was decided last.

    ``repair``: what the repair at hand would cost; ``faults_cost``: what faults cost in the year; ``a_year``: what a year of another costs.
    """

    printer: Printer
    took: Took
    reasons: list[Reason]
    undecided: list[Reason]
    decided: Decided | None
    quote: Quote | None
    repair: float | None
    faults_cost: float | None
    a_year: float | None


def of_machines() -> list[Worth]:
    """All machines of the workshop, those given up last; what wants a decision first."""
    printers = Printer.on_the_floor()
    given_up = list(Printer.objects.filter(retired=True).select_related("area", "model").defer("simulated"))
    took = _took([*printers, *given_up])
    known = _Known(printers, took)
    decided = {
        d.printer_id: d for d in Decided.objects.select_related("by").order_by("printer_id", "-at", "-id").distinct("printer_id")
    }  # fmt: skip
    money, today = stores.settings().money, timezone.localdate(now())
    out = []
    for p in printers:
        facts = known.of(p)
        found = reasons(facts, today, money)
        last = decided.get(p.pk)
        spoke = {tuple(each) for each in last.spoke} if last else set()
        new = [r for r in found if (r.speaks, r.about) not in spoke]
        out.append(
            Worth(
                p, took[p.pk], found, new, last, known.quotes.get(p.pk), facts.repair, facts.faults_cost, facts.a_year
            )
        )
    rest = [Worth(p, took[p.pk], [], [], decided.get(p.pk), None, None, None, None) for p in given_up]
    return [*sorted(out, key=lambda w: (not w.undecided, -w.took.minutes, w.printer.name)), *rest]


def undecided() -> list[Worth]:
    """The machines of which something speaks that the lead has not decided yet."""
    return [w for w in of_machines() if w.undecided]


def _took(printers: Sequence[Printer]) -> dict[int, Took]:
    """What each machine took in the last year."""
    until = now()
    since = until - YEAR
    out = {p.pk: Took() for p in printers}
    _of_rounds(printers, since, out)
    _of_cases(since, out)
    _of_parts(printers, since, out)
    for pk, days in _stood(since, until).items():
        if pk in out:
            out[pk].stood_days = days
    meters = hours_since(printers, since)
    kg = dict(
        LoggedWeek.objects.filter(monday__gte=since.date(), filament_kg__isnull=False)
        .order_by().values_list("printer").annotate(Sum("filament_kg"))
    )  # fmt: skip
    for pk, took in out.items():
        took.printed, took.kg = meters[pk].over(since, until), kg.get(pk)
    return out


def _of_rounds(printers: Sequence[Printer], since: datetime, out: dict[int, Took]) -> None:
    known = tasks.all_of(printers)
    rows = Done.objects.filter(at__gte=since).order_by().values_list("printer", "task").annotate(Count("pk"))
    for pk, task, times in rows:
        if pk in out:
            found = known[pk].tasks.get(task)
            out[pk].rounds += times * (found.minutes if found else _TASK)


def _of_cases(since: datetime, out: dict[int, Took]) -> None:
    """Looks and repairs of cases, and measurements within and outside of them."""
    book, cards = known_here(), knowledge.cards()
    looks = Observation.objects.filter(at__gte=since, withdrawn=False).exclude(check_name="").order_by()
    for pk, check, times in looks.values_list("case__printer", "check_name").annotate(times=Count("at", distinct=True)):
        found = book.checks.get(check)
        # What a procedure ran was kept as a measurement.
        if pk in out and found is not None and found.procedure is None:
            out[pk].cases += times * found.minutes
    done = Action.objects.filter(at__gte=since).order_by()
    for pk, kind, fault, times in done.values_list("printer", "kind", "fault").annotate(Count("pk")):
        if pk in out:
            mends = book.faults.get(fault) if kind == "repair" else None
            out[pk].cases += times * (mends.minutes if mends else _TURN)
    taken = Capture.objects.filter(taken_at__gte=since).order_by()
    counted = {"times": Count("pk"), "in_case": Count("pk", filter=Q(case__isnull=False))}
    for pk, procedure, times, cased in taken.values_list("printer", "procedure").annotate(**counted):
        card = cards.get(procedure)
        if pk in out and card is not None:
            out[pk].cases += cased * card.minutes
            out[pk].measuring += (times - cased) * card.minutes


def _of_parts(printers: Sequence[Printer], since: datetime, out: dict[int, Took]) -> None:
    """Parts that were fitted new. Where no repair of that day tells the minutes, fitting takes its own."""
    models, cost = {p.pk: p.model_id for p in printers}, _Costs()
    mended = set(Action.objects.filter(at__gte=since, kind="repair").values_list("printer", "at__date"))
    fitted = Deed.objects.filter(at__gte=since, did="fitted").exclude(words__startswith=components.CAME_FROM)
    for deed in fitted.select_related("component").only("at", *(f"component__{f}" for f in _SITS)):
        c = deed.component
        if c.printer_id not in out:
            continue
        took, price = out[c.printer_id], cost.of(c, models[c.printer_id])
        took.fitted += 1
        took.unpriced += price is None
        took.parts_cost += price or 0
        if (c.printer_id, deed.at.date()) not in mended:
            took.cases += _FITTED


_SITS = ("printer", "type", "kind", "place")


class _Costs:
    """What parts cost, by the drawers; of a part whose type was not told, by the only drawer that fits it."""

    def __init__(self) -> None:
        self._stocks = list(Stock.objects.all())
        known = {t.pk: t for t in stores.types()} if self._stocks else {}
        for s in self._stocks:
            s.type = known[s.type_id]
        self._by_type = {s.type_id: s for s in self._stocks}

    def drawer(self, c: Component, model_id: int) -> Stock | None:
        """The drawer that serves a part."""
        return self._by_type.get(c.type_id) if c.type_id else stores.only_one(self._stocks, model_id, c.kind, c.place)

    def of(self, c: Component, model_id: int) -> Decimal | None:
        """What another costs; None where nobody told."""
        found = self.drawer(c, model_id)
        return None if found is None else found.cost


def _stood(since: datetime, until: datetime) -> dict[int, float]:
    """Days that machines stood: tagged out, in service with a case, or held until somebody had looked; what overlaps counts once."""
    spans: dict[int, list[tuple[datetime, datetime]]] = defaultdict(list)
    out_since: dict[int, datetime] = {}
    tagged = AuditEntry.objects.filter(what="printer", verb__in=("tagged out", "lifted the tag")).order_by("at", "id")
    for what_id, verb, at in tagged.values_list("what_id", "verb", "at"):
        if verb == "tagged out":
            out_since.setdefault(int(what_id), at)
        elif (began := out_since.pop(int(what_id), None)) is not None:
            spans[int(what_id)].append((began, at))
    for pk, began in out_since.items():
        spans[pk].append((began, until))
    took: dict[str, datetime] = {}
    for what_id, at in AuditEntry.objects.filter(what="case", verb="took", at__gte=since - YEAR).values_list("what_id", "at"):  # fmt: skip
        took[what_id] = min(at, took.get(what_id, at))
    in_hand = Case.objects.exclude(state=State.REPORTED).filter(Q(closed_at=None) | Q(closed_at__gte=since))
    for pk, printer, closed in in_hand.values_list("pk", "printer", "closed_at"):
        if str(pk) in took:
            spans[printer].append((took[str(pk)], closed or until))
    looks = SiblingLook.objects.filter(Q(looked_at=None) | Q(looked_at__gte=since))
    for printer, made, looked in looks.values_list("printer", "made_at", "looked_at"):
        spans[printer].append((made, looked or until))
    return {pk: _together(rows, since, until) for pk, rows in spans.items()}


def _together(rows: Iterable[tuple[datetime, datetime]], since: datetime, until: datetime) -> float:
    """How many days spans cover together within a time."""
    days, reached = 0.0, since
    for begins, ends in sorted(rows):
        begins, ends = max(begins, reached), min(ends, until)
        if ends > begins:
            days += (ends - begins).total_seconds() / 86400
            reached = ends
    return days


class _Known:
    """What is known of machines for weighing whether they are worth going on with."""

    def __init__(self, printers: Sequence[Printer], took: dict[int, Took]) -> None:
        self._took, self._cost = took, _Costs()
        self._hour = stores.settings().hour
        self._prices = {p.model_id: p for p in Price.objects.all()}
        self.quotes = {q.printer_id: q for q in Quote.objects.select_related("by")}
        self._now = {m.printer.pk: m for m in machines(printers)}
        self._mended: dict[int, list[Mended]] = defaultdict(list)
        ended = Case.objects.filter(closing=Closing.VERIFIED, closed_at__gte=now() - 2 * YEAR).exclude(fault="")
        for c in ended.only("printer", "fault", "fault_axis", "closed_at"):
            self._mended[c.printer_id].append(Mended(c.fault, c.fault_axis, timezone.localdate(c.closed_at)))
        self._complaints: dict[int, list[str]] = defaultdict(list)
        seen = Observation.objects.filter(state="present", withdrawn=False).exclude(case__state=State.CLOSED).order_by()
        for pk, finding in seen.values_list("case__printer", "finding").distinct():
            self._complaints[pk].append(finding)
        self._trouble: dict[int, list[Component]] = defaultdict(list)
        rows = Component.objects.filter(removed_on=None, printer__retired=False).exclude(trouble="")
        for part in rows.only("label", *_SITS):
            self._trouble[part.printer_id].append(part)
        # How long a case took here.
        many = Case.objects.filter(closed_at__gte=now() - YEAR).count()
        spent = sum(t.cases for t in took.values())
        self._case = spent / many if many and spent else _CASE

    def of(self, p: Printer) -> Known:
        """What is known of one machine."""
        price = self._prices.get(p.model_id)
        worn = [c for c in self._trouble[p.pk] if (s := self._cost.drawer(c, p.model_id)) and s.ended and not s.here]
        took = self._took[p.pk]
        return Known(
            in_use_since=p.in_use_since,
            warranty_until=p.warranty_until,
            grave=_grave(self._now[p.pk]),
            mended=self._mended[p.pk],
            complaints=self._complaints[p.pk],
            without_spare=[c.label for c in worn],
            repair=self._repair(p),
            faults_cost=self._money(took.cases, took.parts_cost),
            another=None if price is None else float(price.another),
            lasts_years=LASTS_YEARS if price is None else price.lasts_years,
        )

    def _money(self, minutes: float, parts: Decimal) -> float | None:
        """What minutes of people and parts cost together; None where nobody told what an hour costs."""
        return None if self._hour is None and minutes else float(self._hour or 0) * minutes / 60 + float(parts)

    def _repair(self, p: Printer) -> float | None:
        """What the repair at hand costs: as somebody reckoned it, else by the parts in trouble and the minutes of cases here."""
        quote = self.quotes.get(p.pk)
        if quote is not None:
            return self._money(60 * quote.hours, quote.parts)
        parts, cases = self._trouble[p.pk], len(self._now[p.pk].cases)
        if not parts and not cases:
            return None
        price = sum((self._cost.of(c, p.model_id) or Decimal(0) for c in parts), Decimal(0))
        return self._money(_FITTED * len(parts) + self._case * cases, price)


def _grave(m: MachineNow) -> str:
    """What is wrong with a machine that it would have to be opened for; empty where nothing is."""
    if m.printer.tagged_out:
        return f"it is tagged out: {m.printer.tagged_out.rstrip('.')}"
    place = next((p for word in _GRAVE for p in m.condition.places if p.condition == word), None)
    return "" if place is None else place.reason.rstrip(".")


def tell_hour(by: User, hour: Decimal | None) -> None:
    """Tell what an hour of somebody's time costs."""
    row = stores.settings()
    row.pk, row.hour = 1, hour
    row.save()
    audit(by, "changed", row, "An hour of somebody's time has no price." if hour is None else f"An hour of somebody's time costs {hour} {row.money}.")  # fmt: skip


@transaction.atomic
def tell_price(by: User, model_id: int, another: Decimal | None, lasts_years: float) -> None:
    """Tell what another machine of a model costs, and how long one lasts; None: it is not known."""
    model = PrinterModel.objects.select_for_update().filter(pk=model_id).first()
    if model is None:
        raise Refused(404, "not_found", "There is no such model.")
    if another is None:
        Price.objects.filter(model=model).delete()
    else:
        Price.objects.update_or_create(model=model, defaults={"another": another, "lasts_years": lasts_years})
    audit(by, "changed", model, f"Nobody knows what another {model.name} costs." if another is None else f"Another {model.name} costs {another}, and lasts {lasts_years:g} years.")  # fmt: skip


@transaction.atomic
def quote(by: User, printer_id: int, parts: Decimal, hours: float, words: str) -> None:
    """Write down what a repair of a machine would take; of nothing at all, it is reckoned again."""
    printer = tags.locked(printer_id)
    if not parts and not hours:
        Quote.objects.filter(printer=printer).delete()
        audit(by, "changed", printer, f"What a repair of {printer.name} takes is reckoned again.")
        return
    told = {"parts": parts, "hours": hours, "words": words.strip(), "at": now(), "by": by}
    Quote.objects.update_or_create(printer=printer, defaults=told)
    audit(by, "changed", printer, f"A repair of {printer.name} would take {hours:g} hours, and parts for {parts}.")


@transaction.atomic
def decide(by: User, printer_id: int, decided: Decision, why: str) -> None:
    """Decide of a machine: keep it (or take it back), give it up, or send it back under warranty. What speaks now is answered by it."""
    why = why.strip()
    if not why:
        raise Refused(422, "missing_field", "Say why; whoever asks next year will read it.", "why")
    printer = tags.locked(printer_id)
    found = next((w for w in of_machines() if w.printer.pk == printer_id), None)
    if decided == "retire":
        for case in Case.objects.select_for_update(of=("self",)).filter(printer=printer).exclude(state=State.CLOSED):
            acts.close(case, Closing.RETIRED, "", "", "", by)
        PlannedRound.objects.filter(printer=printer, begins__gt=now()).delete()
        Quote.objects.filter(printer=printer).delete()
        adding.retire(by, printer_id, why)
    elif printer.retired and decided == "keep":
        adding.take_back(by, printer_id, why)
    elif printer.retired:
        raise Refused(409, "retired", f"{printer.name} is given up. Take it back first.")
    elif decided == "warranty" and not printer.tagged_out:
        tags.tag_out(printer, by, "Goes back under warranty: do not open it.")
    spoke = [[r.speaks, r.about] for r in found.reasons] if found else []
    Decided.objects.create(printer=printer, decided=decided, why=why, spoke=spoke, at=now(), by=by)
    audit(by, "decided", printer, f"{printer.name}: {_DECIDED[decided]}. {why}")


_DECIDED = {"keep": "kept", "retire": "given up", "warranty": "back under warranty"}
