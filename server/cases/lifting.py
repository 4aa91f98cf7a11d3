"""What is still missing before a tagged machine may be used again, and the lifting of its tag.

Asked is what its reason calls for and what the record says is wrong: a danger that is still open, work that is not proven, places
outside their limits, parts in which trouble was found, a memory that was not read back. A danger is never talked away.
"""

from __future__ import annotations

from dataclasses import dataclass

from measuring import ledger
from people.models import User
from people.refusals import Refused
from workshop import tags
from workshop.models import Printer

from .acts import dangers
from .machines import MachineNow, machine
from .models import State

#: More are not told at once.
_MOST = 8


@dataclass(frozen=True)
class Missing:
    """One thing that is missing, in words, and where it is seen to. ``danger``: without it the tag stays, whatever is said."""

    words: str
    leads_to: str
    danger: bool = False


def missing(now: MachineNow) -> list[Missing]:
    """What is still missing before this machine may be used, the gravest first."""
    printer = now.printer
    out = []
    grave = dangers()
    for case in now.cases:
        if case.observations.filter(finding__in=grave, state="present", withdrawn=False).exists():
            out.append(Missing(f"A case with a danger is open: {case.title}", f"/cases/{case.pk}", True))
        elif case.state in (State.IN_WORK, State.NOT_VERIFIED):
            out.append(Missing(f"A case is not proven yet: {case.title}", f"/cases/{case.pk}"))
    for place in now.condition.places:
        shown = place.worst
        if shown is not None and place.condition in ("out_of_adjustment", "worn", "failed"):
            where = f"/bench/{printer.pk}/{shown.procedure}/{place.place}"
            out.append(Missing(f"{place.reason} Measure it again.", where))
    out += [Missing(f"Trouble was found: {words}.", f"/machines/{printer.pk}/parts") for words, _ in now.found]
    if any(e.stand == "in_doubt" and e.lost for e in ledger.standing(printer)):
        out.append(Missing("What it has stored was not read back.", f"/machines/{printer.pk}/stored"))
    return out[:_MOST]


def lift(printer: Printer, user: User, verified: str = "") -> None:
    """Put a machine back in use. ``verified``: how that which is missing was made sure of otherwise; a danger has to be closed."""
    left = missing(machine(printer))
    if any(m.danger for m in left):
        raise Refused(
            409,
            "danger_open",
            "A case with a danger is still open on this machine. Close it first, with what was found.",
        )
    if left and not verified.strip():
        told = " ".join(m.words if m.words.endswith(".") else f"{m.words}." for m in left[:3])
        raise Refused(
            409, "not_verified", f"Still missing: {told} See to it, or say how it was made sure of.", "verified"
        )
    tags.lift(printer, user, verified)
