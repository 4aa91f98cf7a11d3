"""What a workshop's own closed cases say of its looks: how often each saw what was there, and the minutes it really took.

Of the cases of a model whose cause was confirmed, since it was last told to begin anew. Not here: causes (`weighing`).
"""

from __future__ import annotations

import itertools
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from statistics import fmean

from kestov_core import knowledge
from kestov_core.diagnosis.evidence import BELIEVED
from kestov_core.diagnosis.reading import MUST
from kestov_core.knowledge.mended import Book

from .models import Case, Comment, Observation

#: Newest closed cases that are looked through.
MOST_CASES = 200
#: The knowledge's own figures count like so many looks, and like so many times taken.
_LOOKS, _TIMES = 20.0, 3.0
#: A time between two entries is a check's own between these, in minutes; else somebody was away, or wrote it down later.
_LEAST, _MOST = 0.5, 90.0


@dataclass
class Look:
    """One check: how often it should have seen something and did, and what it took in minutes, each time.

    ``typical``: its minutes as the knowledge has them.
    """

    check: str
    typical: float
    should: int = 0
    saw: int = 0
    took: list[float] = field(default_factory=list)

    @property
    def missed(self) -> float:
        """Chance that something is there though this check says that it is not: the knowledge's own, and what happened here."""
        groups = {knowledge.findings()[a].group for a in knowledge.checks()[self.check].answers}
        typical = max(BELIEVED[g][1] for g in groups)
        return (_LOOKS * typical + self.should - self.saw) / (_LOOKS + self.should)

    @property
    def minutes(self) -> float:
        """Minutes for this check here: the knowledge's own, and what was taken."""
        return (_TIMES * self.typical + sum(self.took)) / (_TIMES + len(self.took))

    @property
    def mean_taken(self) -> float | None:
        """Mean of the minutes that it took here; None where nobody can tell."""
        return fmean(self.took) if self.took else None


def looks(cases: Sequence[Case], known: Book) -> dict[str, Look]:
    """What the newest of these closed cases say of each check that was done in them, beside the knowledge as it is here."""
    newest = sorted(cases, key=lambda c: c.reported_at, reverse=True)[:MOST_CASES]
    fault = {c.pk: (c.fault, c.fault_axis) for c in newest}
    acts: dict[tuple[int, int | None], list[tuple[datetime, str]]] = defaultdict(list)
    found: dict[str, Look] = {}
    rows = Observation.objects.filter(case__in=fault, withdrawn=False).order_by("at", "id")
    for o in rows:
        check = o.check_name if o.check_name in knowledge.checks() else ""
        done = acts[o.case_id, o.by_id]
        if not done or done[-1] != (o.at, check):
            done.append((o.at, check))
        if not check:
            continue
        look = found.setdefault(check, Look(check, known.checks[check].minutes))
        name, place = fault[o.case_id]
        shows = known.faults[name].shows.get(o.finding, 0.0)
        if shows >= MUST and o.state != "unknown" and o.axis in ("", place):
            look.should += 1
            look.saw += o.state == "present"
    for c in Comment.objects.filter(case__in=fault):
        acts[c.case_id, c.by_id].append((c.at, ""))
    for rows_of in acts.values():
        rows_of.sort(key=lambda r: (r[0], r[1] != ""))
        for (before, _), (at, check) in itertools.pairwise(rows_of):
            minutes = (at - before).total_seconds() / 60
            if check and _LEAST <= minutes <= _MOST:
                found[check].took.append(minutes)
    return found
