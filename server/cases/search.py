"""Finding cases by words: of the case, its machine, its log, and what was seen."""

from __future__ import annotations

from django.db.models import Exists, OuterRef, Q, QuerySet
from kestov_core import knowledge

from .models import Case, Comment, Observation


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
