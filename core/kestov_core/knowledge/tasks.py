"""The tasks of service as data (``tasks.toml``, checked on load), in the order of a round, which does not undo itself.

A maker's own list goes before a workshop's, and that before the typical: what either changes is laid over it field by field.
"""

from __future__ import annotations

import tomllib
from collections.abc import Iterable, Mapping, Sequence
from functools import cache
from pathlib import Path
from typing import Annotated, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field, model_validator

from ..errors import BadInput
from . import cards, events, findings
from .part_kinds import part_kinds

_HERE = Path(__file__).parent
State = Literal["unplugged", "cold", "powered", "hot"]
#: What is done before what. Unplugged work is together; guides go before screws (or grease is wiped onto rods), the machine's own
#: calibration and the test part come last.
Stage = Literal[
    "vacuum", "wiring", "bolts", "guides", "grub", "lubricate", "drive", "plate", "screws", "belts", "hot", "calibrate", "test", "paper",
]  # fmt: skip
STAGES: tuple[Stage, ...] = get_args(Stage)
#: The maker's manual and local rules go before any of this.
BY_MATERIAL = "by material"
Line = Annotated[str, Field(min_length=3, max_length=200)]
Label = Annotated[str, Field(min_length=5, max_length=80)]
#: No interval is shorter or longer.
_BOUNDS: dict[str, tuple[float, float]] = {"days": (1, 3650), "hours": (1, 1e5), "kg": (0.01, 1e4), "km": (0.1, 1e6)}
Days = Annotated[float, Field(ge=_BOUNDS["days"][0], le=_BOUNDS["days"][1])]
Hours = Annotated[float, Field(ge=_BOUNDS["hours"][0], le=_BOUNDS["hours"][1])]
Kg = Annotated[float, Field(ge=_BOUNDS["kg"][0], le=_BOUNDS["kg"][1])]
Km = Annotated[float, Field(ge=_BOUNDS["km"][0], le=_BOUNDS["km"][1])]
Minutes = Annotated[float, Field(ge=1, le=240)]
Steps = Annotated[list[Line], Field(min_length=1, max_length=20)]
Tools = Annotated[list[Line], Field(max_length=20)]


class Every(BaseModel):
    """How often: whichever comes first; null: not counted by it."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    days: Days | None = None
    hours: Hours | None = None
    kg: Kg | None = None
    km: Km | None = None

    @model_validator(mode="after")
    def _counted(self) -> Every:
        if not any((self.days, self.hours, self.kg, self.km)):
            raise ValueError("Give at least one of days, hours, kg, km.")
        return self

    def times(self, factor: float) -> Every:
        """The same, stretched (above 1) or shortened, in figures that one would say; no shorter than may be told."""
        told: dict[str, float | None] = {}
        for unit, (least, most) in _BOUNDS.items():
            v = getattr(self, unit)
            if v is not None:
                other = round(v * factor) if unit == "days" else _said(v * factor)
                v = min(most, max(least, float(other)))
            told[unit] = v
        return Every.model_validate(told)


def _said(v: float) -> float:
    """Two figures: nobody keeps 137.4 h."""
    return float(f"{v:.2g}")


class Task(BaseModel):
    """One task of service (see the head of ``tasks.toml``)."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    id: Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]*$", max_length=30)]
    label: Label
    every_days: Days | None = None
    every_hours: Hours | None = None
    every_kg: Kg | None = None
    every_km: Km | None = None
    when: Literal["doubt", "life"] | None = None
    parts: list[str]
    state: State
    stage: Stage
    before: list[str] = []
    minutes: Minutes
    steps: Steps
    tools: Tools
    stuff: Annotated[str, Field(max_length=120)] = ""
    caution: Line
    trouble: Line
    shows: Annotated[list[str], Field(max_length=12)] = []
    measure: str | None = None
    upsets: str | None = None

    @property
    def every(self) -> Every:
        """How often it is done."""
        return Every(days=self.every_days, hours=self.every_hours, kg=self.every_kg, km=self.every_km)


