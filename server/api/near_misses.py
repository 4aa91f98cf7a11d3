"""Near misses: told by anyone, without a name; read and answered by the lead."""

from __future__ import annotations

from datetime import datetime

from cases import near_misses
from cases.models import NearMiss
from django.shortcuts import get_object_or_404
from ninja import Field, Router
from workshop.models import Printer

from .once import once
from .permissions import may
from .shapes import Shape
from .signed import SignedIn

router = Router(tags=["near misses"])


class NearMissIn(Shape):
    """What happened, in words. ``hurt``: somebody was; ``printer_id``: at which machine, where at one."""

    words: str = Field(min_length=3, max_length=2000)
    hurt: bool = False
    printer_id: int | None = None


class NearMissOut(Shape):
    """A near miss as it was told; nobody's name stands with it. ``answer``: what was done about it."""

    id: int
    words: str
    hurt: bool
    printer: str
    at: datetime
    read_at: datetime | None
    answer: str


class Taken(Shape):
    """It was written down."""

    taken: bool


class Answer(Shape):
    words: str = Field("", max_length=400)


def _all() -> list[NearMissOut]:
    rows = NearMiss.objects.select_related("printer")[: near_misses.MOST]
    return [
        NearMissOut(
            id=n.pk,
            words=n.words,
            hurt=n.hurt,
            printer=n.printer.name if n.printer else "",
            at=n.at,
            read_at=n.read_at,
            answer=n.answer,
        )
        for n in rows
    ]


@router.post("/near-misses", auth=may("near_misses.tell"), response=Taken, operation_id="near_misses.tell")
def tell(request: SignedIn, payload: NearMissIn):
    """Tell what nearly hurt somebody. No name is kept, not even with a key: told twice it stands there twice."""
    printer = get_object_or_404(Printer, pk=payload.printer_id) if payload.printer_id is not None else None
    near_misses.tell(payload.words, payload.hurt, printer)
    return Taken(taken=True)


@router.get("/near-misses", auth=may("near_misses.see"), response=list[NearMissOut], operation_id="near_misses.see")
def see(request: SignedIn):
    """What was told, newest first."""
    return _all()


@router.post(
    "/near-misses/{near_miss_id}",
    auth=may("near_misses.answer"),
    response=list[NearMissOut],
    operation_id="near_misses.answer",
)
@once
def answer(request: SignedIn, near_miss_id: int, payload: Answer):
    """Say what was done about it; it is then read."""
    near_misses.answer(near_miss_id, payload.words, request.user)
    return _all()
