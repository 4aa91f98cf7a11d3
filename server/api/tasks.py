"""The tasks of service as they are here: where each is from, changing it, what rounds tell of how often, and the order of a round."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from django.shortcuts import get_object_or_404
from kestov_core.knowledge.part_kinds import part_kinds
from kestov_core.knowledge.tasks import (
    STAGES,
    Every,
    Label,
    Line,
    Minutes,
    Stage,
    State,
    Steps,
    Task,
    TaskMended,
    Tools,
)
from kestov_core.knowledge.tasks import tasks as came_with
from ninja import Field, Router
from people.models import name_of
from service import tasks
from workshop.models import PrinterModel

from .once import once
from .permissions import may
from .shapes import Shape
from .signed import SignedIn
from .still import still

router = Router(tags=["service"])


class TaskChanged(Shape):
    """A field that is otherwise than it came: whose it is, by whom, when and why."""

    field: str
    maker: bool
    why: str
    who: str
    at: datetime


class ProposedOut(Shape):
    """What rounds tell of an interval: how often instead, why, out of how many rounds; finds in an interval, from ``low`` to ``high`` (5 to 95 %)."""

    every: Every
    why: str
    rounds: int
    finds: int
    low: float
    high: float


class TaskOut(Shape):
    """A task as it is here; ``source``: where its interval is from; ``came``: as it is below (typical, or for a model the workshop's).

    ``off``: not done here. ``own``: added here.
    """

    id: str
    label: str
    every: Every
    came: Every
    source: tasks.Source
    minutes: float
    steps: list[str]
    tools: list[str]
    caution: str
    trouble: str
    state: State
    parts: list[str]
    off: bool
    own: bool
    changed: list[TaskChanged]
    proposed: ProposedOut | None


class ModelNamed(Shape):
    id: int
    name: str


class TasksOut(Shape):
    """All tasks of the workshop, or of a model as its maker has them, in the order of a round; the models, and the kinds of parts."""

    tasks: list[TaskOut]
    arranged: bool
    models: list[ModelNamed]
    kinds: dict[str, str]
    stages: list[str]


def _tasks(model_id: int | None) -> TasksOut:
    here = tasks.table(model_id)
    proposed = tasks.proposals(model_id, here)
    off = {t: here.below.get(t) or came_with()[t] for t in _off(here)}
    return TasksOut(
        tasks=[_one(here, t, proposed.get(t.id), False) for t in here.tasks.values()]
        + [_one(here, t, None, True) for t in off.values()],
        arranged=(row := here.held.get(("", "order"))) is not None and row.model_id == model_id,
        models=[ModelNamed(id=m.pk, name=m.name) for m in PrinterModel.objects.order_by("name")],
        kinds={k.id: k.label for k in part_kinds().values()},
        stages=list(STAGES),
    )


def _off(here: tasks.Table) -> list[str]:
    return [t for (t, f), m in here.held.items() if f == "off" and m.value and (t in here.below or t in came_with())]


def _one(here: tasks.Table, t: Task, proposed: tasks.Proposal | None, off: bool) -> TaskOut:
    below = here.below.get(t.id) or came_with().get(t.id, t)
    return TaskOut(
        **t.model_dump(include={"id", "label", "minutes", "steps", "tools", "caution", "trouble", "state", "parts"}),
        every=t.every,
        came=below.every,
        source=here.source(t.id),
        off=off,
        own=t.id in here.own,
        changed=[
            TaskChanged(field=f, maker=m.model_id is not None, why=m.why, who=name_of(m.by), at=m.at)
            for (name, f), m in here.held.items()
            if name == t.id
        ],
        proposed=None
        if proposed is None
        else ProposedOut(
            every=proposed.every,
            why=proposed.why,
            rounds=proposed.learned.rounds,
            finds=proposed.learned.finds,
            low=proposed.learned.low,
            high=proposed.learned.high,
        ),
    )


@router.get("/service/tasks", auth=may("service.see"), response=TasksOut, operation_id="service.tasks")
@still
def list_tasks(request: SignedIn, model: int | None = None):
    """The tasks of service as they are here, in the order of a round; of a ``model`` as its maker has them, laid over the workshop's."""
    if model is not None:
        get_object_or_404(PrinterModel, pk=model)
    return _tasks(model)


class TaskMendIn(Shape):
    """What a task is to be here, or as a model's maker has it; ``back``: fields that are again as they are below."""

    model_id: int | None = None
    mend: TaskMended = TaskMended()
    back: list[Annotated[str, Field(max_length=20)]] = Field([], max_length=10)
    why: str = Field("", max_length=300)


@router.post("/service/tasks/{task}", auth=may("service.plan"), response=TasksOut, operation_id="service.mend_task")
@once
def mend_task(request: SignedIn, task: str, payload: TaskMendIn):
    """Change a task: its interval, its words, whether it is done."""
    p = payload
    tasks.mend(request.user, task, p.model_id, p.mend, p.back, p.why)
    return _tasks(p.model_id)


class TaskScope(Shape):
    """Of the workshop (null), or of a model."""

    model_id: int | None = None


@router.post(
    "/service/tasks/{task}/learned", auth=may("service.plan"), response=TasksOut, operation_id="service.accept_learned"
)
@once
def accept(request: SignedIn, task: str, payload: TaskScope):
    """Take what the rounds tell of an interval."""
    tasks.accept(request.user, task, payload.model_id)
    return _tasks(payload.model_id)


class OrderIn(Shape):
    """All tasks in the order wanted, for the workshop (``model_id`` null) or as a model's maker has it; empty: as it is below."""

    model_id: int | None = None
    order: list[Annotated[str, Field(max_length=30)]] = Field(max_length=200)
    why: str = Field("", max_length=300)


@router.post("/service/order", auth=may("service.plan"), response=TasksOut, operation_id="service.order")
@once
def order(request: SignedIn, payload: OrderIn):
    """Put the tasks of a round in another order; refused where one would undo another."""
    tasks.arrange(request.user, payload.order, payload.why, payload.model_id)
    return _tasks(payload.model_id)


class OwnTaskIn(Shape):
    """A task that is added: of the workshop (``model_id`` null), or from the list of a model's maker."""

    model_id: int | None = None
    label: Label
    every: Every
    parts: list[Annotated[str, Field(max_length=30)]] = Field([], max_length=30)
    state: State
    stage: Stage
    minutes: Minutes
    steps: Steps
    tools: Tools = []
    caution: Line
    trouble: Line


@router.post("/service/tasks", auth=may("service.plan"), response=TasksOut, operation_id="service.add_task")
@once
def add_task(request: SignedIn, payload: OwnTaskIn):
    """Add a task of the workshop's own, or of a maker's list."""
    told = payload.model_dump(exclude={"model_id", "every"})
    told |= {f"every_{unit}": v for unit, v in payload.every}
    tasks.add(request.user, payload.model_id, told)
    return _tasks(payload.model_id)
