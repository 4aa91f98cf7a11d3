"""What the workshop knows: findings in plain words, faults with their remedies, checks; for the weighing and to be read."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from cases import mending
from kestov_core import knowledge
from kestov_core.diagnosis.reading import CheckRead, FaultRead, read_checks, read_faults
from kestov_core.knowledge import Line
from kestov_core.knowledge.mended import CheckMended, FaultMended
from ninja import Field, Router
from people.models import name_of

from .once import once
from .permissions import may
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["knowledge"])


class FindingOut(Shape):
    """What can be seen or measured. ``either``: what it may be more closely; ``among``: where it can be
    at all; ``qualifies``: it tells more of another one;
    ``reads_as``: what its figure is read as by the machine's own lengths.

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
    reads_as: list[str]
    among: list[str]
    qualifies: bool
    drawing: list[Line] = []


class FaultBrief(Shape):
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


class CheckBrief(Shape):
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


class KnowledgeOut(Shape):
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
    """Faults, checks and events of the diagnosis, as this workshop has them."""
    known = mending.known_here()
    return KnowledgeOut(
        faults=[
            FaultBrief.model_validate(f.model_dump() | {"after": [knowledge.words_of(p) for p in f.after]})
            for f in known.faults.values()
        ],
        checks=[
            # What is only planned is done by hand.
            CheckBrief.model_validate(
                c.model_dump() | {"nothing": c.nothing} | ({"procedure": None} if c.planned else {})
            )
            for c in known.checks.values()
        ],
        events=knowledge.events(),
    )


@router.get(
    "/knowledge/faults", auth=may("knowledge.faults"), response=list[FaultRead], operation_id="knowledge.faults"
)
def faults(request: SignedIn):
    """Every fault as a person reads it: what it shows, how to tell it, what to do, what to measure after."""
    return read_faults(mending.known_here())


@router.get(
    "/knowledge/checks", auth=may("knowledge.checks"), response=list[CheckRead], operation_id="knowledge.checks"
)
def checks(request: SignedIn):
    """Every check as a person reads it: how it is done, with what, and what it looks at."""
    return read_checks(mending.known_here())


class ChangedOut(Shape):
    """One thing that the workshop has changed, beside how it came (null: it did not show that). ``words``: the field in words."""

    kind: Literal["fault", "check"]
    name: str
    label: str
    field: str
    words: str
    value: mending.Value
    came: mending.Value | None
    why: str
    who: str
    at: datetime


Back = Annotated[list[Annotated[str, Field(max_length=60)]], Field(max_length=100)]
Why = Annotated[str, Field(max_length=300)]


class FaultMendIn(Shape):
    """What is to be otherwise with a fault here. ``back``: fields that are as they came again (``shows.FINDING`` for one that it shows)."""

    mend: FaultMended = FaultMended()
    back: Back = []
    why: Why = ""


class CheckMendIn(Shape):
    """What is to be otherwise with a check here. ``back``: fields that are as they came again."""

    mend: CheckMended = CheckMended()
    back: Back = []
    why: Why = ""


def _changed() -> list[ChangedOut]:
    return [ChangedOut.model_validate({**vars(c), "who": name_of(c.who)}) for c in mending.changed()]


@router.get(
    "/knowledge/changed", auth=may("knowledge.changed"), response=list[ChangedOut], operation_id="knowledge.changed"
)
def changed(request: SignedIn):
    """All that this workshop has changed of what came with Kestov, newest first."""
    return _changed()


@router.post(
    "/knowledge/faults/{name}",
    auth=may("knowledge.mend"),
    response=list[ChangedOut],
    operation_id="knowledge.mend_fault",
)
@once
def mend_fault(request: SignedIn, name: str, payload: FaultMendIn):
    """Change words, minutes and rates of a fault; cases are weighed by them from now on."""
    mending.mend_fault(request.user, name, payload.mend, payload.back, payload.why)
    return _changed()


@router.post(
    "/knowledge/checks/{name}",
    auth=may("knowledge.mend"),
    response=list[ChangedOut],
    operation_id="knowledge.mend_check",
)
@once
def mend_check(request: SignedIn, name: str, payload: CheckMendIn):
    """Change words and minutes of a check; cases are weighed by them from now on."""
    mending.mend_check(request.user, name, payload.mend, payload.back, payload.why)
    return _changed()
