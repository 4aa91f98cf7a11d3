"""What the lead shows and takes without an account."""

from __future__ import annotations

from .models import Openness, User, audit
from .refusals import Refused

_SAID = {"wall": "the page for a wall", "reports": "reports without an account"}


def openness() -> Openness:
    """What is shown and taken without an account: nothing, until the lead says so."""
    return Openness.objects.first() or Openness()


def open_up(by: User, wall: bool, reports: bool) -> Openness:
    """Show, or take, something without an account, or no longer."""
    row, _ = Openness.objects.get_or_create(pk=1)
    row.wall, row.reports = wall, reports
    row.save()
    told = [words for field, words in _SAID.items() if getattr(row, field)]
    audit(by, "changed", row, f"Without an account: {' and '.join(told) if told else 'nothing'}.")
    return row


def must_be_open(what: str) -> None:
    """Refuse where the lead has not switched something on."""
    if not getattr(openness(), what):
        raise Refused(404, "not_open", "The lead of the workshop has not switched this on.")
