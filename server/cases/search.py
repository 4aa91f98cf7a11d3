"""Lists of cases, and finding them by words: of the case, its machine, its log, and what was seen."""

from __future__ import annotations

from typing import Literal

from django.db.models import Exists, OuterRef, Q, QuerySet
from kestov_core import knowledge
from people.models import User

from .models import Case, Comment, Observation, State

#: Cases on a page of a list.
A_PAGE = 50
#: Pages that a list is walked through; who wants older ones searches.
PAGES = 2000


def listed(
    state: Literal["open", "closed", "all"] = "open", search: str = "", page: int = 1, reported_by: User | None = None
) -> list[Case]:
    """A page of cases, the newest first. ``reported_by``: only those that this person reported."""
    rows = Case.objects.select_related("printer", "reported_by")
    if reported_by is not None:
        rows = rows.filter(reported_by=reported_by)
    if state == "open":
        rows = rows.exclude(state=State.CLOSED)
    elif state == "closed":
        rows = rows.filter(state=State.CLOSED)
    if search.strip():
        rows = found_by(rows, search)
    first = A_PAGE * (max(1, min(page, PAGES)) - 1)
    return list(rows[first : first + A_PAGE])


def found_by(rows: QuerySet[Case], search: str) -> QuerySet[Case]:
    """Those of the cases in which the words stand, or on which what they name was seen."""
    s = search.strip()[:100]
    mine = OuterRef("pk")
    said = Comment.objects.filter(case=mine, words__icontains=s)
    noted = Observation.objects.filter(case=mine, note__icontains=s)
    named = Observation.objects.filter(case=mine, finding__in=_called(s), state="present", withdrawn=False)
    own = Q(title__icontains=s) | Q(words__icontains=s) | Q(cause__icontains=s) | Q(printer__name__icontains=s)
    return rows.filter(own | Exists(said) | Exists(noted) | Exists(named))


def _called(search: str) -> list[str]:
    """Findings whose words hold all words of a search."""
    words = search.lower().split()
    return [k.id for k in knowledge.findings().values() if all(w in f"{k.label} {k.words}".lower() for w in words)]
