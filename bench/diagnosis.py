"""How good the diagnosis is: the described cases replayed against its advice, a fixed checklist, and random order.

Run: ./kestov bench diagnosis. The cases (data/diagnosis_cases.json) say what such a machine would show: the complaint, and
what checks would find; all else is not there. A replay ends when the true cause is first and above 60 %, or when every
check is used up. Minutes are those of the checks with their set-up paid once, and of repairs that were tried first.
"""

from __future__ import annotations

import itertools
import json
import random
import sys
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from kestov_core import procedures
from kestov_core.diagnosis.places import PlacedCheck, machine_of, place_checks
from kestov_core.diagnosis.shapes import Question
from kestov_core.knowledge import SETUP_MINUTES, checks, faults, findings
from kestov_core.procedures.diagnose import DiagnoseContext, DiagnoseResult, analyse, bars

CASES = json.loads((Path(__file__).parent / "data" / "diagnosis_cases.json").read_text(encoding="utf-8"))
SURE = 0.6
#: Minutes to ask somebody a question.
ASKING = 0.5
#: Minutes after which a replay is given up: half a day.
MOST_MINUTES = 240.0

Node = tuple[str, str | None]
#: Faults whose case is rightly stopped.
STOPPED = {f.id for f in faults().values() if f.kind == "danger"} | {"hot_end_leaks", "heater_or_sensor_loose"}


@dataclass
class End:
    """How one replay ended."""

    rank_at_start: int
    first_at_end: bool
    minutes: float
    found: bool
    began: str = ""


def weigh(
    case: dict[str, Any], seen: list[dict[str, Any]], setup: list[str], tried: Any = (), ahead: bool = True
) -> DiagnoseResult:
    """One step of the engine."""
    context = {
        "printer": {"kinematics": case["kinematics"], "homing": case.get("homing", {})},
        "findings": seen,
        "events": case["events"],
        "setup_done": setup,
        "most": 60,
        "tried": list(tried),
    }
    return (analyse if ahead else bars)(DiagnoseContext.model_validate(context))


def rank(result: DiagnoseResult, case: dict[str, Any]) -> int:
    """Place of the first true cause among the bars (1 is first); a fault on any of its axes counts at that place."""
    truth = {t["fault"] for t in case["truth"]}
    places = [h.fault for h in result.hypotheses]
    return next((i + 1 for i, f in enumerate(dict.fromkeys(places)) if f in truth), 99)


def is_settled(result: DiagnoseResult, case: dict[str, Any]) -> bool:
    """The true cause (over its places) is first and sure, or the case was rightly stopped."""
    truth = {t["fault"] for t in case["truth"]}
    if result.stop is not None:
        return bool(truth & STOPPED)
    total: dict[str, float] = {}
    for h in result.hypotheses:
        total[h.fault] = total.get(h.fault, 0.0) + h.probability
    first = max(total, key=lambda f: total[f])
    return first in truth and total[first] >= SURE


def is_there(case: dict[str, Any], finding: str, axis: str | None) -> bool:
    """Whether a look at this place would show it; what is described by its quantities has its places, whatever was told."""
    return any(
        f["finding"] in (finding, *findings()[finding].either)
        and f.get("state", "present") == "present"
        and (axis is None or f.get("axis") in (None, "all", axis))
        for f in (case["found_by_checks"] if case.get("exact") else case["complaint"] + case["found_by_checks"])
    )


def look(case: dict[str, Any], nodes: Iterable[Node], wrong: float, rng: random.Random) -> list[dict[str, Any]]:
    """What a check of these nodes says. With chance ``wrong`` its answer is wrong: one thing is overlooked, or invented."""
    said = {node: is_there(case, *node) for node in nodes}
    if rng.random() < wrong:
        there = [n for n, yes in said.items() if yes]
        slip = rng.choice(there) if there else rng.choice(list(said))
        said[slip] = not said[slip]
    return [{"finding": f, "axis": a, "state": "present" if yes else "absent"} for (f, a), yes in said.items()]


def asked(case: dict[str, Any], question: Question, wrong: float, rng: random.Random) -> list[dict[str, Any]]:
    """The answer to a question; to one that asks where, the place where it is."""
    if not question.places:
        return look(case, [(question.finding, None)], wrong, rng)
    where = [p for p in question.places if is_there(case, question.finding, p)]
    return [{"finding": question.finding, "axis": p} for p in where[:1]]


def replay(case: dict[str, Any], order: Order, drop: float = 0.0, wrong: float = 0.0, seed: int = 1) -> End:
    """Follow an order of checks (and, where it advises, of repairs tried first) until the cause is found."""
    rng = random.Random(f"{seed}{case['id']}")
    truth = {t["fault"] for t in case["truth"]}
    told = [{**f, "complaint": f.get("state", "present") == "present"} for f in case["complaint"]]
    seen = [f for f in told if rng.random() >= drop] or told[:1]
    setup: list[str] = []
    tried: list[dict[str, str | None]] = []
    minutes, used = 0.0, list[tuple[str, str | None]]()
    result = weigh(case, seen, setup)
    start, began, put = rank(result, case), "", set[tuple[str, bool]]()
    while not is_settled(result, case):
        # What is worth asking is asked at once, of whoever complains.
        new = [q for q in result.ask if (q.finding, bool(q.places)) not in put]
        if order.ahead and new:
            for q in new:
                put.add((q.finding, bool(q.places)))
                minutes += ASKING
                seen += asked(case, q, wrong, rng)
            result = weigh(case, seen, setup, tried)
            continue
        if order.ahead and result.repair_now and not result.repair_now[0].beside:
            repair = result.repair_now[0]
            began = began or f"repair {repair.fault}"
            minutes += repair.minutes + 5
            if repair.fault in truth:
                return End(start, True, minutes, True, began)
            tried.append({"fault": repair.fault, "axis": repair.axis})
        else:
            step = order.pick(result, used)
            if step is None or minutes > MOST_MINUTES:
                return End(start, rank(result, case) == 1, MOST_MINUTES, False, began)
            used.append((step.check.id, step.axis))
            began = began or step.check.id
            minutes += step.check.minutes + sum(SETUP_MINUTES[s] for s in step.check.setup if s not in setup)
            setup += [s for s in step.check.setup if s not in setup]
            seen += look(case, step.nodes, wrong, rng)
        result = weigh(case, seen, setup, tried, order.ahead)
    return End(start, rank(result, case) == 1, minutes, True, began)


