"""The tasks of service as this workshop has them: a maker's list before the workshop's own, that before the typical; and what rounds tell of them."""

from __future__ import annotations

import dataclasses
from collections import defaultdict
from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from typing import Any, Literal, NamedTuple

from django.db import transaction
from django.db.models import Max, Model, Q, QuerySet
from kestov_core.condition.intervals import Learned, Seen, learned
from kestov_core.errors import BadInput
from kestov_core.knowledge import tasks as core
from kestov_core.knowledge.part_kinds import part_kinds
from kestov_core.knowledge.tasks import Every, Task, TaskMended
from people.clock import Seconds, now
from people.models import User, audit
from people.refusals import Refused
from pydantic import ValidationError
from workshop.models import Printer, PrinterModel

from .models import Done, OwnTask, TaskMend

Source = Literal["typical", "workshop", "maker"]
#: Rounds that are older tell nothing of today's machines.
_LATE = timedelta(days=730)
#: So many tasks of its own a workshop has at most, and rounds that are looked at for an interval.
MOST_OWN, _ROUNDS = 100, 6_000


@dataclass(frozen=True)
class Table:
    """The tasks of a model (or of the workshop) in their order. ``held``: what is otherwise, by task and field, its own or the workshop's;
    ``version``: of two with the same one all is the same.
    """

    version: Hashable
    tasks: dict[str, Task]
    below: dict[str, Task]
    held: dict[tuple[str, str], TaskMend]
    own: dict[str, OwnTask]

    def source(self, task_id: str) -> Source:
        """Where a task's interval is from."""
        row = self.held.get((task_id, "every")) or self.own.get(task_id)
        return "typical" if row is None else "workshop" if row.model_id is None else "maker"


def table(model_id: int | None) -> Table:
    """The tasks of the machines of a model; None: the workshop's own, for models of whose maker nothing was told."""
    return tables([model_id])[model_id]


def tables(model_ids: Iterable[int | None]) -> dict[int | None, Table]:
    """The same of several models, from the same few rows."""
    wanted = set(model_ids)
    of_these = Q(model=None) | Q(model__in=[m for m in wanted if m is not None])
    rows: dict[int | None, dict[tuple[str, str], TaskMend]] = defaultdict(dict)
    newest = TaskMend.objects.filter(of_these).order_by("task", "model_id", "field", "-at", "-id")
    for m in newest.distinct("task", "model_id", "field"):
        if m.value is not None and (m.field in TaskMended.model_fields or m.field == "order"):
            rows[m.model_id][m.task, m.field] = m
    own = list(OwnTask.objects.filter(of_these))
    return {m: _table(m, rows, own) for m in wanted}


def _table(model_id: int | None, rows: dict[int | None, dict[tuple[str, str], TaskMend]], own: list[OwnTask]) -> Table:
    mine = {o.task_id: o for o in own if o.model_id in (None, model_id)}
    added = [Task.model_validate({**o.told, "id": name}) for name, o in mine.items()]
    shop = rows.get(None, {})
    layers = [_laid(shop)]
    below = core.table([] if model_id is None else layers, added)
    if model_id is not None:
        layers.append(_laid(rows.get(model_id, {})))
    held = {**shop, **(rows.get(model_id, {}) if model_id is not None else {})}
    # A maker's order goes before the workshop's.
    arranged = held.get(("", "order"))
    order: list[str] = arranged.value or [] if arranged else []
    try:
        found = core.table(layers, added, order)
    except BadInput:
        # What this Kestov knows of the order is newer than what was told.
        found = core.table(layers, added)
    # Of what was changed or added nothing is ever overwritten.
    changed = [*shop.values(), *(rows.get(model_id, {}).values() if model_id is not None else ())]
    version = (model_id, *((m.pk, m.at) for m in changed), *((o.pk, o.at) for o in mine.values()))
    return Table(version, found, below, held, mine)


def _laid(rows: dict[tuple[str, str], TaskMend]) -> dict[str, TaskMended]:
    told: dict[str, dict[str, Any]] = defaultdict(dict)
    for (task, field), m in rows.items():
        if task:
            told[task][field] = m.value
    return {task: TaskMended.model_validate(fields) for task, fields in told.items()}


def _model(model_id: int | None) -> PrinterModel | None:
    if model_id is None:
        return None
    found = PrinterModel.objects.filter(pk=model_id).first()
    if found is None:
        raise Refused(404, "not_found", "There is no such model.")
    return found


