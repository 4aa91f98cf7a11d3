"""The settings ledger: values that were set on a machine, what each was before, and the way back."""

from __future__ import annotations

from dataclasses import dataclass

from kestov_core.gcode import steps_script
from people.clock import now
from people.models import User, audit
from people.refusals import Refused
from workshop.models import Printer

from .models import Capture, StoredValue
from .standing import changed


def words(name: str) -> str:
    """What a stored value is called."""
    if name.startswith("steps_"):
        return f"steps per mm of axis {name.removeprefix('steps_').upper()}"
    return name.replace("_", " ")


@dataclass(frozen=True)
class Entry:
    """A row of the ledger. ``present``: what stands now; ``script``: the way back to what it was before, where it has one."""

    row: StoredValue
    present: bool
    script: str


def entries(printer: Printer) -> list[Entry]:
    """All values that were set on a machine, newest first."""
    seen: set[str] = set()
    out = []
    for row in StoredValue.objects.filter(printer=printer).select_related("by"):
        out.append(Entry(row, row.name not in seen, _way_back(row)))
        seen.add(row.name)
    return out


def _way_back(row: StoredValue) -> str:
    axis = row.name.removeprefix("steps_")
    return steps_script(axis, row.was) if axis in ("x", "y", "z", "e") and row.was is not None else ""


def set_value(
    printer: Printer,
    name: str,
    value: float,
    unit: str,
    user: User,
    was: float | None = None,
    reason: str = "",
    capture: Capture | None = None,
) -> StoredValue:
    """Write down a value that was set; what the ledger had before goes before what is told (``was``)."""
    # Two writers of one value wait for each other: what it was before is then true.
    Printer.objects.select_for_update().get(pk=printer.pk)
    last = StoredValue.objects.filter(printer=printer, name=name).first()
    row = StoredValue.objects.create(
        printer=printer,
        name=name,
        value=value,
        was=last.value if last is not None else was,
        unit=unit,
        reason=reason.strip(),
        capture=capture,
        by=user,
        at=now(),
    )
    changed(printer)
    audit(user, "set", printer, f"{words(name)} of {printer.name}: {value:g} {unit}".strip() + ".")
    return row


def go_back(row: StoredValue, user: User) -> StoredValue:
    """Write down that the value of before was set again; refused where the ledger does not know it."""
    if row.was is None:
        raise Refused(409, "nothing_before", "The ledger does not know what it was before.")
    reason = f"Back to what it was before {row.at:%-d %B}."
    return set_value(row.printer, row.name, row.was, row.unit, user, reason=reason)
