"""How a case is told: what was seen, its log, the weighing, and the next thing to do."""

from __future__ import annotations

from datetime import datetime
from typing import Literal, cast
from uuid import UUID

from cases import sounds
from cases.acts import Fit
from cases.models import Case
from cases.proof import proven
from cases.steps import Step, next_step
from cases.weighing import spots_here, weigh
from kestov_core import knowledge
from kestov_core.procedures.diagnose import DiagnoseResult
from people.models import User, name_of
from workshop import timeline

from .permissions import may_work
from .shapes import CaseBrief, Shape, case_brief

#: A case's log is told whole, up to so many lines.
_LOG_LINES = 500


class ObservationOut(Shape):
    id: int
    finding: str
    label: str
    axis: str
    group: str
    state: Literal["present", "absent", "unknown"]
    value: float | None
    unit: str | None
    note: str
    check: str
    by: str
    at: datetime


class PictureOut(Shape):
    """A picture of a case. ``before``: the picture that it was taken over; ``fit``: how it lies over that one."""

    id: int
    before: int | None
    fit: Fit | None
    words: str
    width: int
    height: int
    by: str
    at: datetime


class SoundOut(Shape):
    """A recording with a case: what is new in it against the machine's healthy sound; ``why_not``: why nothing can be said."""

    capture: UUID
    at: datetime
    by: str
    new: list[str]
    why_not: str


class LogLine(Shape):
    at: datetime
    who: str
    kind: timeline.Kind
    words: str


class WeighingOut(Shape):
    """What it may be: the core's result, where its evidence came from, and the causes confirmed on this model so far.

    ``changed``: faults and checks that this workshop knows otherwise than they came.
    """

    result: DiagnoseResult
    sources: list[str]
    confirmed: dict[str, int]
    changed: int


class CaseOut(CaseBrief):
    """A case with its log and the next thing to do. ``unaided``: nobody is told what it may be; ``spots``: where a finding can be on its machine, by what its place is."""

    words: str
    since: str
    cause: str
    taken_by: str | None
    observations: list[ObservationOut]
    pictures: list[PictureOut]
    sounds: list[SoundOut]
    log: list[LogLine]
    step: Step
    may_work: bool
    fault: str
    fault_axis: str
    unaided: bool
    weighing: WeighingOut | None
    spots: dict[str, list[str]]


def case_out(case: Case, user: User) -> CaseOut:
    labels = knowledge.findings()
    observations = [
        ObservationOut(
            id=o.pk,
            finding=o.finding,
            label=labels[o.finding].label if o.finding in labels else o.finding,
            axis=o.axis,
            group=labels[o.finding].group if o.finding in labels else "",
            state=cast(Literal["present", "absent", "unknown"], o.state),
            value=o.value,
            unit=labels[o.finding].unit if o.finding in labels else None,
            note=o.note,
            check=o.check_name,
            by=name_of(o.by),
            at=o.at,
        )
        for o in case.observations.filter(withdrawn=False).select_related("by")
    ]
    pictures = [
        PictureOut(
            id=p.pk,
            before=p.before_id,
            fit=p.fit,
            words=p.words,
            width=p.width,
            height=p.height,
            by=name_of(p.by),
            at=p.at,
        )
        for p in case.pictures.defer("image", "small").select_related("by")
    ]
    works = may_work(user)
    # Once it is proven, what was seen before has been explained: there is nothing left to weigh.
    weighed = weigh(case) if works and case.is_open and not proven(case) else None
    return CaseOut(
        **case_brief(case).model_dump(),
        words=case.words,
        since=case.since,
        cause=case.cause,
        taken_by=name_of(case.taken_by) if case.taken_by else None,
        observations=observations,
        pictures=pictures,
        sounds=[SoundOut.model_validate(h, from_attributes=True) for h in sounds.heard(case)],
        log=_log(case),
        step=next_step(case, weighed),
        fault=case.fault,
        fault_axis=case.fault_axis,
        unaided=case.unaided and case.is_open,
        weighing=WeighingOut(
            result=weighed.result,
            sources=weighed.sources,
            confirmed=weighed.confirmed,
            changed=weighed.known.changed,
        )
        if weighed
        else None,
        may_work=works,
        spots={kind: list(places) for kind, places in spots_here(case.printer).items()},
    )


def _log(case: Case) -> list[LogLine]:
    lines, _ = timeline.told(timeline.Asked(case.printer_id, case.pk, most=_LOG_LINES))
    return [LogLine(at=x.at, who=x.who, kind=x.kind, words=x.words) for x in reversed(lines)]
