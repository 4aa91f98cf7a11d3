"""What was done to a machine, from all that tells it: events that were written down, what was turned, and remedies.

Each with the place, and with what it may put in doubt (the core's table; of a remedy, what it asks to be measured again).
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from kestov_core import knowledge, procedures
from kestov_core.condition.baseline import measured_in_doubt, reaches, stored_in_doubt, words_of
from kestov_core.condition.stored import all_stored
from kestov_core.knowledge.ledger import Upset
from kestov_core.machine import Description
from workshop.models import Event, Printer

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
        return measured_in_doubt(self.event, motion, self.place, procedure, place)

    def unsettles(self, motion: Description, name: str) -> bool | None:
        """Whether a stored value may be lost by it (True), or may no longer fit (False); None: it leaves it alone."""
        if self.remeasure:
            stored = all_stored().get(name)
            if stored is None or stored.kind.measured_by not in self.remeasure:
                return None
            return False if reaches(_REMEDY, motion, self.place, stored.place or "all") else None
        return stored_in_doubt(self.event, motion, self.place, name)


def happened(printer: Printer, after: datetime | None = None) -> list[Happening]:
    """All that was done to a machine since a moment, in no order."""
    events, actions = Event.objects.filter(printer=printer), Action.objects.filter(printer=printer)
    if after is not None:
        events, actions = events.filter(at__gt=after), actions.filter(at__gt=after)
    out = [Happening(e.at, e.event, e.place, words_of(e.event)) for e in events]
    for a in actions:
        if a.kind == "turn_tensioner":
            out.append(Happening(a.at, "belt_tensioned", a.place, f"belt {a.place.upper()} was turned"))
        elif a.kind == "turn":
            how = procedures.get(a.procedure).turned
            if how is not None:
                out.append(Happening(a.at, how.event, a.place, f"{a.target} was turned", turned=a.procedure))
        elif (fault := knowledge.faults().get(a.fault)) is not None:
            words = f"a remedy was done ({fault.label.lower()})"
            out.append(Happening(a.at, "", a.place, words, remeasure=tuple(fault.after)))
    return out
