"""What events put in doubt, as this workshop has it: laid over what came with Kestov, said with why, seen, and taken back."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from django.db import transaction
from kestov_core.errors import BadInput
from kestov_core.knowledge import cards, ledger
from kestov_core.knowledge.ledger import Upset, UpsetMended, upsets
from people.clock import now
from people.models import User, audit
from people.refusals import Refused
from work import kinds
from work.doing import Progress, ask_once
from workshop.models import Printer

from .models import DoubtMend


def table() -> Mapping[str, Upset]:
    """What each event puts in doubt here."""
    rows = held()
    return ledger.table(_laid(rows)) if rows else upsets()


def held() -> list[DoubtMend]:
    """What is otherwise than it came: the newest of each field; of what this Kestov no longer knows nothing is held."""
    newest = DoubtMend.objects.select_related("by").order_by("event", "field", "-at", "-id").distinct("event", "field")
    return [m for m in newest if m.value is not None and m.event in upsets() and m.field in UpsetMended.model_fields]


def mend(by: User, event: str, mended: UpsetMended, back: Iterable[str] = (), why: str = "") -> None:
    """Change what an event puts in doubt; ``back``: fields that are as they came again. All machines are looked through anew."""
    if event not in upsets():
        raise Refused(404, "not_found", "There is no such event.")
    before = {m.field: m.value for m in held() if m.event == event}
    told = mended.model_dump(exclude_none=True, exclude_unset=True)
    came = upsets()[event].model_dump()
    changes: dict[str, Any] = {f: None if v == came[f] else v for f, v in told.items()} | dict.fromkeys(back)
    changes = {f: v for f, v in changes.items() if v != before.get(f)}
    if not changes:
        raise Refused(422, "missing_field", "Nothing of it was changed.", "mend")
    try:
        ledger.table({event: UpsetMended.model_validate({f: v for f, v in changes.items() if v is not None})})
    except BadInput as e:
        raise Refused(422, e.code, e.message, f"mend.{e.field}") from e
    with transaction.atomic():
        rows = [DoubtMend(event=event, field=f, value=v, why=why.strip(), by=by, at=now()) for f, v in changes.items()]
        DoubtMend.objects.bulk_create(rows)
        named = ", ".join(UpsetMended.model_fields[f].title or f for f in changes)
        reason = f" {why.strip()}" if why.strip() else ""
        audit(by, "mended", rows[0], f"After “{upsets()[event].words}”: {named}.{reason}", before=before)
        ask_once("doubts", "What is in doubt on all machines", by, {})


def _laid(rows: Iterable[DoubtMend]) -> dict[str, UpsetMended]:
    told: dict[str, dict[str, Any]] = {}
    for m in rows:
        told.setdefault(m.event, {})[m.field] = _known(m)
    return {event: UpsetMended.model_validate(fields) for event, fields in told.items()}


def _known(m: DoubtMend) -> list[str]:
    """A field without the names that this Kestov no longer knows."""
    names: list[str] = m.value or []
    if m.field == "by_hand":
        return names
    known = cards() if m.field == "measured" else ledger.stored_kinds()
    return [n for n in names if n in known]


def _look_through(progress: Progress, told: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    from .standing import changed

    printers = list(Printer.objects.filter(retired=False).select_related("model").order_by("pk"))
    for k, printer in enumerate(printers):
        progress.at(k, len(printers))
        with transaction.atomic():
            changed(printer)
    return f"{len(printers)} machines looked through.", {"machines": len(printers)}


kinds.register(kinds.Kind("doubts", _look_through))
