"""What was measured in a case, before and after: of each procedure and place the first and the last figure."""

from __future__ import annotations

from dataclasses import dataclass

from kestov_core import knowledge
from measuring.models import Capture, Result

from .models import Case

#: So many of a case's newest captures are looked through.
_MOST = 400


@dataclass(frozen=True)
class Pair:
    """A procedure at a place: what it asks, its first result in the case and its last (the same where there is one)."""

    procedure: str
    place: str
    question: str
    first: tuple[Capture, Result]
    last: tuple[Capture, Result]


def pairs(case: Case) -> list[Pair]:
    """All of them, in the order in which they were first measured."""
    rows = Capture.objects.filter(case=case).current().defer("data").select_related("taken_by", "instrument")
    found: dict[tuple[str, str], list[tuple[Capture, Result]]] = {}
    for capture in reversed(rows.prefetch_related("results").order_by("-taken_at")[:_MOST]):
        result = capture.latest()
        if result is not None and capture.procedure in knowledge.cards():
            found.setdefault((capture.procedure, capture.place), []).append((capture, result))
    return [
        Pair(procedure, place, knowledge.cards()[procedure].here(place).question, mine[0], mine[-1])
        for (procedure, place), mine in found.items()
    ]
