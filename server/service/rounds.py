"""A round of service: what is due on a machine and why, in the order that does not undo itself, and ticking it off.

A tick is an observation of the parts that the task is done to, and an event where it puts anything in doubt. When a task is due is
reckoned by the core. Not here: who does it when.
"""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from functools import lru_cache
from typing import Literal

from cases import acts
from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone
from kestov_core.condition.use import TYPICAL_KG, TYPICAL_KM, Meter
from kestov_core.knowledge import findings
from kestov_core.knowledge.part_kinds import part_kinds
from kestov_core.knowledge.tasks import BY_MATERIAL, Task
from kestov_core.knowledge.tasks import tasks as came_with
from kestov_core.machine import PLACES
from kestov_core.procedures.service_due import Counted, ServiceDueContext, TaskDone, TaskDue, analyse
from people.clock import now
from people.models import User, audit, name_of
from people.refusals import Refused
from people.telling import tell
from pydantic import BaseModel, ConfigDict
from workshop import components, tags, timeline
from workshop.meters import Meters, hour_of, hours_now, meters_of, since_read
from workshop.models import Component, Deed, Printer, of_these

from . import by_condition, tasks
from .models import Asked, Done
from .tasks import Last

Found = Literal["fine", "needed", "trouble"]
Becomes = Literal["kept", "adjusted", "case"]
#: What falls due within so many days is done with what is due today: the machine is open already.
TOGETHER = timedelta(days=7)


@dataclass(frozen=True)
class Due:
    """A task of a machine with when it is due; ``last``: when it was done last, and by whom; ``rank``: its place in a round; ``fetched``:
    what has to be at hand for it, tools and lubricants by the material of what is there.
    """

    task: Task
    due: TaskDue
    last: Last | None
    rank: int
    fetched: frozenset[str] = frozenset()

    def by(self, day: date) -> bool:
        """Whether it is due until a day."""
        return self.due.due_on is not None and self.due.due_on <= day


def due_on(printer: Printer) -> list[Due]:
    """All tasks of a machine, the most overdue first."""
    m = meters_of(printer)
    parts = by_condition.sitting([printer])
    last = tasks.last_of(Done.objects.filter(printer=printer))
    table = tasks.table(printer.model_id)
    asked = by_condition.asked([printer], {printer.pk: table.tasks}, {printer.pk: m.hours}, last, parts)[printer.pk]
    asked |= {a.task: a.words for a in Asked.objects.filter(printer=printer, cleared_at=None) if a.task}
    used = tuple(_counted(meter, now()) for meter in (m.hours, m.filament, _travel(m)))
    return list(_reckon(_basis(printer, table, parts, last[printer.pk], asked, used, timezone.localdate(now()))))


def due_of(printers: list[Printer]) -> dict[int, list[Due]]:
    """The same of many machines, from a few readings for all of them; filament goes by the hours, and by when it was done last."""
    return {pk: list(_reckoned(basis)) for pk, basis in _bases(printers).items()}


class Summary(BaseModel):
    """How much is due on a machine. ``never``: so many of them nobody ever wrote down; ``worst``: the most overdue of the others;
    ``minutes``: of today's round; ``next_on``: when the first is due.
    """

    model_config = ConfigDict(frozen=True)

    due: int
    never: int
    worst: str
    overdue_by: float | None
    minutes: float
    next_on: date | None


def summaries(printers: list[Printer]) -> dict[int, Summary]:
    """How much is due on each machine."""
    return {pk: _summed(basis) for pk, basis in _bases(printers).items()}


#: Where a meter stands, its use a day, and how uneven that is; None where nobody knows.
_Count = tuple[float, float, float] | None


@dataclass(frozen=True)
class _Basis:
    """All that it rests on when the tasks of a machine are due. ``tasks`` are told by ``version``; ``used``: hours, filament, travel."""

    version: Hashable
    tasks: Mapping[str, Task] = field(compare=False)
    there: frozenset[str]
    last: tuple[tuple[str, Last], ...]
    asked: tuple[tuple[str, str], ...]
    used: tuple[_Count, ...]
    in_use_since: date | None
    today: date


