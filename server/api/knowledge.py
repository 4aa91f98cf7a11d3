"""What the workshop knows: findings in plain words, faults with their remedies, checks; for the weighing and to be read."""

from __future__ import annotations

from typing import Literal

from kestov_core import knowledge
from kestov_core.diagnosis.reading import FaultRead, read_faults
from kestov_core.knowledge import Line
from ninja import Router, Schema

from .permissions import may
from .signed import SignedIn

router = Router(tags=["knowledge"])


class FindingOut(Schema):
    """What can be seen or measured. ``either``: what it may be more closely; ``among``: where it can be
    at all; ``qualifies``: it tells more of another one.

    ``drawing``: how it looks, in a frame of 96 by 72.
    """

    id: str
    label: str
    group: str
    kind: Literal["seen", "measured", "danger"]
    unit: str | None
    placed: Literal["axis", "belt", "screw"] | None
    words: str
    asked: Literal["wall"] | None
    either: list[str]
    among: list[str]
    qualifies: bool
    drawing: list[Line] = []


class FaultBrief(Schema):
    """A fault and its remedy; ``after``: what must be measured again, in words."""

    id: str
    label: str
    group: str
    kind: str
    minutes: float
    steps: list[str]
    caution: str
    after: list[str]
    then: str
    hand_to: str


class CheckBrief(Schema):
    """A check and what it answers; ``procedure``: what runs it at the bench (null: it is done by hand); ``nothing``: that nothing was found."""

    id: str
    label: str
    minutes: float
    answers: list[str]
    swap: bool
    nothing: str
    how: list[str]
    caution: str
    tools: list[str]
    procedure: str | None


class KnowledgeOut(Schema):
    """What the diagnosis knows: faults with their remedies, checks with what they answer, events."""

    faults: list[FaultBrief]
    checks: list[CheckBrief]
    events: list[str]


@router.get("/findings", auth=may("findings.list"), response=list[FindingOut], operation_id="findings.list")
def findings(request: SignedIn):
    """What can be seen or measured, in plain words."""
    drawn = knowledge.atlas()
    return [
        FindingOut.model_validate(k.model_dump() | {"drawing": drawn.get(k.id, [])})
        for k in knowledge.findings().values()
    ]


@router.get("/knowledge", auth=may("knowledge.see"), response=KnowledgeOut, operation_id="knowledge.see")
def see_knowledge(request: SignedIn):
    """Faults, checks and events of the diagnosis."""
    return KnowledgeOut(
        faults=[
            FaultBrief.model_validate(f.model_dump() | {"after": [knowledge.words_of(p) for p in f.after]})
            for f in knowledge.faults().values()
        ],
        checks=[
            # What is only planned is done by hand.
            CheckBrief.model_validate(
                c.model_dump() | {"nothing": c.nothing} | ({"procedure": None} if c.planned else {})
            )
            for c in knowledge.checks().values()
        ],
        events=knowledge.events(),
    )


@router.get(
    "/knowledge/faults", auth=may("knowledge.faults"), response=list[FaultRead], operation_id="knowledge.faults"
)
def faults(request: SignedIn):
    """Every fault as a person reads it: what it shows, how to tell it, what to do, what to measure after."""
    return read_faults()
