"""The way that the weighing would have gone on the same machine: its questions, checks and repairs, by the same acts as a person's."""

from __future__ import annotations

import random
from collections.abc import Mapping
from functools import partial
from typing import Any

from pydantic import BaseModel, ConfigDict

from .. import procedures
from ..diagnosis.evidence import at_place, condensed
from ..diagnosis.shapes import DiagnoseContext, NextCheck, Observed, Question, RepairNow
from ..knowledge import SETUP_MINUTES, checks, faults, findings
from ..machine import WHOLE, Description
from ..procedures.base import Result
from ..procedures.diagnose import DiagnoseResult, analyse
from . import acts
from .lessons import Begun
from .senses import met
from .truth import At, Truth, gone, mend, simulated, sound

#: Steps, and minutes, after which it is given up: half a day.
MOST_STEPS, MOST_MINUTES = 60, 240.0
#: Minutes to look again after a repair.
LOOKING = 5.0


class WayStep(BaseModel):
    """One thing done: in words, what it took and what it cost."""

    model_config = ConfigDict(extra="forbid")

    words: str
    minutes: float
    cost: float = 0.0


class Way(BaseModel):
    """A way through a case: its steps, whether the machine was right in the end, and whether it was stopped for danger."""

    model_config = ConfigDict(extra="forbid")

    steps: list[WayStep]
    solved: bool
    stopped: bool = False
    #: The true cause's place among the bars at the start and after three answers (1 is first; 99: not among them).
    told_rank: int = 99
    three_rank: int = 99

    @property
    def minutes(self) -> float:
        """All of it."""
        return sum(s.minutes for s in self.steps)

    @property
    def cost(self) -> float:
        """All parts."""
        return sum(s.cost for s in self.steps)


class _Going:
    """Where the way stands."""

    def __init__(self, begun: Begun, description: Description, limits: acts.Limited, wrong: float, seed: int) -> None:
        self.begun, self.description, self.limits = begun, description, limits
        self.truth: Truth = begun.truth
        self.wrong, self.rng = wrong, random.Random(f"way {seed}")
        self.seen: list[dict[str, Any]] = [
            {"finding": t.finding, "axis": t.axis, "complaint": True} for t in begun.told
        ]
        self.set_up: list[str] = []
        self.tried: list[At] = []
        self.steps: list[WayStep] = []
        self.used: list[tuple[str, str | None]] = []
        self.asked: set[tuple[str, bool]] = set()
        self._sound: dict[tuple[str, str], Mapping[str, Any] | None] = {}
        self._measuring = 0

    def weigh(self) -> DiagnoseResult:
        """The bars and what comes next."""
        rows = condensed(Observed.model_validate(row) for row in self.seen)
        printer = self.description.model_dump(mode="json", include={"kinematics", "transmissions", "pairs"})
        return analyse(
            DiagnoseContext.model_validate(
                {
                    "printer": printer | {"homing": dict(self.truth.homing)}, "findings": list(rows.values()),
                    "events": [{"event": e.event, "days_before": e.days} for e in self.truth.events],
                    "setup_done": list(dict.fromkeys(self.set_up)), "most": 60,
                    "tried": [{"fault": t.fault, "axis": t.place or None} for t in self.tried],
                }
            )
        )  # fmt: skip

    def look(self, nodes: list[tuple[str, str | None]]) -> None:
        """What eye, ear and hand say of these; now and then one is overlooked, or invented."""
        told = [{"finding": m.finding, "axis": m.place or None, "there": m.there} for m in met(self.truth, nodes)]
        if told and self.rng.random() < self.wrong:
            there = [t for t in told if t["there"]]
            slip = self.rng.choice(there or told)
            slip["there"] = not slip["there"]
        self.seen += [
            {"finding": t["finding"], "axis": t["axis"], "state": "present" if t["there"] else "absent"} for t in told
        ]

    def answer(self, q: Question) -> None:
        """A question put to whoever complains."""
        shown = self.truth.signs()
        if q.places:
            where = [p for p in q.places if shown.there(q.finding, p)]
            self.seen += [{"finding": q.finding, "axis": p, "complaint": False} for p in where[:1]]
        else:
            self.look([(q.finding, None)])
        self.steps.append(WayStep(words=f"Asked: {q.label}", minutes=acts.ASKING))

    def do(self, n: NextCheck) -> None:
        """A check: what an instrument says where it has one, what hand and eye say of the rest."""
        check = checks()[n.check]
        self.used.append((n.check, n.axis))
        nodes = [(a.finding, None if a.axis is None else str(a.axis)) for a in n.asks]
        self.look(nodes)
        found: set[str] = set()
        if check.procedure is not None:
            for at in self._places(check.procedure, n.axis):
                result = self.measure(check.procedure, at)
                if result is not None:
                    rows = acts.findings_of(result)
                    self.seen += [{"finding": f.finding, "axis": f.axis, "state": f.state} for f in rows]
                    found |= {f.finding for f in rows}
        # What an instrument answers here and has no stand-in for is told as the signs have it.
        shown = self.truth.signs()
        for finding, place in nodes:
            if (
                findings()[finding].group == "measured"
                and finding not in found
                and not self._instrument(check.procedure)
            ):
                there = shown.there(finding, place)
                self.seen.append({"finding": finding, "axis": place, "state": "present" if there else "absent"})
        minutes = check.minutes + sum(SETUP_MINUTES[s] for s in check.setup if s not in self.set_up)
        self.set_up += check.setup
        self.steps.append(
            WayStep(words=at_place(check.label, None if n.axis is None else str(n.axis)), minutes=minutes)
        )

    def _instrument(self, procedure: str | None) -> bool:
        return procedure is not None and procedures.get(procedure).stand_in is not None

    def _places(self, procedure: str, axis: str | None) -> list[str]:
        here = procedures.get(procedure).places(self.description)
        if axis is not None and str(axis) in here:
            return [str(axis)]
        return list(here[:1]) if here and (axis is None or len(here) == 1) else list(here)

    def measure(self, procedure: str, place: str) -> Result | None:
        """One measurement, against what it was when the machine was sound."""
        self._measuring += 1
        sim = simulated(self.truth, self.description, self.limits, self._measuring)
        _, result = acts.measured(
            sim,
            procedure,
            place,
            self.description,
            self.limits,
            self.truth.seed + self._measuring,
            partial(self._before, procedure),
        )
        return result

    def _before(self, asking: str, procedure: str, place: str) -> Mapping[str, Any] | None:
        """What a measurement gave when the machine was sound, for one that asks of its own past."""
        if procedure != asking:
            return None
        if (procedure, place) not in self._sound:
            sim = simulated(sound(self.truth), self.description, self.limits)
            _, result = acts.measured(sim, procedure, place, self.description, self.limits, self.truth.seed)
            self._sound[procedure, place] = None if result is None else result.model_dump(mode="json")
        return self._sound[procedure, place]

    def repair(self, r: RepairNow) -> None:
        """A repair, and the print again."""
        fault = faults()[r.fault]
        place = "" if r.axis in (None, *WHOLE) else str(r.axis)
        self.truth = mend(self.truth, r.fault, place)
        self.tried.append(At(fault=r.fault, place="" if r.axis is None else str(r.axis)))
        self.steps.append(WayStep(words=f"Mended: {r.label}", minutes=fault.minutes, cost=acts.cost_of(fault)))
        if gone(self.truth):
            return
        # What it may have shown is looked for again: what is left of it has another cause.
        shown = self.truth.signs()
        again = {
            (row["finding"], row.get("axis"))
            for row in self.seen
            if row.get("state", "present") == "present" and row["finding"] in fault.shows
        }
        for finding, axis in sorted(again, key=str):
            state = "present" if shown.there(finding, axis) else "absent"
            self.seen.append({"finding": finding, "axis": axis, "state": state, "complaint": False})
        self.steps.append(WayStep(words="Looked again", minutes=LOOKING))