def _basis(
    printer: Printer,
    table: tasks.Table,
    parts: Mapping[int, Sequence[by_condition.Part]],
    last: Mapping[str, Last],
    asked: Mapping[str, str],
    used: tuple[_Count, ...],
    today: date,
) -> _Basis:
    return _Basis(
        table.version,
        table.tasks,
        frozenset(part.kind for part in parts[printer.pk]),
        tuple(sorted(last.items())),
        tuple(sorted(asked.items())),
        used,
        printer.in_use_since,
        today,
    )


def _bases(printers: list[Printer]) -> dict[int, _Basis]:
    """That of many machines, as of the hour that has begun: within it what is worked out holds, until something is done."""
    hours = hours_now(printers)
    theirs = of_these(printers)
    parts = by_condition.sitting(printers)
    # What was counted then is no figure of what is estimated now.
    last = tasks.last_of(Done.objects.filter(theirs), counted=False)
    known = tasks.all_of(printers)
    asked = by_condition.asked(printers, {pk: t.tasks for pk, t in known.items()}, hours, last, parts)
    for a in Asked.objects.filter(theirs, cleared_at=None).exclude(task=""):
        asked[a.printer_id][a.task] = a.words
    today = timezone.localdate(now())
    return {
        p.pk: _basis(
            p, known[p.pk], parts, last.get(p.pk, {}), asked[p.pk], _typically(hours[p.pk], hour_of(p.pk)), today
        )
        for p in printers
    }


def _typically(hours: Meter, hour: datetime) -> tuple[_Count, ...]:
    count = _counted(hours, since_read(hours, hour))
    if count is None:
        return None, None, None
    factors = (1.0, TYPICAL_KG, max(TYPICAL_KM.values()))
    return tuple((f * count[0], f * count[1], f * count[2]) for f in factors)


def _travel(m: Meters) -> Meter:
    """The travel of the axis that goes the farthest."""

    def gone(axis: str) -> float:
        there = m.travel[axis].at(now())
        return there.value if there else 0.0

    return m.travel[max(m.travel, key=gone)] if m.travel else m.hours.scaled(max(TYPICAL_KM.values()))


def round_of(due: list[Due]) -> list[Due]:
    """Today's round: what is due, and what falls due soon beside it, in the order that does not undo itself."""
    today = timezone.localdate(now())
    if not any(d.by(today) for d in due):
        return []
    return sorted((d for d in due if d.by(today + TOGETHER)), key=lambda d: d.rank)


@lru_cache(maxsize=2048)
def _summed(basis: _Basis) -> Summary:
    due = list(_reckoned(basis))
    over = [d for d in due if d.by(basis.today)]
    # Of what nobody ever wrote down nobody knows how long it is over.
    worst = next((d for d in over if d.last is not None), None)
    return Summary(
        due=len(over),
        never=sum(d.last is None for d in over),
        worst="" if worst is None else worst.task.label,
        overdue_by=None if worst is None else worst.due.overdue_by,
        minutes=sum(d.task.minutes for d in round_of(due)),
        next_on=min((d.due.due_on for d in due if d.due.due_on is not None), default=None),
    )


def _reckon(basis: _Basis) -> tuple[Due, ...]:
    """When the tasks of a machine are due, the most overdue first."""
    known, today = basis.tasks, basis.today
    last, asked = dict(basis.last), dict(basis.asked)
    hours, filament, travel = basis.used
    rows = [
        TaskDone(
            task=t.id,
            every_days=t.every_days,
            every_hours=t.every_hours,
            every_kg=t.every_kg,
            every_km=t.every_km,
            # What was entered late is told as of then; others may have done it since.
            last_on=min(today, timezone.localdate(d.at)) if (d := last.get(t.id)) else None,
            last_hours=_under(d.hours, hours) if d else None,
            last_kg=_under(d.kg, filament) if d else None,
            last_km=_under(d.km, travel) if d else None,
            asked=asked.get(t.id, "")[:300],
        )
        for t in known.values()
        if not t.parts or basis.there & set(t.parts)
    ]
    if not rows:
        return ()
    context = ServiceDueContext(
        tasks=rows,
        today=today,
        in_use_since=min(basis.in_use_since, today) if basis.in_use_since else None,
        hours=_told_count(hours),
        filament=_told_count(filament),
        travel=_told_count(travel),
    )
    rank = {t: i for i, t in enumerate(known)}
    return tuple(
        Due(known[d.task], d, last.get(d.task), rank[d.task], _fetched(known[d.task], basis.there))
        for d in analyse(context, None).due
    )


