"""What events put in doubt, as this workshop has it, and changing it."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from kestov_core import knowledge
from kestov_core.knowledge.ledger import UpsetMended, stored_kinds, upsets
from measuring import doubts
from ninja import Field, Router
from people.models import name_of

from .once import once
from .permissions import may
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["knowledge"])
Which = Literal["measured", "lost", "stale", "by_hand"]


class DoubtChanged(Shape):
    """A field that is otherwise than it came: how it came, by whom, when and why."""

    field: Which
    came: list[str]
    why: str
    who: str
    at: datetime


class UpsetOut(Shape):
    """What an event puts in doubt: ``measured`` again, ``lost`` (read back), ``stale`` (may no longer fit), looked at ``by_hand``.

    ``at``: no further than the axes of the place where it was done.
    """

    event: str
    words: str
    at: bool
    measured: list[str]
    lost: list[str]
    stale: list[str]
    by_hand: list[str]
    changed: list[DoubtChanged]


class Named(Shape):
    name: str
    words: str


class DoubtsOut(Shape):
    """All events, and what they can put in doubt: measurements, and values that machines store."""

    events: list[UpsetOut]
    measurements: list[Named]
    stored: list[Named]


def _doubts() -> DoubtsOut:
    held = doubts.held()
    return DoubtsOut(
        events=[
            UpsetOut(
                **u.model_dump(),
                changed=[
                    DoubtChanged.model_validate(
                        {
                            "field": m.field,
                            "came": getattr(upsets()[m.event], m.field),
                            "why": m.why,
                            "who": name_of(m.by),
                            "at": m.at,
                        }
                    )
                    for m in held
                    if m.event == u.event
                ],
            )
            for u in doubts.table().values()
        ],
        measurements=[Named(name=n, words=knowledge.words_of(n)) for n in knowledge.cards()],
        stored=[Named(name=k.id, words=k.label) for k in stored_kinds().values()],
    )


@router.get("/doubts", auth=may("knowledge.see"), response=DoubtsOut, operation_id="knowledge.doubts")
def see(request: SignedIn):
    """What each event puts in doubt here."""
    return _doubts()


class DoubtMendIn(Shape):
    """What an event is to put in doubt here. ``back``: fields that are as they came again."""

    mend: UpsetMended = UpsetMended()
    back: Annotated[list[Which], Field(max_length=4)] = []
    why: str = Field("", max_length=300)


@router.post("/doubts/{event}", auth=may("knowledge.mend"), response=DoubtsOut, operation_id="knowledge.mend_doubts")
@once
def mend(request: SignedIn, event: str, payload: DoubtMendIn):
    """Change what an event puts in doubt; all machines are looked through anew."""
    doubts.mend(request.user, event, payload.mend, payload.back, payload.why)
    return _doubts()
