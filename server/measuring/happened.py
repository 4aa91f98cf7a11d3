"""What was done to a machine, from all that tells it: events that were written down, what was turned, and remedies.

Each with the place, and with what it may put in doubt (the core's table; of a remedy, what it asks to be measured again).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

from kestov_core import knowledge, procedures
from kestov_core.condition.baseline import Table, measured_in_doubt, reaches, stored_in_doubt, words_of
from kestov_core.condition.stored import all_stored
from kestov_core.knowledge.ledger import Upset
from kestov_core.machine import Description
from workshop.models import Event, Printer

from . import doubts
from .models import Action

#: A remedy reaches what its place moves.
_REMEDY = Upset(event="remedy", words="a remedy was done", at=True)


@dataclass(frozen=True)
class Happening:
    """Something that was done: when, where ("" for the whole machine), and in words.

    ``event``: as the table of doubts calls it. ``turned``: the procedure that it was turned by; ``remeasure``: of a remedy, the
    procedures that are wanted after it.
    """

    at: datetime
    event: str
    place: str
    words: str
    turned: str = ""
    remeasure: tuple[str, ...] = ()
    #: What events put in doubt in this workshop.
    table: Table | None = field(default=None, compare=False, repr=False)

    def overtakes(self, motion: Description, procedure: str, place: str) -> bool:
        """Whether a figure of a place, taken before, says nothing of today."""
        if self.remeasure:
            return procedure in self.remeasure and reaches(_REMEDY, motion, self.place, place)
        if self.turned:
            how = procedures.get(self.turned).turned
            return how is not None and procedure in how.upsets
        # Belt x and axis x are two places: a belt that was turned says nothing of a travel test.
        if self.event == "belt_tensioned" and procedures.get(procedure).measures == "belt":
            return place == self.place or not self.place
        return measured_in_doubt(self.event, motion, self.place, procedure, place, self.table)

    def unsettles(self, motion: Description, name: str) -> bool | None:
        """Whether a stored value may be lost by it (True), or may no longer fit (False); None: it leaves it alone."""
        if self.remeasure:
            stored = all_stored().get(name)
            if stored is None or stored.kind.measured_by not in self.remeasure:
                return None
            return False if reaches(_REMEDY, motion, self.place, stored.place or "all") else None
        return stored_in_doubt(self.event, motion, self.place, name, self.table)


def happened(printer: Printer, after: datetime | None = None) -> list[Happening]:
    """All that was done to a machine since a moment, in no order."""
    return happened_on([printer], after)[printer.pk]


def happened_on(printers: Sequence[Printer], after: datetime | None = None) -> dict[int, list[Happening]]:
    """All that was done to machines since a moment, by machine and in no order."""
    events, actions = Event.objects.filter(printer__in=printers), Action.objects.filter(printer__in=printers)
    if after is not None:
        events, actions = events.filter(at__gt=after), actions.filter(at__gt=after)
    out: dict[int, list[Happening]] = {p.pk: [] for p in printers}
    table = doubts.table()
    for e in events:
        out[e.printer_id].append(Happening(e.at, e.event, e.place, words_of(e.event), table=table))
    for a in actions:
        told = _of_action(a)
        if told is not None:
            out[a.printer_id].append(replace(told, table=table))
    return out


def _of_action(a: Action) -> Happening | None:
    if a.kind == "turn_tensioner":
        return Happening(a.at, "belt_tensioned", a.place, f"belt {a.place.upper()} was turned")
    if a.kind == "turn":
        how = procedures.get(a.procedure).turned
        return (
            None if how is None else Happening(a.at, how.event, a.place, f"{a.target} was turned", turned=a.procedure)
        )
    fault = knowledge.faults().get(a.fault)
    if fault is None:
        return None
    words = f"a remedy was done ({fault.label.lower()})"
    return Happening(a.at, "", a.place, words, remeasure=tuple(fault.after))
