"""The audit trail read back: who did what, newest first, page by page; and who looked at what is told to few."""

from __future__ import annotations

from datetime import timedelta

from .clock import now
from .models import AuditEntry, User, audit

#: Lines on a page, and pages that the trail is walked through.
A_PAGE, PAGES = 100, 500
#: Who looks again within this is not written down again.
A_LOOK = timedelta(hours=1)


def page(number: int) -> tuple[list[AuditEntry], bool]:
    """A page of deeds (the first is 1), and whether older ones follow."""
    first = A_PAGE * (max(1, min(number, PAGES)) - 1)
    rows = list(AuditEntry.objects.select_related("who")[first : first + A_PAGE + 1])
    return rows[:A_PAGE], len(rows) > A_PAGE and number < PAGES


def looked(user: User, at: str) -> None:
    """Write down that somebody looked at the accounts, or at this trail; once in an hour."""
    verb = f"looked at {at}"
    if not AuditEntry.objects.filter(who=user, verb=verb, at__gt=now() - A_LOOK).exists():
        audit(user, verb, user, f"{user.name} {verb}.")
