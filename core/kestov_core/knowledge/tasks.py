"""The tasks of service as data (``tasks.toml``, checked on load), and the order inside a round that does not undo itself."""

from __future__ import annotations

import tomllib
from collections.abc import Iterable
from functools import cache
from pathlib import Path
from typing import Annotated, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field

from . import cards, events
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


class Task(BaseModel):
    """One task of service (see the head of ``tasks.toml``)."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    id: Annotated[str, Field(pattern=r"^[a-z][a-z_]*$", max_length=30)]
    label: Annotated[str, Field(min_length=5, max_length=80)]
    every_days: Annotated[float, Field(ge=1, le=3650)] | None = None
    every_hours: Annotated[float, Field(gt=0, le=1e5)] | None = None
    every_kg: Annotated[float, Field(gt=0, le=1e4)] | None = None
    every_km: Annotated[float, Field(gt=0, le=1e6)] | None = None
    parts: list[str]
    state: State
    stage: Stage
    before: list[str] = []
    minutes: Annotated[float, Field(gt=0, le=240)]
    steps: Annotated[list[Line], Field(min_length=1)]
    tools: list[Line]
    stuff: Annotated[str, Field(max_length=120)] = ""
    caution: Line
    trouble: Line
    measure: str | None = None
    upsets: str | None = None


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
    if task.measure is not None and task.measure not in cards():
        raise ValueError(f"{task.id} measures {task.measure}, which is no procedure")
    if task.upsets is not None and task.upsets not in events():
        raise ValueError(f"{task.upsets} is no event that the diagnosis knows")
    for later in task.before:
        if later not in found:
            raise ValueError(f"{task.id} goes before {later}, which is no task")


def in_order(wanted: Iterable[str]) -> list[Task]:
    """Tasks of one round in the order that does not undo itself, each once. KeyError for one that there is not."""
    asked = set(wanted)
    known = tasks()
    if missing := asked - set(known):
        raise KeyError(min(missing))
    return [t for t in known.values() if t.id in asked]
