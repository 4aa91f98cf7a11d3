"""What nearly hurt somebody: told by anyone, kept without a name, read by the lead, and answered with what was done about it."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from people.clock import now
from people.models import User, audit
from people.refusals import Refused
from workshop import worklist
from workshop.models import Printer
from workshop.worklist import Pressing, Wanted

from .models import NearMiss

#: So many of the newest are told.
MOST = 200


def tell(words: str, hurt: bool, printer: Printer | None) -> NearMiss:
    """Write down a near miss. Who told it is not kept."""
    words = words.strip()
    if len(words) < 3:
        raise Refused(422, "missing_field", "Say in a few words what happened.", "words")
    return NearMiss.objects.create(words=words, hurt=hurt, printer=printer, at=now())


def answer(near_miss_id: int, words: str, user: User) -> NearMiss:
    """Say what was done about it; it is then read."""
    row = NearMiss.objects.select_for_update().filter(pk=near_miss_id).first()
    if row is None:
        raise Refused(404, "not_found", "There is no such near miss.")
    row.answer, row.read_at = words.strip(), row.read_at or now()
    row.save(update_fields=["answer", "read_at"])
    audit(user, "answered", row, f"A near miss was read. {row.answer}".strip())
    return row


@worklist.few(lambda: NearMiss.objects.filter(read_at=None)[:5], at="at")
def _unread(row: dict[str, Any]) -> Pressing:
    what = Wanted(title="A near miss was told", why="Read it, and see that it cannot happen again.", kind="near_miss")
    return Pressing(1, datetime.fromisoformat(row["at"]), what)
