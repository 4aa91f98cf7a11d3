"""service-due: when a task of service is due, and because of what: time, hours, filament, travel, whichever comes first, or condition.

Hours, filament and travel run on at the machine's use of late; how uneven that is tells how far the day may be off.
Not here: which tasks there are (``knowledge/tasks.toml``), and fitting them into anybody's week.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from datetime import date, timedelta
from typing import Annotated, Literal

from pydantic import Field

from ..asking import Asked
from ..errors import BadInput
from ..quantities import Quantity
from .base import Context, Part, Procedure, Result

Because = Literal["time", "hours", "filament", "travel", "condition"]
#: No further ahead than this (days) is a day named.
_FAR = 3650
Amount = Annotated[float, Field(ge=0, le=1e7)]
Interval = Annotated[float, Field(gt=0, le=1e6)]


class Counted(Part):
    """A meter: where it stands, and how much a day it goes on, with how uneven that is."""

    now: Amount
    a_day: Annotated[float, Field(ge=0, le=1e4)]
    a_day_u95: Annotated[float, Field(ge=0, le=1e4)] = 0.0


class TaskDone(Part):
    """A task: its intervals, and when it was last done with what the meters showed then (null: not known).

    ``asked``: why it is due at once, whatever the intervals say (the machine's own message, a condition); empty: it is not.
    """

    task: Annotated[str, Field(min_length=1, max_length=60)]
    every_days: Annotated[float, Field(ge=1, le=3650)] | None = None
    every_hours: Interval | None = None
    every_kg: Interval | None = None
    every_km: Interval | None = None
    last_on: date | None = None
    last_hours: Amount | None = None
    last_kg: Amount | None = None
    last_km: Amount | None = None
    asked: Annotated[str, Field(max_length=300)] = ""


class ServiceDueContext(Context):
    """The tasks of one machine, the day, and its meters. ``in_use_since``: from then on a task counts that was never done."""

    tasks: Annotated[list[TaskDone], Field(min_length=1, max_length=400), Asked("Tasks")]
    today: Annotated[date, Asked("Today")]
    in_use_since: Annotated[date | None, Asked("In use since")] = None
    hours: Annotated[Counted | None, Asked("Hours of print")] = None
    filament: Annotated[Counted | None, Asked("Filament, kg")] = None
    travel: Annotated[Counted | None, Asked("Travel, km")] = None


class TaskDue(Part):
    """When a task is due. ``soonest``, ``latest``: where the machine's use may bring it (latest null: far off); ``because``: what comes first.

    ``due_on`` null: no interval reaches it, as on a machine that stands still. ``overdue_by``: days (under zero: so many are left).
    ``used``: how much of the interval that comes first is used up (1: all of it). ``why``: in words.
    """

    task: str
    due_on: date | None
    soonest: date | None
    latest: date | None
    because: Because
    overdue_by: float | None
    used: float | None
    why: str


class ServiceDueResult(Result):
    """All tasks, the most overdue first; what is never due last."""

    procedure: Literal["service-due"] = "service-due"
    due: list[TaskDue]


def analyse(context: ServiceDueContext, data: bytes | None) -> ServiceDueResult:
    """When each task is due.

    Parameters
    ----------
    context : ServiceDueContext
        Tasks with intervals (days, hours of print, kg, km) and when they were last done; the day; the meters.

    Returns
    -------
    ServiceDueResult
        Each task with the day, why that day, and by how much it is over (days).

    Raises
    ------
    BadInput
        ``missing_field`` for a task without any interval and without being asked for; ``out_of_range`` for one done in the future, or at
        more than its meter shows now.

    Examples
    --------
    >>> task = {"task": "wipe", "every_days": 14, "every_hours": 60, "last_on": "2026-02-20", "last_hours": 100}
    >>> hours = {"now": 130, "a_day": 6.0, "a_day_u95": 2.0}
    >>> found = analyse(ServiceDueContext.model_validate({"tasks": [task], "today": "2026-02-25", "hours": hours}), None)
    >>> found.due[0].due_on, found.due[0].because
    (datetime.date(2026, 3, 2), 'hours')
    """
    result = ServiceDueResult(verdict="not_judged", due=[])
    rows = [_due(i, task, context) for i, task in enumerate(context.tasks)]
    result.due = sorted(rows, key=lambda d: (d.due_on is None, -(d.overdue_by or 0.0), d.task))
    first = result.due[0]
    if first.overdue_by is not None:
        words = f"Most overdue: {first.task}" if first.overdue_by > 0 else f"Next: {first.task}"
        result.judge(words, Quantity(value=first.overdue_by, unit="d"))
    return result


def _due(i: int, task: TaskDone, context: ServiceDueContext) -> TaskDue:
    if task.last_on is not None and task.last_on > context.today:
        raise BadInput(
            "out_of_range", f"“{task.task}” was last done on a day that is still to come.", f"tasks.{i}.last_on"
        )
    if task.asked:
        return TaskDue(
            task=task.task, due_on=context.today, soonest=context.today, latest=context.today,
            because="condition", overdue_by=0.0, used=None, why=task.asked,
        )  # fmt: skip
    if all(every is None for every in (task.every_days, task.every_hours, task.every_kg, task.every_km)):
        raise BadInput("missing_field", f"“{task.task}” has no interval.", f"tasks.{i}.every_days")
    ways = list(_ways(i, task, context))
    if not ways:
        why = "Counted by a meter that nobody has read, or that stands still."
        return TaskDue(task=task.task, due_on=None, soonest=None, latest=None, because="time", overdue_by=None, used=None, why=why)  # fmt: skip
    left, _, _, used, because, why = min(ways, key=lambda w: w[0])
    # Any of the others may come first as well.
    soonest, latest = min(w[1] for w in ways), min(w[2] for w in ways)
    return TaskDue(
        task=task.task,
        due_on=_day(context.today, left),
        soonest=_day(context.today, soonest),
        latest=_day(context.today, latest),
        because=because,
        overdue_by=-left if left < _FAR else None,
        used=used,
        why=why,
    )


#: Days left, at the soonest, at the latest; share used; because of what; in words.
_Way = tuple[float, float, float, float, Because, str]


def _ways(i: int, task: TaskDone, context: ServiceDueContext) -> Iterator[_Way]:
    """Each way in which a task becomes due."""
    began = task.last_on or context.in_use_since
    if task.every_days is not None:
        if began is None:
            yield 0.0, 0.0, 0.0, 1.0, "time", "Never done, as far as anybody wrote down."
        else:
            ago = (context.today - began).days
            left = task.every_days - ago
            since = "since it was last done" if task.last_on is not None else "since the machine came, and never done"
            yield left, left, left, ago / task.every_days, "time", f"{ago} days {since}; every {task.every_days:g}."
    counted: tuple[tuple[Because, str, float | None, float | None, Counted | None, str], ...] = (
        ("hours", "h", task.every_hours, task.last_hours, context.hours, "last_hours"),
        ("filament", "kg", task.every_kg, task.last_kg, context.filament, "last_kg"),
        ("travel", "km", task.every_km, task.last_km, context.travel, "last_km"),
    )
    for because, unit, every, last, meter, field in counted:
        if every is None or meter is None:
            continue
        if last is not None and last > meter.now * (1 + 1e-9):
            raise BadInput("out_of_range", f"“{task.task}” was done at more than its meter shows now.", f"tasks.{i}.{field}")  # fmt: skip
        used = meter.now - _then(last, task, context, meter)
        left, soonest, latest, share, why, words = _at_its_use(because, unit, every, used, meter)
        # It cannot have been over for longer than since it was done.
        longest = -float((context.today - task.last_on).days) if task.last_on is not None else -math.inf
        yield max(left, longest), max(soonest, longest), max(latest, longest), share, why, words


def _then(last: float | None, task: TaskDone, context: ServiceDueContext, meter: Counted) -> float:
    """What a meter stood at when a task was last done: as read, else by the use since; of one never done, at nothing."""
    if last is not None:
        return last
    if task.last_on is None:
        return 0.0
    return max(0.0, meter.now - meter.a_day * (context.today - task.last_on).days)


def _at_its_use(because: Because, unit: str, every: float, used: float, meter: Counted) -> _Way:
    left = every - used

    def days(a_day: float) -> float:
        if a_day <= 0:
            return 0.0 if left <= 0 else math.inf
        return left / a_day

    slow, fast = max(0.0, meter.a_day - meter.a_day_u95), meter.a_day + meter.a_day_u95
    # What is left runs out the sooner the faster; what is over has been so the longer the slower, at no time before it was begun.
    ends = sorted((days(slow), days(fast))) if left > 0 else [days(meter.a_day)] * 2
    why = f"{used:.3g} {unit} since it was last done; every {every:g}."
    return days(meter.a_day), ends[0], ends[1], used / every, because, why


def _day(today: date, left: float) -> date | None:
    """The day so many days ahead: the last whole one before it runs out; none where that is far off, at the least ten years ago."""
    if left > _FAR:
        return None
    return today + timedelta(days=math.floor(max(left, -_FAR) + 1e-9))


PROCEDURE = Procedure("service-due", "What is due", ServiceDueContext, ServiceDueResult, analyse)
