"""What the workshop changes of the knowledge, laid over what came with Kestov: said with why, seen, and taken back.

Each field by itself, so that one can be put back without the others, and an update brings its new words to all the rest.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from django.db import transaction
from kestov_core import knowledge
from kestov_core.errors import BadInput
from kestov_core.knowledge.mended import Book, CheckMended, FaultMended, Mended, book
from people.clock import now
from people.models import User, audit
from people.refusals import Refused

from .models import Mend

Kind = Literal["fault", "check"]
Value = float | str | list[str]
_FIELDS = {**CheckMended.model_fields, **FaultMended.model_fields}
_SHOWS = "shows."


@dataclass(frozen=True)
class Changed:
    """One field as it holds here, with how it came (null: it did not show that), by whom, when and why.

    ``words``: the field in words.
    """

    kind: Kind
    name: str
    label: str
    field: str
    words: str
    value: Value
    came: Value | None
    why: str
    who: User | None
    at: datetime


def known_here() -> Book:
    """The knowledge as this workshop has it."""
    return book(_laid(_held()))


def changed() -> list[Changed]:
    """All that is otherwise than it came, newest first."""
    rows = [_changed(m) for m in _held()]
    return sorted(rows, key=lambda c: c.at, reverse=True)


def mend_fault(by: User, fault: str, mended: FaultMended, back: Iterable[str] = (), why: str = "") -> None:
    """Change a fault here; ``back``: fields that are as they came again."""
    told = mended.model_dump(exclude_none=True, exclude_unset=True)
    shows = told.pop("shows", {})
    _mend(by, "fault", fault, told | {f"{_SHOWS}{f}": p for f, p in shows.items()}, back, why)


def mend_check(by: User, check: str, mended: CheckMended, back: Iterable[str] = (), why: str = "") -> None:
    """Change a check here; ``back``: fields that are as they came again."""
    _mend(by, "check", check, mended.model_dump(exclude_none=True, exclude_unset=True), back, why)


@transaction.atomic
def _mend(by: User, kind: Kind, name: str, told: dict[str, Value], back: Iterable[str], why: str) -> None:
    if name not in (knowledge.faults() if kind == "fault" else knowledge.checks()):
        raise Refused(404, "not_found", f"There is no such {kind}.")
    held = {(m.kind, m.name, m.field): m for m in _held()}
    rows = {field: value for field, value in told.items() if not _as_it_came(kind, name, field, value)}
    # What is told as it came, and what is asked back, is no change any longer.
    gone = {f for f in (*back, *(set(told) - set(rows))) if (kind, name, f) in held}
    rows = {f: v for f, v in rows.items() if f not in gone}
    new = [
        Mend(kind=kind, name=name, field=field, value=value, why=why.strip(), by=by, at=now())
        for field, value in (rows | dict.fromkeys(gone)).items()
        if (before := held.get((kind, name, field))) is None or before.value != value
    ]
    if not new:
        raise Refused(422, "missing_field", "Nothing of it was changed.", "mend")
    after = held | {(m.kind, m.name, m.field): m for m in new}
    try:
        book(_laid(m for m in after.values() if m.value is not None))
    except BadInput as e:
        field = (e.field or "").removeprefix(f"mended.{kind}s.{name}").lstrip(".")
        raise Refused(422, e.code, e.message, f"mend.{field}".rstrip(".")) from e
    Mend.objects.bulk_create(new)
    label = (knowledge.faults() if kind == "fault" else knowledge.checks())[name].label
    named = ", ".join(_words(m.field) + (" (as it came)" if m.value is None else "") for m in new)
    audit(
        by,
        "mended",
        new[0],
        f"What is known of “{label}”: {named}.{f' {why.strip()}' if why.strip() else ''}",
        before={m.field: held[m.kind, m.name, m.field].value for m in new if (m.kind, m.name, m.field) in held},
    )


def _held() -> list[Mend]:
    """The newest of each field, where it is a change; of what this Kestov no longer knows nothing is held."""
    newest = Mend.objects.select_related("by").order_by("kind", "name", "field", "-at", "-id")
    rows = newest.distinct("kind", "name", "field")
    return [m for m in rows if m.value is not None and _still_known(m)]


def _still_known(m: Mend) -> bool:
    if m.kind == "check":
        return m.name in knowledge.checks()
    finding = m.field.removeprefix(_SHOWS) if m.field.startswith(_SHOWS) else None
    return m.name in knowledge.faults() and (finding is None or finding in knowledge.findings())


def _laid(held: Iterable[Mend]) -> Mended:
    told: dict[str, dict[str, dict[str, Any]]] = {"faults": {}, "checks": {}}
    for m in held:
        row = told[f"{m.kind}s"].setdefault(m.name, {})
        if m.field.startswith(_SHOWS):
            row.setdefault("shows", {})[m.field.removeprefix(_SHOWS)] = m.value
        else:
            row[m.field] = m.value
    return Mended.model_validate(told)


def _came(kind: str, name: str, field: str) -> Value | None:
    """A field as it came with Kestov; None where a fault did not show that finding."""
    if kind == "check":
        return getattr(knowledge.checks()[name], field, None)
    fault = knowledge.faults()[name]
    if field.startswith(_SHOWS):
        return fault.shows.get(field.removeprefix(_SHOWS))
    return getattr(fault, field, None)


def _as_it_came(kind: str, name: str, field: str, value: Value) -> bool:
    came = _came(kind, name, field)
    return value == came or (came is None and value == 0)


def _words(field: str) -> str:
    if field.startswith(_SHOWS):
        return f"how often “{knowledge.findings()[field.removeprefix(_SHOWS)].label}”"
    return _FIELDS[field].title or field


def _changed(m: Mend) -> Changed:
    kind: Kind = "fault" if m.kind == "fault" else "check"
    label = (knowledge.faults() if kind == "fault" else knowledge.checks())[m.name].label
    came = _came(kind, m.name, m.field)
    value: Value = m.value if m.value is not None else ""
    return Changed(kind, m.name, label, m.field, _words(m.field), value, came, m.why, m.by, m.at)