#: What it rests on changes seldom; of a whole floor there are thousands.
_reckoned = lru_cache(maxsize=2048)(_reckon)


def _fetched(task: Task, there: frozenset[str]) -> frozenset[str]:
    """Its tools, and what it is done with: of lubricants those of the kinds of parts that are there."""
    if task.stuff != BY_MATERIAL:
        return frozenset([*task.tools, *([task.stuff] if task.stuff else [])])
    kinds = part_kinds()
    return frozenset(
        [*task.tools, *(kinds[k].stuff for k in task.parts if k in there and k in kinds and kinds[k].stuff)]
    )


def _counted(meter: Meter, moment: datetime) -> _Count:
    there, use = meter.at(moment), meter.use
    return None if there is None or use is None else (there.value, use.a_day, use.u95)


def _told_count(count: _Count) -> Counted | None:
    return None if count is None else Counted(now=count[0], a_day=count[1], a_day_u95=min(count[2], 1e4))


def _under(then: float | None, count: _Count) -> float | None:
    """What a meter stood at then; a later reading may have shown that it was less than was estimated."""
    return None if then is None or count is None else min(then, count[0])


@dataclass(frozen=True)
class Trouble:
    """What becomes of trouble that a round found. ``kept``: the part stays in trouble; ``adjusted``: put right on the spot; ``case``: a
    case is opened with ``finding``.
    """

    becomes: Becomes = "kept"
    component_id: int | None = None
    finding: str = ""


@dataclass(frozen=True)
class Ticked:
    """What a tick wrote: the deed of a part in trouble (a picture can be put to it), and the case that was opened."""

    printer: Printer
    deed: int | None = None
    case: int | None = None


@transaction.atomic
def tick(printer_id: int, task_id: str, found: Found, words: str, user: User, trouble: Trouble = Trouble()) -> Ticked:
    """Write down that a task was done, and what was found; of trouble, in words, in which part, and what becomes of it."""
    printer = tags.locked(printer_id)
    task = tasks.table(printer.model_id).tasks.get(task_id)
    if task is None:
        raise Refused(404, "not_found", "There is no such task.")
    words = words.strip()
    if found == "trouble" and not words:
        raise Refused(422, "missing_field", "Say what is wrong.", "words")
    parts = list(Component.objects.filter(printer=printer, kind__in=task.parts, removed_on=None).order_by("id"))
    in_trouble = _in_trouble(parts, trouble.component_id) if found == "trouble" else None
    m = meters_of(printer)
    hours, kg, km = m.hours.at(now()), m.filament.at(now()), _travel(m).at(now())
    Done.objects.add(
        printer,
        task.id,
        now(),
        label=task.label,
        found=found,
        words=words,
        hours=None if hours is None else hours.value,
        kg=None if kg is None or "filament" in m.typical else kg.value,
        km=None if km is None or m.typical & set(m.travel) else km.value,
        by=user,
    )
    deed = case = None
    if found == "trouble":
        deed, case = _seen_to(printer, task, in_trouble, words, trouble, user)
    elif found != "trouble":
        components.served(printer, [p.pk for p in parts], _lubricants(task, parts), user)
    if task.upsets is not None and found == "needed":
        tags.happened(printer, task.upsets, 0.0, user, task.label)
    Asked.objects.filter(printer=printer, task=task.id, cleared_at=None).update(cleared_at=now(), cleared_by=user)
    tell("printer", printer.pk)
    return Ticked(printer, deed, case)