@transaction.atomic
def mend(
    by: User, task_id: str, model_id: int | None, told: TaskMended, back: Iterable[str] = (), why: str = ""
) -> None:
    """Change a task for the workshop, or as a model's maker has it; ``back``: fields that are again as they are below."""
    model, here = _model(model_id), table(model_id)
    below = here.below.get(task_id) or core.tasks().get(task_id)
    if below is None:
        raise Refused(404, "not_found", "There is no such task.")
    changes: dict[str, Any] = {f: v for f, v in told.model_dump(mode="json").items() if v is not None}
    for field, value in list(changes.items()):
        if value == _as_told(below, field):
            changes[field] = None
    changes |= dict.fromkeys(back)
    before = {f: m.value for (t, f), m in here.held.items() if t == task_id and m.model_id == model_id}
    changes = {f: v for f, v in changes.items() if v != before.get(f)}
    if not changes:
        raise Refused(422, "missing_field", "Nothing of it was changed.", "mend")
    _write(by, below, model, changes, why, before)


def _as_told(task: Task, field: str) -> Any:
    if field == "off":
        return False
    value = getattr(task, field)
    return value.model_dump(mode="json") if isinstance(value, Every) else value


def _write(by: User, task: Task, model: PrinterModel | None, changes: dict[str, Any], why: str, before: Any) -> None:
    rows = [
        TaskMend(task=task.id, model=model, field=f, value=v, why=why.strip(), by=by, at=now())
        for f, v in changes.items()
    ]
    TaskMend.objects.bulk_create(rows)
    named = ", ".join(TaskMended.model_fields[f].title or f for f in changes)
    whose = f"As the maker of {model.name} has it" if model else "For the workshop"
    reason = f" {why.strip()}" if why.strip() else ""
    audit(by, "mended", rows[0], f"{whose}, “{task.label}”: {named}.{reason}", before=before)


@transaction.atomic
def arrange(by: User, order: Sequence[str], why: str = "", model_id: int | None = None) -> None:
    """Put the tasks of a round in another order, for the workshop or as a model's maker has it; refused where a task would come after one
    that it undoes. Empty: as it is below.
    """
    model, here = _model(model_id), table(model_id)
    if unknown := [t for t in order if t not in here.tasks]:
        raise Refused(422, "out_of_range", f"There is no task “{unknown[0]}”.", "order")
    try:
        core.table(own=[here.tasks[t] for t in here.own if t in here.tasks], order=order)
    except BadInput as e:
        raise Refused(422, e.code, e.message, "order") from e
    row = TaskMend.objects.create(
        task="", model=model, field="order", value=list(order) or None, why=why.strip(), by=by, at=now()
    )
    whose = f"As the maker of {model.name} has it" if model else "For the workshop"
    order_is = "another order" if order else "the order in which they came"
    audit(by, "mended", row, f"{whose}, the tasks of a round: in {order_is}.")


@transaction.atomic
def add(by: User, model_id: int | None, told: dict[str, Any]) -> OwnTask:
    """Add a task: the workshop's own, or one of a maker's list for a model."""
    model = _model(model_id)
    try:
        task = Task.model_validate({**told, "id": "own"})
        _ = task.every
    except ValidationError as e:
        first = e.errors()[0]
        field = ".".join(str(p) for p in first["loc"]) or "every"
        raise Refused(422, "out_of_range", first["msg"].removeprefix("Value error, "), field) from e
    if unknown := [k for k in task.parts if k not in part_kinds()]:
        raise Refused(422, "out_of_range", f"“{unknown[0]}” is no kind of part.", "parts")
    if OwnTask.objects.count() >= MOST_OWN:
        raise Refused(409, "too_many", f"There are {MOST_OWN} tasks of your own already.")
    row = OwnTask.objects.create(model=model, told=task.model_dump(mode="json", exclude={"id"}), by=by, at=now())
    audit(by, "added", row, f"Added the task “{task.label}”{f' for {model.name}' if model else ''}.")
    return row


@dataclass(frozen=True)
class Proposal:
    """What rounds tell of an interval: how often instead, and in words why."""

    learned: Learned
    every: Every
    why: str


def proposals(model_id: int | None, here: Table | None = None) -> dict[str, Proposal]:
    """Intervals that the rounds speak against, by task: of a model as its maker has it, or the workshop's of all machines that go by it."""
    here = here or table(model_id)
    newest = (_newest(Done), _newest(TaskMend), now().date())
    return dict(_proposed(_Basis(model_id, here.version, newest, here)))


def _newest(table_: type[Model]) -> int:
    key: int | None = table_._default_manager.aggregate(newest=Max("pk"))["newest"]
    return key or 0


@dataclass(frozen=True)
class _Basis:
    """What it rests on what the rounds tell of the tasks ``here``, which are told by ``version``; ``newest``: rounds, changes, the day."""

    model_id: int | None
    version: Hashable
    newest: Hashable
    here: Table = dataclasses.field(compare=False)


