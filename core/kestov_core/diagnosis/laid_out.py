"""A case laid out for the arithmetic: which faults stand where on this machine, their rates, and what they show.

Not here: what has been seen (`evidence`), what to do next (`ahead`).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from ..knowledge import Fault, findings
from ..knowledge.mended import Book, book
from ..machine import WHOLE
from . import engine
from .evidence import belief, noise, speaks_of_two
from .places import Machine, Placed, machine_of, place_faults
from .shapes import DiagnoseContext, Observed, Reason

Array = engine.Array
#: A finding at a place, or anywhere.
Node = tuple[str, str | None]

#: Days in which an event's weight falls to a third.
EVENT_DAYS = 40.0
#: Minutes to prove a repair: of a short test where nothing is measured again, and at most (a long one proves more than this).
SHORT_PROOF, LONG_PROOF = 5.0, 15.0
#: What is left of a fault's chance when it was mended and the trouble stayed.
TRIED = 0.03
#: Strength (in complaints) of the knowledge's own base rates beside what the workshop has confirmed.
BASE_STRENGTH = 40.0
#: Two things done within so many days of each other cannot be told apart by date alone.
TOGETHER_DAYS = 3.0


@dataclass
class Case:
    """A case laid out as arrays over the placed faults: their rates, the words for what moved each, minutes to mend each.

    ``known``: the knowledge that it is weighed by.
    """

    machine: Machine
    known: Book
    placed: list[Placed]
    rates: Array
    factors: list[list[Reason]]
    repair: Array

    def column(self, finding: str, axis: str | None) -> tuple[Array, Array]:
        """u = 1 - p and h of one finding at one place."""
        return _column(self.machine, self.known, finding, axis)

    def observe(self, w: engine.Weights, o: Observed, believed: float | None = None) -> engine.Weights:
        """Weights after one observation; what nobody knows changes nothing."""
        if o.state == "unknown" and o.value is None:
            return w
        b = belief(o) if believed is None else believed
        return engine.observe(w, *self.column(o.finding, o.axis), b, *noise(o.finding, o.complaint))

    def cost(self, w: engine.Weights) -> float:
        """Expected minutes to a fixed machine by repairs alone, as things stand."""
        return float(engine.cost_of_repair(w.marginals()[0][:, None], self.repair)[0])

    def label(self, i: int) -> str:
        """A placed fault in words."""
        at = self.placed[i]
        return at.fault.label if at.axis in (*WHOLE, "e") else f"{at.fault.label}, {at.axis.upper()}"


@lru_cache(maxsize=64)
def placed_on(machine: Machine, known: Book) -> list[Placed]:
    """Every fault of a machine at each of its places."""
    return place_faults(machine, known)


@lru_cache(maxsize=20_000)
def _column(machine: Machine, known: Book, finding: str, axis: str | None) -> tuple[Array, Array]:
    """u and h of a finding; what stands for several is there where any of them is."""
    placed, kind = placed_on(machine, known), findings()[finding]
    u, h = np.ones(len(placed)), np.ones(len(placed))
    for name in kind.either or [finding]:
        for i, at in enumerate(placed):
            if at.shows_at(findings()[name], axis):
                u[i] *= 1 - at.fault.shows.get(name, 0.0)
                h[i] = min(h[i], at.fault.hides.get(name, 1.0))
    for column in (u, h):
        column.setflags(write=False)
    return u, h


def lay_out(context: DiagnoseContext) -> Case:
    """A case by its machine and history, before anything is seen."""
    printer = context.printer
    kinds: dict[str, str] = {p: str(t.get("kind", "")) for p, t in printer.transmissions.items()}
    if not kinds and printer.kinematics == "fixed_bed" and speaks_of_two(context):
        kinds = {"x": "belt", "y1": "belt", "y2": "belt"}
    machine = machine_of(
        printer.kinematics, kinds, [[*pair] for pair in printer.pairs], {str(k): v for k, v in printer.homing.items()}
    )
    known = book(context.mended)
    placed = placed_on(machine, known)
    count: dict[str, int] = {}
    for at in placed:
        count[at.fault.id] = count.get(at.fault.id, 0) + 1
    ages: dict[tuple[str, str], float] = {(f, a.axis): a.life_share for a in context.parts for f in a.faults or [""]}
    confirmed = sum(context.confirmed.values())
    rates, factors = np.zeros(len(placed)), []
    newest = newest_of(context)
    for i, at in enumerate(placed):
        base = (at.fault.base * BASE_STRENGTH + 100 * context.confirmed.get(at.fault.id, 0)) / (
            BASE_STRENGTH + confirmed
        )
        factor, reasons = _history(at, context, newest, ages)
        rates[i] = base * factor / count[at.fault.id]
        factors.append(reasons)
    repair = np.array([at.fault.minutes + proof_minutes(at.fault, known) for at in placed])
    return Case(machine, known, placed, rates, factors, repair)


def proof_minutes(fault: Fault, known: Book) -> float:
    """Minutes to see whether a repair has helped: a repair is not done before what it touches is measured again."""
    again = [c.minutes for c in known.checks.values() if c.procedure in fault.after]
    return min(max(min(again, default=0.0), SHORT_PROOF), LONG_PROOF)


def newest_of(context: DiagnoseContext) -> dict[str, float]:
    """Days before the trouble of each kind of event. Told twice it was still done once: the newest counts."""
    return {e.event: e.days_before for e in sorted(context.events, key=lambda e: -e.days_before)}


def together(newest: dict[str, float]) -> set[str]:
    """Events that were done within a few days of another one: none of them can be blamed by its date alone."""
    return {
        e
        for e, d in newest.items()
        if any(o != e and abs(d - t) <= TOGETHER_DAYS for o, t in newest.items()) and d < 2 * EVENT_DAYS
    }


def _history(
    at: Placed, context: DiagnoseContext, newest: dict[str, float], ages: dict[tuple[str, str], float]
) -> tuple[float, list[Reason]]:
    """Factor on the base rate from what was done before and from the part's age, with the words for it."""
    factor, reasons = 1.0, []
    both = together(newest)
    for event, days in newest.items():
        strength = at.fault.events.get(event)
        if strength is None:
            continue
        k = strength ** ((0.5 if event in both else 1.0) * math.exp(-days / EVENT_DAYS))
        factor *= k
        when = "the same day" if days < 1 else f"{days:.0f} days before"
        done = event.replace("_", " ")
        words = f"Began after: {done}, {when}" if k > 1 else f"{done.capitalize()}, {when}"
        reasons.append(Reason(words=words, bits=math.log2(k), event=event))
    if any(t.fault == at.fault.id and t.axis in (None, at.axis) for t in context.tried):
        factor *= TRIED
        reasons.append(Reason(words="Mended already, and it did not help", bits=math.log2(TRIED)))
    age = ages.get((at.fault.id, at.axis), ages.get(("", at.axis)))
    if at.fault.wears and age is not None:
        k = 0.3 + 1.4 * age
        factor *= k
        reasons.append(
            Reason(words=f"The part has {100 * age:.0f} % of its expected life behind it", bits=math.log2(k))
        )
    return factor, reasons


def place_of(axis: str | None) -> Any:
    """A place as the result's models take it: the names come from `places`, which knows no others."""
    return axis


def percent(chance: float) -> str:
    """A chance in words, its sign kept beside its figure."""
    return f"{100 * chance:.0f}\N{NO-BREAK SPACE}%"


def small(label: str) -> str:
    """A label inside a sentence."""
    return label[0].lower() + label[1:]