def follow(begun: Begun, description: Description, limits: acts.Limited, wrong: float = 0.0, seed: int = 1) -> Way:
    """Follow the advice on a lesson's machine until it is right, it is stopped for danger, or it is given up.

    ``wrong``: share of looks of which one answer is wrong.
    """
    going = _Going(begun, description, limits, wrong, seed)
    result = going.weigh()
    true = {f.fault for f in begun.truth.faults}
    told_rank = three_rank = _rank(result, true)
    answers = 0
    while len(going.steps) < MOST_STEPS and sum(s.minutes for s in going.steps) < MOST_MINUTES:
        if result.stop is not None:
            going.steps.append(WayStep(words="Stopped: unplugged and tagged out", minutes=acts.PLUG))
            dangerous = any(faults()[f].kind == "danger" or f == "heater_or_sensor_loose" for f in true)
            return Way(steps=going.steps, solved=dangerous, stopped=True, told_rank=told_rank, three_rank=three_rank)
        new = [q for q in result.ask if (q.finding, bool(q.places)) not in going.asked]
        if new:
            for q in new:
                going.asked.add((q.finding, bool(q.places)))
                going.answer(q)
        elif result.repair_now and not result.repair_now[0].beside:
            going.repair(result.repair_now[0])
            if gone(going.truth):
                return Way(steps=going.steps, solved=True, told_rank=told_rank, three_rank=three_rank)
        else:
            n = next((n for n in result.next if going.used.count((n.check, n.axis)) < 2), None)
            if n is None:
                break
            going.do(n)
            answers += 1
        result = going.weigh()
        if answers <= 3:
            three_rank = _rank(result, true)
    return Way(steps=going.steps, solved=False, told_rank=told_rank, three_rank=three_rank)


def _rank(result: DiagnoseResult, true: set[str]) -> int:
    """Place of the first true cause among the bars; a fault at any of its places counts."""
    order = list(dict.fromkeys(h.fault for h in result.hypotheses))
    return next((i + 1 for i, f in enumerate(order) if f in true), 99)