def _seen_to(
    printer: Printer, task: Task, part: Component | None, words: str, trouble: Trouble, user: User
) -> tuple[int | None, int | None]:
    """Write down trouble in a part and what becomes of it: its deed, and the case."""
    deed = case = None
    if part is not None:
        components.inspect(part.pk, "trouble", words, user)
        deed = Deed.objects.filter(component=part).latest("pk").pk
    if trouble.becomes == "adjusted":
        kind = part_kinds().get(part.kind) if part is not None else None
        if part is None or kind is None or "adjust" not in kind.can:
            raise Refused(422, "out_of_range", "That cannot be put right by adjusting it: open a case, or replace it.", "becomes")  # fmt: skip
        components.adjust(part.pk, words, user)
    elif trouble.becomes == "case":
        if not trouble.finding:
            raise Refused(422, "missing_field", "Say what it is.", "finding")
        case = acts.report(printer, _as_seen(trouble.finding, part), f"{task.label}: {words}", "", user).pk
    return deed, case


def _as_seen(finding: str, part: Component | None) -> acts.Seen:
    """A finding at the place of a part, where such a finding has one."""
    kind = findings().get(finding)
    placed = part is not None and kind is not None and kind.placed is not None and part.place in PLACES
    return acts.Seen(finding=finding, axis=part.place if placed and part is not None else "")


def _lubricants(task: Task, parts: list[Component]) -> dict[int, str]:
    """With what each part is lubricated, by its material; only those that are."""
    if task.stuff != BY_MATERIAL:
        return {}
    kinds = part_kinds()
    return {p.pk: kinds[p.kind].lubricant for p in parts if p.kind in kinds and "lubricate" in kinds[p.kind].can}


def _in_trouble(parts: list[Component], component_id: int | None) -> Component | None:
    """Which part trouble was found in; None for a task that is done to none."""
    if not parts:
        return None
    if component_id is None and len(parts) == 1:
        return parts[0]
    found = next((p for p in parts if p.pk == component_id), None)
    if found is None:
        raise Refused(422, "missing_field", "Say in which of them.", "component_id")
    return found


@transaction.atomic
def asks(printer_id: int, words: str, task_id: str, user: User) -> Printer:
    """Write down what a machine itself asks for; what it means is due at once."""
    printer = tags.locked(printer_id)
    if task_id and task_id not in tasks.table(printer.model_id).tasks:
        raise Refused(422, "out_of_range", "Choose one of the listed tasks, or none.", "task")
    if not words.strip():
        raise Refused(422, "missing_field", "Write down what it says.", "words")
    Asked.objects.create(printer=printer, words=words.strip(), task=task_id, at=now(), by=user)
    return printer


@transaction.atomic
def clear(asked_id: int, user: User) -> Printer:
    """What a machine asked for was done, and cleared on it."""
    row = Asked.objects.select_for_update(of=("self",)).select_related("printer").filter(pk=asked_id).first()
    if row is None:
        raise Refused(404, "not_found", "There is no such message.")
    if row.cleared_at is not None:
        raise Refused(409, "cleared", "It was cleared already.")
    row.cleared_at, row.cleared_by = now(), user
    row.save(update_fields=["cleared_at", "cleared_by"])
    audit(user, "cleared", row.printer, f"Cleared on {row.printer.name}: {row.words}")
    tell("printer", row.printer_id)
    return row.printer


def _rounds(asked: timeline.Asked) -> QuerySet[Done]:
    rows = Done.objects.filter(printer=asked.printer)
    return rows.none() if asked.place or asked.case is not None else rows


_SAID = {"fine": "all fine", "needed": "it was wanted", "trouble": "trouble"}


@timeline.register(lambda asked: [(_rounds(asked), "at")])
def _told(asked: timeline.Asked) -> list[timeline.Line]:
    rows = asked.newest(_rounds(asked).select_related("by"), "at")
    return [timeline.Line(at=d.at, who=name_of(d.by), kind="happened", words=_words(d)) for d in rows]


def _words(d: Done) -> str:
    came = came_with().get(d.task)
    return f"Round: {d.label or (came.label if came else d.task)}: {_SAID.get(d.found, d.found)}{f'. {d.words}' if d.words else ''}"