@lru_cache(maxsize=64)
def _proposed(basis: _Basis) -> dict[str, Proposal]:
    model_id, here = basis.model_id, basis.here
    rows = Done.objects.all() if model_id is None else Done.objects.filter(printer__model=model_id)
    told = _rounds(rows)
    # Machines of models whose makers have an interval of their own tell nothing of the workshop's.
    of_model = tables({model for _, _, model, *_ in told})
    rounds: dict[str, list[Seen]] = defaultdict(list)
    before: dict[tuple[int, str], _Then] = {}
    for task, printer, model, found, *then in told:
        last, before[printer, task] = before.get((printer, task)), _Then(*then)
        if last is None or task not in here.tasks or (of_model[model].source(task) == "maker") is (model_id is None):
            continue
        changed = here.held.get((task, "every"))
        if changed is not None and before[printer, task].at < changed.at.timestamp():
            continue
        share = _share(here.tasks[task].every, last, before[printer, task])
        if share > 0:
            rounds[task].append(Seen(share, found != "fine"))
    out = {}
    for task, seen in rounds.items():
        every = here.tasks[task].every
        what = learned(seen, _already(every, here.below.get(task)), model_id is None)
        if what.way != "keep" and (other := every.times(what.factor)) != every:
            out[task] = Proposal(what, other, _why(what))
    return out


class _Then(NamedTuple):
    """When a task was done (seconds since 1970), and what the meters stood at."""

    at: float
    hours: float | None
    kg: float | None
    km: float | None


def _rounds(rows: QuerySet[Done]) -> list[tuple[Any, ...]]:
    """Task, machine, its model, what was found, and when at which meters; the oldest first."""
    late = rows.filter(at__gte=now() - _LATE).order_by("-at", "-id")
    told = late.values_list("task", "printer", "printer__model", "found", Seconds("at"), "hours", "kg", "km")[:_ROUNDS]
    return list(told)[::-1]


def _share(every: Every, before: _Then, then: _Then) -> float:
    """How much of an interval had gone: of whichever came first."""
    gone = [((then.at - before.at) / 86400, every.days)]
    for a, b, of in zip(before[1:], then[1:], (every.hours, every.kg, every.km), strict=True):
        if a is not None and b is not None:
            gone.append((b - a, of))
    return max((g / of for g, of in gone if of is not None), default=0.0)


def _already(every: Every, came: Task | None) -> float:
    """By how much an interval is stretched over what it came as."""
    if came is None:
        return 1.0
    pairs = [(now_, then) for (_, now_), (_, then) in zip(every, came.every, strict=True) if now_ and then]
    return max((a / b for a, b in pairs), default=1.0)


def _why(what: Learned) -> str:
    n, k = f"{what.rounds} rounds, over {what.over:.0f} intervals,", what.finds
    if what.way == "stretch":
        found = "none found anything" if k == 0 else f"{k} found anything"
        return f"Of {n} {found}: it can wait longer."
    return f"Of {n} {k} found something: by then it is late."


@transaction.atomic
def accept(by: User, task_id: str, model_id: int | None) -> None:
    """Take what the rounds tell of an interval."""
    model, here = _model(model_id), table(model_id)
    found = proposals(model_id, here).get(task_id)
    if found is None:
        raise Refused(409, "nothing_proposed", "The rounds no longer speak against this interval.")
    held = here.held.get((task_id, "every"))
    before = {} if held is None else {"every": held.value}
    _write(by, here.tasks[task_id], model, {"every": found.every.model_dump(mode="json")}, found.why, before)


def all_of(printers: Iterable[Printer]) -> dict[int, Table]:
    """The tasks of machines, by machine."""
    rows = list(printers)
    found = tables({p.model_id for p in rows})
    return {p.pk: found[p.model_id] for p in rows}


class Last(NamedTuple):
    """How a task was done last: when (seconds since 1970), by whom (None: the account is gone), what was found, and what the meters stood at."""

    then: float
    by: str | None
    found: str
    hours: float | None
    kg: float | None
    km: float | None

    @property
    def at(self) -> datetime:
        """When it was done."""
        return datetime.fromtimestamp(self.then, UTC)


def last_of(rows: QuerySet[Done], counted: bool = True) -> dict[int, dict[str, Last]]:
    """How each task was done last, by machine and task. ``counted`` false: without who, filament and travel."""
    out: dict[int, dict[str, Last]] = defaultdict(dict)
    names = ("by__name", "kg", "km") if counted else ()
    told = rows.filter(newest=True).order_by()
    for printer, task, then, found, hours, *more in told.values_list(
        "printer", "task", Seconds("at"), "found", "hours", *names
    ):
        by, kg, km = more or (None, None, None)
        out[printer][task] = Last(then, by, found, hours, kg, km)
    return out
