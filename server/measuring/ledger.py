"""The settings ledger: what a machine has stored, from what each value came, and whether it may still be believed.

Rows are only ever added. A value stands until the next of its name; it is in doubt when something was done since it was set,
read back or measured that may have lost it, or made it unfit. Which that is, is the core's table.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from django.db import transaction
from django.db.models import Exists, F, OuterRef, Q, Subquery
from kestov_core.condition import baseline, stored
from kestov_core.condition.stored import HeldAgainst, Settings
from kestov_core.errors import BadInput
from people.clock import now
from people.models import User, audit
from people.refusals import Refused
from workshop import worklist
from workshop.models import Event, Printer
from workshop.worklist import Pressing, Wanted

from .doubts import table as doubts_table
from .happened import Happening, happened
from .models import Capture, ReadBack, Standing, StoredValue
from .standing import changed

Stand = Literal["valid", "in_doubt", "superseded"]
words = stored.words
#: So many things that were done are named, the newest.
_NAMED = 2


@dataclass(frozen=True)
class Entry:
    """A row of the ledger. ``stand``: whether it may be believed; ``doubt``: what has overtaken it, in words; ``lost``: the machine
    may have forgotten it, else it may no longer fit. ``script``: the way back to what it was before, where it has one.
    """

    row: StoredValue
    stand: Stand
    doubt: str
    lost: bool
    script: str

    @property
    def present(self) -> bool:
        """Whether it stands now."""
        return self.stand != "superseded"


def entries(printer: Printer, doubts: _Doubts | None = None) -> list[Entry]:
    """All values that were set on a machine, newest first."""
    rows = list(StoredValue.objects.filter(printer=printer).select_related("by", "capture"))
    doubts = doubts or _Doubts(printer)
    seen: set[str] = set()
    out = []
    for row in rows:
        if row.name in seen:
            out.append(Entry(row, "superseded", "", False, _way_back(row)))
            continue
        seen.add(row.name)
        since = doubts.since(row)
        lost, doubt = (False, "") if since is None else since
        out.append(Entry(row, "valid" if since is None else "in_doubt", doubt, lost, _way_back(row)))
    return out


def standing(printer: Printer, doubts: _Doubts | None = None) -> list[Entry]:
    """What stands now, in the order of the sheet."""
    now_there = {e.row.name: e for e in entries(printer, doubts) if e.present}
    return [now_there[n] for n in stored.known_here(now_there)]


def plan(printer: Printer) -> baseline.Plan:
    """The way back to a machine of which everything is known: what is in doubt, in the order of the chain."""
    doubts = _Doubts(printer)
    motion = doubts.motion
    measured = list(Standing.objects.filter(printer=printer).exclude(doubt=""))
    held = [e for e in standing(printer, doubts) if e.stand == "in_doubt"]
    # Only what has put something in doubt asks for a look by hand.
    to_blame = [
        h.event
        for h in doubts.done
        if any(h.at > s.taken_at and h.overtakes(motion, s.procedure, s.place) for s in measured)
        or any(h.at > e.row.at and h.unsettles(motion, e.row.name) is not None for e in held)
    ]
    return baseline.plan(
        motion,
        [baseline.Doubted(procedure=s.procedure, place=s.place, since=s.doubt) for s in measured],
        [baseline.DoubtedValue(name=e.row.name, label=words(e.row.name), lost=e.lost, since=e.doubt) for e in held],
        [event for event in to_blame if event],
        doubts_table(),
    )


class _Doubts:
    """What has overtaken the values of one machine, from one reading of what was done to it."""

    def __init__(self, printer: Printer) -> None:
        self.motion = printer.motion()
        self.done: list[Happening] = happened(printer)
        self.agreed: dict[str, datetime] = {}
        for back in ReadBack.objects.filter(printer=printer).order_by("at"):
            self.agreed |= dict.fromkeys(back.agreed, back.at)
        self.measured: dict[tuple[str, str], datetime] = {
            (s.procedure, s.place): s.taken_at for s in Standing.objects.filter(printer=printer, doubt="")
        }

    def since(self, row: StoredValue) -> tuple[bool, str] | None:
        """(lost, in words) what has put it in doubt; None: it is valid. Of several things none is named alone."""
        known = stored.all_stored().get(row.name)
        if known is None:
            return None
        read = max(row.at, self.agreed.get(row.name, row.at))
        fits = max([row.at, *self._measured(known)])
        found: dict[str, bool] = {}
        for h in sorted(self.done, key=lambda h: h.at):
            lost = h.unsettles(self.motion, row.name)
            if lost is not None and h.at > (read if lost else fits):
                found[h.words] = lost
        if not found:
            return None
        told = list(found)[-_NAMED:]
        return any(found.values()), " and ".join(told) + (" (neither alone can be blamed)" if len(told) > 1 else "")

    def _measured(self, known: stored.Stored) -> list[datetime]:
        """When a measurement last told whether a value fits: at its place, or at those that stand for it."""
        if known.kind.measured_by is None:
            return []
        at = {p: t for (name, p), t in self.measured.items() if name == known.kind.measured_by}
        if known.place in at:
            return [at[known.place]]
        crossed = [at[p] for p in ("a", "b") if p in at] if known.place in ("x", "y") else []
        return crossed if len(crossed) == 2 else ([] if known.place else list(at.values()))


def _way_back(row: StoredValue) -> str:
    if row.was is None:
        return ""
    try:
        return stored.script({row.name: row.was})
    except BadInput:
        return ""


def set_value(
    printer: Printer,
    name: str,
    value: float | None,
    unit: str,
    user: User,
    was: float | None = None,
    reason: str = "",
    capture: Capture | None = None,
    text: str = "",
) -> StoredValue:
    """Write down a value that was set; what the ledger had before goes before what is told (``was``)."""
    known = stored.all_stored().get(name)
    text = text.strip()
    if known is not None and (known.kind.kind == "text") == (value is not None or not text):
        asked = "in words" if known.kind.kind == "text" else "as a figure"
        raise Refused(422, "missing_field", f"{known.label} is told {asked}.", "value")
    if value is None and not text:
        raise Refused(422, "missing_field", "Tell the figure.", "value")
    if known is not None and value is not None:
        unit = known.kind.unit
        try:
            stored.check(name, value)
        except BadInput as e:
            raise Refused(422, e.code, e.message, "value") from e
    # Two writers of one value wait for each other: what it was before is then true.
    Printer.objects.select_for_update().get(pk=printer.pk)
    last = StoredValue.objects.filter(printer=printer, name=name).first()
    row = StoredValue.objects.create(
        printer=printer,
        name=name,
        value=value,
        text=text,
        was=last.value if last is not None else was,
        unit=unit,
        reason=reason.strip(),
        capture=capture,
        by=user,
        at=now(),
    )
    changed(printer)
    told = text[:80] if value is None else f"{value:g} {unit}".strip()
    audit(user, "set", printer, f"{words(name)} of {printer.name}: {told}.")
    return row


def go_back(row: StoredValue, user: User) -> StoredValue:
    """Write down that the value of before was set again; refused where the ledger does not know it."""
    if row.was is None:
        raise Refused(409, "nothing_before", "The ledger does not know what it was before.")
    reason = f"Back to what it was before {row.at:%-d %B}."
    return set_value(row.printer, row.name, row.was, row.unit, user, reason=reason)


@worklist.register
def _unread(machines: Sequence[Any]) -> list[Pressing]:
    """Machines whose memory was touched and not read back since: the ledger knows what they should have."""
    loses = [event for event, upset in doubts_table().items() if upset.lost]
    mine = {"printer": OuterRef("pk")}
    # By each machine's newest, found by an index: the years of events behind it are not looked through.
    touched = Event.objects.filter(**mine, event__in=loses).order_by("-at").values("at")[:1]
    read = ReadBack.objects.filter(**mine).order_by("-at").values("at")[:1]
    known = Printer.objects.filter(Exists(StoredValue.objects.filter(**mine)), retired=False).order_by()
    both = known.annotate(touched=Subquery(touched), read=Subquery(read)).filter(touched__isnull=False)
    last = dict(both.filter(Q(read=None) | Q(read__lt=F("touched"))).values_list("pk", "touched"))
    out = []
    for m in machines:
        if m.printer.pk in last and not m.printer.tagged_out:
            wanted = Wanted(
                title=f"{m.printer.name}: read back what it has stored",
                why="Firmware, board or settings were touched; until it is read back nothing it stores may be believed.",
                kind="stored",
                printer_id=m.printer.pk,
            )
            out.append(Pressing(3, last[m.printer.pk], wanted))
    return out


def figures(printer: Printer) -> dict[str, float]:
    """The figures that should stand in a machine, by name."""
    return {e.row.name: e.row.value for e in standing(printer) if e.row.value is not None}


def script(printer: Printer) -> str:
    """All that a machine should have stored, as one script; what has no word of its own stands on the sheet alone."""
    known = {n: v for n, v in figures(printer).items() if n in stored.all_stored()}
    lines = stored.script(known)
    head = (
        f"; What {printer.name} should have stored, {now():%-d %B %Y}\n"
        "; Read it through before it runs. It moves nothing and heats nothing; it sets, stores and prints.\n"
    )
    return head + (lines or "; The ledger knows no value that a script could set.\n")


@dataclass(frozen=True)
class Looked:
    """What a machine printed, read: its values, the lines that were kept, each beside the ledger; and the script that puts back what differs."""

    settings: Settings
    compared: list[HeldAgainst]
    script: str


def look(printer: Printer, text: str) -> Looked:
    """Hold what a machine printed against the ledger. Writes nothing down. Raises the core's `BadInput`."""
    settings = stored.read_settings(text)
    should = {n: v for n, v in figures(printer).items() if n in stored.all_stored()}
    compared = stored.compare(should, settings.values)
    back = {c.name: c.was for c in compared if c.state in ("changed", "lost") and c.was is not None}
    return Looked(settings, compared, stored.script(back))


@transaction.atomic
def keep(printer: Printer, text: str, take: Sequence[str], user: User) -> Looked:
    """Keep what a machine printed: what agrees is valid from now on. ``take``: names whose figures the ledger takes over."""
    found = look(printer, text)
    by_name = {c.name: c for c in found.compared}
    for i, name in enumerate(take):
        c = by_name.get(name)
        if c is None or c.now is None:
            raise Refused(422, "out_of_range", f"The machine does not print “{words(name)}”.", f"take.{i}")
        if c.state != "same":
            set_value(printer, name, c.now, c.unit, user, reason="As the machine has it, read back.")
    same = {c.name for c in found.compared if c.state == "same"} | set(take)
    differ = sorted({c.name for c in found.compared if c.state in ("changed", "lost")} - set(take))
    ReadBack.objects.create(
        printer=printer, text=text[: stored.MOST_CHARACTERS], agreed=sorted(same), differed=differ, by=user, at=now()
    )
    changed(printer)
    what = f"{len(same)} values agree" + (f", {len(differ)} do not" if differ else "")
    audit(user, "read back", printer, f"What {printer.name} has stored was read back: {what}.")
    return look(printer, text)