class TaskMended(BaseModel):
    """What a workshop, or a maker's own list, has otherwise; null: as it is below. ``off``: it is not done at all.

    A caution can be reworded, not removed. What a task is done to, in which state, and what it would undo, stays.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    every: Annotated[Every | None, Field(title="how often")] = None
    label: Annotated[Label | None, Field(title="its name")] = None
    minutes: Annotated[Minutes | None, Field(title="minutes")] = None
    steps: Annotated[Steps | None, Field(title="steps")] = None
    tools: Annotated[Tools | None, Field(title="tools")] = None
    caution: Annotated[Line | None, Field(title="caution")] = None
    trouble: Annotated[Line | None, Field(title="what to look for")] = None
    off: Annotated[bool | None, Field(title="whether it is done")] = None


def mended(task: Task, told: TaskMended) -> Task | None:
    """A task with what is laid over it; None where it is not done."""
    if told.off:
        return None
    fields = told.model_dump(exclude_none=True, exclude={"off", "every"})
    if told.every is not None:
        fields |= {f"every_{unit}": v for unit, v in told.every}
    return task.model_copy(update=fields)


def table(
    laid: Sequence[Mapping[str, TaskMended]] = (), own: Iterable[Task] = (), order: Sequence[str] = ()
) -> dict[str, Task]:
    """All tasks in the order in which they are done: those that came with Kestov and those added, each layer laid over the one before.

    Parameters
    ----------
    laid : sequence of mapping
        What is otherwise, by task: the workshop's, then the maker's.
    own : iterable of Task
        Tasks that were added; each goes at the end of its stage.
    order : sequence of str
        Ids in the order wanted; what it does not name keeps its place behind what it followed.

    Raises
    ------
    BadInput
        ``undoes`` for an order in which a task comes after one that undoes it.
    """
    all_ = {**tasks(), **{t.id: t for t in own}}
    known = {t.id: t for t in sorted(all_.values(), key=lambda t: STAGES.index(t.stage))}
    for layer in laid:
        for task_id, told in layer.items():
            if task_id in known and (now := mended(known[task_id], told)) is not None:
                known[task_id] = now
            else:
                known.pop(task_id, None)
    return _ordered(known, order)


def _ordered(known: dict[str, Task], order: Sequence[str]) -> dict[str, Task]:
    named = [t for t in dict.fromkeys(order) if t in known]
    out = list(named)
    follows: str | None = None
    for task_id in known:
        if task_id not in named:
            out.insert(0 if follows is None else out.index(follows) + 1, task_id)
        follows = task_id
    place = {t: i for i, t in enumerate(out)}
    for t in out:
        for later in known[t].before:
            if place.get(later, len(out)) < place[t]:
                raise BadInput("undoes", f"“{known[t].label}” would undo “{known[later].label}”: it goes before it.", "order")  # fmt: skip
    return {t: known[t] for t in out}


@cache
def tasks() -> dict[str, Task]:
    """All tasks by id, in the order in which they are done."""
    rows = tomllib.loads((_HERE / "tasks.toml").read_text("utf-8"))["task"]
    found = {t.id: t for t in map(Task.model_validate, rows)}
    if len(found) != len(rows):
        raise ValueError("tasks.toml names an id twice")
    for task in found.values():
        _check(task, found)
    # Within a stage they stay in the order of the file.
    ranked = sorted(found.values(), key=lambda t: STAGES.index(t.stage))
    place = {t.id: i for i, t in enumerate(ranked)}
    for task in ranked:
        for later in task.before:
            if place[later] < place[task.id]:
                raise ValueError(f"{task.id} would undo {later}, which comes before it")
    return {t.id: t for t in ranked}


def _check(task: Task, found: dict[str, Task]) -> None:
    if not any((task.every_days, task.every_hours, task.every_kg, task.every_km)):
        raise ValueError(f"{task.id} has no interval")
    for kind in task.parts:
        if kind not in part_kinds():
            raise ValueError(f"{task.id} is done to {kind}, which is no kind of part")
    if task.stuff == BY_MATERIAL and not any(part_kinds()[k].lubricant for k in task.parts):
        raise ValueError(f"{task.id}: none of its parts says with what it is lubricated")
    if task.when == "doubt" and task.measure is None:
        raise ValueError(f"{task.id} is due when what it measures is in doubt, and measures nothing")
    if task.when == "life" and not task.parts:
        raise ValueError(f"{task.id} is due by the life of parts, and is done to none")
    if task.measure is not None and task.measure not in cards():
        raise ValueError(f"{task.id} measures {task.measure}, which is no procedure")
    for name in task.shows:
        if name not in findings():
            raise ValueError(f"{task.id} shows {name}, which is no finding")
    if task.upsets is not None and task.upsets not in events():
        raise ValueError(f"{task.upsets} is no event that the diagnosis knows")
    for later in task.before:
        if later not in found:
            raise ValueError(f"{task.id} goes before {later}, which is no task")