@dataclass
class Order:
    """Which check comes next; ``ahead``: the engine is asked to look ahead."""

    pick: Callable[[DiagnoseResult, list[Any]], Any]
    ahead: bool


def advised() -> Order:
    """The engine's own advice."""

    def pick(result: DiagnoseResult, used: list[Any]) -> PlacedCheck | None:
        for n in result.next:
            if sum(u == (n.check, n.axis) for u in used) < 2:
                return PlacedCheck(checks()[n.check], n.axis, tuple((a.finding, a.axis) for a in n.asks))
        return None

    return Order(pick, True)


def fixed(case: dict[str, Any], shuffle: random.Random | None = None) -> Order:
    """The fixed checklist in its order, or the same in random order."""
    listed = list(checks())
    last = listed.index("hotter_or_slower")
    rows = [r for r in place_checks(machine_of(case["kinematics"])) if listed.index(r.check.id) <= last]
    if shuffle:
        shuffle.shuffle(rows)
    left = iter(rows)
    return Order(lambda result, used: next(left, None), False)


def summary(name: str, ends: list[End]) -> str:
    """One line of figures."""
    first = sum(e.rank_at_start == 1 for e in ends) / len(ends)
    three = sum(e.rank_at_start <= 3 for e in ends) / len(ends)
    found = [e for e in ends if e.found]
    return (
        f"{name:<34} first {100 * first:3.0f} %  in three {100 * three:3.0f} %  found {100 * len(found) / len(ends):3.0f} %  "
        f"minutes: median {np.median([e.minutes for e in ends]):5.0f}, mean {np.mean([e.minutes for e in ends]):5.0f}"
    )


def calibration(cases: list[dict[str, Any]]) -> str:
    """Brier score over all bars, and how often bars of each height were true (after the complaint, and with all that checks find)."""
    said, true = [], []
    for case in cases:
        for seen in (case["complaint"], case["complaint"] + case["found_by_checks"]):
            truth = {t["fault"] for t in case["truth"]}
            total: dict[str, float] = {}
            for h in weigh(case, seen, [], ahead=False).hypotheses:
                total[h.fault] = min(1.0, total.get(h.fault, 0.0) + h.probability)
            said += total.values()
            true += [f in truth for f in total]
    p, t = np.array(said), np.array(true, dtype=float)
    rows = [
        f"Brier score {np.mean((p - t) ** 2):.4f} over {len(p)} bars (always the base rate: {np.mean((t.mean() - t) ** 2):.4f})"
    ]
    edges = [0, 0.05, 0.15, 0.3, 0.5, 0.7, 0.85, 1.0001]
    for low, high in itertools.pairwise(edges):
        inside = (p >= low) & (p < high)
        if inside.any():
            rows.append(
                f"  said {100 * p[inside].mean():3.0f} %: true {100 * t[inside].mean():3.0f} %  {'#' * round(40 * t[inside].mean()):<40} ({inside.sum()})"
            )
    return "\n".join(rows)


def main() -> None:
    """Print the report; of simulated machines where that is asked."""
    if "--simulated" in sys.argv:
        import simulated

        return simulated.main(*(int(a) for a in sys.argv[2:] if a.isdigit()))
    print(f"{len(CASES)} cases, {len({t['fault'] for c in CASES for t in c['truth']})} faults, {len(checks())} checks")
    advice = [replay(c, advised()) for c in CASES]
    print(summary("advice", advice))
    print(summary("fixed checklist", [replay(c, fixed(c)) for c in CASES]))
    print(summary("random order", [replay(c, fixed(c, random.Random(7))) for c in CASES]))
    print(calibration(CASES))
    slow = [c["id"] for c, e in zip(CASES, advice, strict=True) if not e.found]
    if slow:
        print("not found:", ", ".join(slow))
    big = next(c for c in CASES if c["id"] == "two_faults")
    context = DiagnoseContext.model_validate(
        {"printer": {"kinematics": "corexy"}, "findings": big["complaint"] + big["found_by_checks"]}
    )
    procedures.get("diagnose")
    taken = []
    for _ in range(20):
        begin = time.perf_counter()
        placed = analyse(context).placed_faults
        taken.append(time.perf_counter() - begin)
    print(f"one full step on a CoreXY with {placed} placed faults: {1000 * min(taken):.0f} ms (at most 50)")
    for drop, wrong in ((0.3, 0.0), (0.0, 0.05), (0.0, 0.1), (0.3, 0.1)):
        print(
            summary(
                f"advice, {drop:.0%} dropped, {wrong:.0%} wrong", [replay(c, advised(), drop, wrong) for c in CASES]
            )
        )


if __name__ == "__main__":
    main()
