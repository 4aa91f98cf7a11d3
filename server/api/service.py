"""Rounds of service: what is due on which machine and why, today's round in order, and ticking it off."""

from __future__ import annotations

from datetime import date, datetime

from cases import sounds
from kestov_core.knowledge import findings
from kestov_core.knowledge.part_kinds import part_kinds
from kestov_core.knowledge.tasks import BY_MATERIAL, State, Task
from kestov_core.procedures.service_due import Because
from ninja import Field, Router
from people.models import name_of
from service import rounds
from service.models import Asked
from workshop.models import Component, Printer

from .bench import the_printer
from .once import once
from .permissions import may
from .shapes import Shape
from .signed import SignedIn
from .still import still

router = Router(tags=["service"])


class PartOf(Shape):
    """A part that a task is done to on this machine; ``lubricant``: by its material; ``adjusts``: it can be put right by adjusting."""

    adjusts: bool
    id: int
    label: str
    place: str
    kind: str
    lubricant: str


class Shown(Shape):
    """What trouble may be told as when it becomes a case."""

    finding: str
    label: str


class TaskDueOut(Shape):
    """A task with when it is due, why then, and how it is done; ``last_at``, ``last_by``, ``last_found``: when it was done last.

    ``soonest``, ``latest``: where the machine's use may bring it. ``lubricates``: by each part's material. ``fetched``: tools, and what it is
    lubricated with.
    """

    task: str
    label: str
    due_on: date | None
    soonest: date | None
    latest: date | None
    because: Because
    overdue_by: float | None
    used: float | None
    why: str
    state: State
    minutes: float
    steps: list[str]
    tools: list[str]
    fetched: list[str]
    lubricates: bool
    caution: str
    trouble: str
    shows: list[Shown]
    measure: str | None
    parts: list[PartOf]
    last_at: datetime | None
    last_by: str
    last_found: str


class AskedOut(Shape):
    """What the machine itself asks for, in its words; ``task`` empty: nobody said which it means."""

    id: int
    words: str
    task: str
    at: datetime
    by: str


class KeptSound(Shape):
    procedure: str
    place: str


class ServiceOut(Shape):
    """All tasks of a machine, the most overdue first; ``round``: those of today's round, in their order; and what the machine asks for.

    ``listen``: the procedure and the place that keep its healthy sound.
    """

    due: list[TaskDueOut]
    round: list[str]
    asked: list[AskedOut]
    listen: KeptSound


class MachineDue(rounds.Summary):
    """A machine with how much is due on it."""

    printer_id: int
    printer: str
    area: str


def _service(printer: Printer) -> ServiceOut:
    due = rounds.due_on(printer)
    parts = list(Component.objects.filter(printer=printer, removed_on=None).order_by("place", "id"))
    asked = Asked.objects.filter(printer=printer, cleared_at=None).select_related("by")
    sound, place = sounds.kept_at(printer)
    return ServiceOut(
        due=[_task(d, parts) for d in due],
        round=[d.task.id for d in rounds.round_of(due)],
        asked=[AskedOut(id=a.pk, words=a.words, task=a.task, at=a.at, by=name_of(a.by)) for a in asked],
        listen=KeptSound(procedure=sound.name, place=place),
    )


def _task(d: rounds.Due, parts: list[Component]) -> TaskDueOut:
    t: Task = d.task
    mine = [p for p in parts if p.kind in t.parts]
    by_material = t.stuff == BY_MATERIAL
    return TaskDueOut(
        **d.due.model_dump(exclude={"task"}),
        task=t.id,
        label=t.label,
        state=t.state,
        minutes=t.minutes,
        steps=t.steps,
        tools=t.tools,
        fetched=sorted(d.fetched),
        lubricates=by_material,
        caution=t.caution,
        trouble=t.trouble,
        shows=[Shown(finding=f, label=findings()[f].label) for f in t.shows],
        measure=t.measure,
        parts=[
            PartOf(
                adjusts=p.kind in part_kinds() and "adjust" in part_kinds()[p.kind].can,
                id=p.pk,
                label=p.label,
                place=p.place,
                kind=p.kind,
                lubricant=part_kinds()[p.kind].lubricant if by_material and p.kind in part_kinds() else "",
            )
            for p in mine
        ],
        last_at=None if d.last is None else d.last.at,
        last_by="" if d.last is None else d.last.by or name_of(None),
        last_found="" if d.last is None else d.last.found,
    )


@router.get("/service", auth=may("service.see"), response=list[MachineDue], operation_id="service.list")
@still
def list_due(request: SignedIn):
    """What is due on which machine, the most overdue first."""
    printers = Printer.on_the_floor()
    due = rounds.summaries(printers)
    rows = [MachineDue(printer_id=p.pk, printer=p.name, area=p.area.name, **vars(due[p.pk])) for p in printers]
    rows.sort(key=lambda r: (not r.due, -(r.overdue_by if r.overdue_by is not None else -1e9), r.printer))
    return rows


@router.get("/printers/{printer_id}/service", auth=may("service.see"), response=ServiceOut, operation_id="service.see")
@still
def see(request: SignedIn, printer_id: int):
    """The tasks of a machine with when each is due, and today's round."""
    return _service(the_printer(printer_id))


class TickIn(Shape):
    """A task that was done. ``found`` trouble: ``words`` say what, ``component_id`` in which of its parts, where there are several;
    ``becomes``: what becomes of it, for a case with the ``finding`` that it opens with.
    """

    task: str = Field(max_length=30)
    found: rounds.Found = "fine"
    words: str = Field("", max_length=300)
    component_id: int | None = None
    becomes: rounds.Becomes = "kept"
    finding: str = Field("", max_length=60)


class TickOut(ServiceOut):
    """What is left; ``id``: of the deed that trouble was written down as, for a picture of it; ``case``: the one that was opened."""

    id: int | None
    case: int | None


@router.post(
    "/printers/{printer_id}/service/done", auth=may("service.tick"), response=TickOut, operation_id="service.tick"
)
@once
def tick(request: SignedIn, printer_id: int, payload: TickIn):
    """Tick a task off: what was found is told of its parts by itself."""
    p = payload
    trouble = rounds.Trouble(p.becomes, p.component_id, p.finding)
    done = rounds.tick(the_printer(printer_id).pk, p.task, p.found, p.words, request.user, trouble)
    return TickOut(**_service(done.printer).model_dump(), id=done.deed, case=done.case)


class AskedIn(Shape):
    """What a machine itself asks for, in its words; ``task``: which it means, where that is clear."""

    words: str = Field(min_length=2, max_length=200)
    task: str = Field("", max_length=30)


@router.post(
    "/printers/{printer_id}/service/asked", auth=may("service.tick"), response=ServiceOut, operation_id="service.asks"
)
@once
def asks(request: SignedIn, printer_id: int, payload: AskedIn):
    """Write down what a machine asks for: it is due at once."""
    return _service(rounds.asks(the_printer(printer_id).pk, payload.words, payload.task, request.user))


@router.post(
    "/service/asked/{asked_id}/clear", auth=may("service.tick"), response=ServiceOut, operation_id="service.clear"
)
@once
def clear(request: SignedIn, asked_id: int):
    """What it asked for was done, and cleared on the machine."""
    return _service(rounds.clear(asked_id, request.user))
