"""What happened in a case, as its log and the machine's record tell it."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

from django.db.models import QuerySet
from kestov_core import knowledge
from kestov_core.diagnosis.evidence import at_place
from people.models import name_of
from workshop import timeline

from .models import Case, Comment, Observation, Picture


def _pictured(picture: Picture) -> str:
    again = "Picture from the same place as before" if picture.before_id is not None else "Picture"
    return f"{again}: {picture.words}" if picture.words and picture.before_id is not None else picture.words or again


def _said(check: str, said: Sequence[Observation]) -> str:
    """One line of the log for what was said at one moment: a single finding, or the outcome of a whole check."""

    def names(state: str) -> str:
        found = dict.fromkeys(at_place(_label(o.finding), o.axis or None) for o in said if o.state == state)
        notes = [o.note for o in said if o.state == state and o.note]
        return "; ".join(found) + (f" ({'; '.join(notes)})" if notes else "")

    present, absent = names("present"), names("absent")
    if check in knowledge.checks():
        done = knowledge.checks()[check]
        return f"{done.label}: {present or (done.nothing.lower() if absent else 'not sure')}"
    return (
        f"Seen: {present}"
        if present
        else f"Looked for, not there: {absent}"
        if absent
        else f"Not sure: {names('unknown')}"
    )


def _label(finding: str) -> str:
    kind = knowledge.findings().get(finding)
    return kind.label if kind else finding


def _of(asked: timeline.Asked) -> QuerySet[Case]:
    rows = Case.objects.filter(printer=asked.printer)
    if asked.case is not None:
        rows = rows.filter(pk=asked.case)
    return rows.none() if asked.place else rows


def _times(asked: timeline.Asked) -> list[tuple[QuerySet[Case], str]]:
    return [(_of(asked), "reported_at"), (_of(asked).filter(closed_at__isnull=False), "closed_at")]


@timeline.register(_times)
def _reports(asked: timeline.Asked) -> list[timeline.Line]:
    """How cases of a machine began and ended; in a case's own log, in its own words."""
    lines = []
    for case in asked.newest(_of(asked).select_related("reported_by"), "reported_at"):
        words = f"Reported: {case.title}" if asked.case is None else case.words or case.title
        who = name_of(case.reported_by)
        lines.append(timeline.Line(at=case.reported_at, who=who, kind="reported", words=words, case_id=case.pk))
    ended = _of(asked).filter(closed_at__isnull=False).select_related("closed_by")
    for case in asked.newest(ended, "closed_at"):
        how = f"{case.get_closing_display()}. {case.cause}"
        words = f"Closed: {how}".rstrip(". ") + "." if asked.case is None else how
        if case.closed_at is not None:
            who = name_of(case.closed_by)
            lines.append(timeline.Line(at=case.closed_at, who=who, kind="closed", words=words, case_id=case.pk))
    return lines


@timeline.register()
def _within(asked: timeline.Asked) -> list[timeline.Line]:
    """What was seen, said and shown in a case; the record of the machine does not repeat it."""
    if asked.case is None:
        return []
    seen = Observation.objects.filter(case=asked.case, withdrawn=False).select_related("by")
    # The complaint itself is the first; what one check gave was said at one moment.
    later = list(seen)[1:]
    lines = [
        timeline.Line(at=at, who=name_of(by), kind="seen", words=_said(check, list(group)), case_id=asked.case)
        for (at, by, check), group in itertools.groupby(later, key=lambda o: (o.at, o.by, o.check_name))
    ]
    pictures = Picture.objects.filter(case=asked.case).defer("image", "small").select_related("by")
    lines += [
        timeline.Line(at=p.at, who=name_of(p.by), kind="picture", words=_pictured(p), case_id=asked.case)
        for p in pictures
    ]
    comments = Comment.objects.filter(case=asked.case).select_related("by")
    return lines + [
        timeline.Line(at=c.at, who=name_of(c.by), kind="comment", words=c.words, case_id=asked.case) for c in comments
    ]
