"""The audit trail read back: who did what, newest first, page by page."""

from __future__ import annotations

from .models import AuditEntry

#: Lines on a page, and pages that the trail is walked through.
A_PAGE, PAGES = 100, 500


def page(number: int) -> tuple[list[AuditEntry], bool]:
    """A page of deeds (the first is 1), and whether older ones follow."""
    first = A_PAGE * (max(1, min(number, PAGES)) - 1)
    rows = list(AuditEntry.objects.select_related("who")[first : first + A_PAGE + 1])
    return rows[:A_PAGE], len(rows) > A_PAGE and number < PAGES
