"""How good the diagnosis is on simulated machines: it never sees what they were made from.

Run: ./kestov bench diagnosis --simulated [how many]. Machines of all five kinematics with one true fault (one in eight has two)
are drawn in their own quantities (`simulator.ailing`); what they show (`simulator.signs`) is what a person complains of and
what each check answers. Prints the figures and draws docs/diagnosis-confusion.svg: which faults are taken for which.
"""

from __future__ import annotations

import itertools
import random
import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import diagnosis
import numpy as np
from kestov_core.knowledge import faults, findings
from kestov_core.simulator.ailing import draw
from kestov_core.simulator.signs import signs

KINEMATICS = ("bed_slinger", "fixed_bed", "corexy", "delta", "belt_bed")
MATRIX = Path(__file__).parents[1] / "docs" / "diagnosis-confusion.svg"
#: Share of answers (what a check as a whole says) that are wrong with a practised person: typical.
USUAL = 0.05
SALIENT = {"print": 3.0, "sound": 2.0, "machine": 2.0, "danger": 50.0}


def make(seed: int) -> dict[str, Any] | None:
    """A case: what a simulated machine shows, and what somebody says of it; None where nobody would notice anything."""
    rng = random.Random(seed)
    kinematics = KINEMATICS[seed % 5]
    machine = draw(kinematics, seed, faults=2 if seed % 8 == 3 else 1)
    shown = signs(machine, seed)
    rows = [{"finding": f, "axis": p} for f, places in sorted(shown.at.items()) for p in sorted(places, key=str)]
    told = complaint(rows, rng)
    if not told:
        return None
    return {
        "id": str(seed), "exact": True, "kinematics": kinematics, "homing": machine.homing, "complaint": told, "found_by_checks": rows,
        "events": [{"event": e, "days_before": d} for e, d in machine.events],
        "truth": [{"fault": f, "axis": p} for f, p in machine.truth],
    }  # fmt: skip


def complaint(rows: list[dict[str, Any]], rng: random.Random) -> list[dict[str, Any]]:
    """One to three of the signs that anybody meets, the more striking the likelier; the place is told in six of ten."""
    kinds = findings()
    met = [r for r in rows if kinds[r["finding"]].group in SALIENT]
    striking = [r for r in met if not kinds[r["finding"]].qualifies]
    if not striking:
        return []
    told: list[dict[str, Any]] = []
    first = rng.choices(striking, [SALIENT[kinds[r["finding"]].group] for r in striking])[0]
    rest = [r for r in met if r["finding"] != first["finding"]]
    more = [r for r in rng.sample(rest, len(rest)) if r["finding"]][: rng.choices((0, 1, 2), (0.5, 0.35, 0.15))[0]]
    general = {c: k.id for k in kinds.values() for c in k.either}
    for r in (first, *more):
        name = general[r["finding"]] if r["finding"] in general and rng.random() < 0.3 else r["finding"]
        told.append({"finding": name, "axis": r["axis"] if rng.random() < 0.6 else None})
    return told


def after_three(case: dict[str, Any], wrong: float) -> diagnosis.DiagnoseResult:
    """The bars after what was told and three answers: what the first three checks that it advises show."""
    rng = random.Random(f"three {case['id']}")
    seen = [{**f, "complaint": True} for f in case["complaint"]]
    result = diagnosis.weigh(case, seen, [])
    for _ in range(3):
        if result.stop is not None or not result.next or diagnosis.is_settled(result, case):
            break
        seen += diagnosis.look(case, [(a.finding, a.axis) for a in result.next[0].asks], wrong, rng)
        result = diagnosis.weigh(case, seen, [])
    return result


def one(seed: int) -> dict[str, Any] | None:
    """Everything that is counted of one case."""
    case = make(seed)
    if case is None:
        return None
    three = after_three(case, USUAL)
    end = diagnosis.replay(case, diagnosis.advised(), wrong=USUAL)
    total: dict[str, float] = {}
    for h in three.hypotheses:
        total[h.fault] = min(1.0, total.get(h.fault, 0.0) + h.probability)
    truth = [t["fault"] for t in case["truth"]]
    places = list(dict.fromkeys(h.fault for h in three.hypotheses))
    return {
        "case": case, "truth": truth, "told": end.rank_at_start, "three": diagnosis.rank(three, case), "bars": total,
        "first": places[0], "end": end, "fixed": diagnosis.replay(case, diagnosis.fixed(case), wrong=USUAL),
        "wrong": diagnosis.replay(case, diagnosis.advised(), wrong=0.1), "began": end.began,
    }  # fmt: skip


def report(rows: list[dict[str, Any]]) -> str:
    """The figures in words."""
    n = len(rows)

    def share(key: str, most: int) -> float:
        return 100 * sum(r[key] <= most for r in rows) / n

    def minutes(key: str) -> str:
        m = [r[key].minutes for r in rows]
        found = 100 * sum(r[key].found for r in rows) / n
        return f"found {found:3.0f} %, minutes: median {np.median(m):4.0f}, mean {np.mean(m):4.0f}"

    lines = [
        f"{n} simulated machines, {len({f for r in rows for f in r['truth']})} faults, one in eight with two; {100 * USUAL:.0f} % of all answers are wrong",
        f"from the complaint alone       first {share('told', 1):3.0f} %  in three {share('told', 3):3.0f} %",
        f"with three answers             first {share('three', 1):3.0f} %  in three {share('three', 3):3.0f} %",
        f"following the advice           {minutes('end')}",
        f"the fixed checklist            {minutes('fixed')}",
        f"one answer in ten wrong        {minutes('wrong')}",
    ]
    p = np.array([v for r in rows for v in r["bars"].values()])
    t = np.array([f in r["truth"] for r in rows for f in r["bars"]], dtype=float)
    for low, high in itertools.pairwise([0, 0.05, 0.15, 0.3, 0.5, 0.7, 0.85, 1.0001]):
        inside = (p >= low) & (p < high)
        if inside.any():
            lines.append(
                f"  said {100 * p[inside].mean():3.0f} %: true {100 * t[inside].mean():3.0f} %  ({inside.sum()} bars)"
            )
    began = Counter(r["began"] for r in rows)
    lines.append("first step: " + ", ".join(f"{k} {v}" for k, v in began.most_common(12)))
    mixed = Counter((r["truth"][0], r["first"]) for r in rows if r["first"] not in r["truth"])
    lines.append("taken for another after three answers:")
    lines += [f"  {v} x {a} for {b}" for (a, b), v in mixed.most_common(25)]
    slow = Counter(r["truth"][0] for r in rows if not r["end"].found)
    lines.append("not found: " + (", ".join(f"{k} {v}" for k, v in slow.most_common()) or "none"))
    return "\n".join(lines)


def matrix(rows: list[dict[str, Any]]) -> str:
    """Which fault stands first for which true one, with three answers, as a picture: a square's darkness is the share."""
    names = [f for f in faults() if any(f == r["truth"][0] for r in rows)]
    at = {f: i for i, f in enumerate(names)}
    counts = np.zeros((len(names), len(names)))
    for r in rows:
        if len(r["truth"]) == 1 and r["first"] in at:
            counts[at[r["truth"][0]], at[r["first"]]] += 1
    shares = counts / np.maximum(1, counts.sum(axis=1, keepdims=True))
    cell, left, top = 11, 250, 250
    size = cell * len(names)
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {left + size + 10} {top + size + 40}" font-family="sans-serif" font-size="9">',
        "<title>Which fault stands first (across) for which true fault (down), after what was told and three answers</title>",
        f'<rect width="{left + size + 10}" height="{top + size + 40}" fill="#f3f5f1"/>',
        f'<text x="{left}" y="{top + size + 28}" font-size="12">down: the true fault; across: what stands first after three answers; black: always</text>',
    ]
    for f, i in at.items():
        label = faults()[f].label.replace("&", "&amp;")
        y = top + i * cell
        out.append(f'<text x="{left - 6}" y="{y + 9}" text-anchor="end">{label[:48]}</text>')
        out.append(f'<text transform="translate({left + i * cell + 9} {top - 6}) rotate(-90)">{label[:48]}</text>')
        out.append(f'<path d="M{left} {y}h{size}M{left + i * cell} {top}v{size}" stroke="#d7dcd3" stroke-width="0.5"/>')
    for i, j in zip(*np.nonzero(counts), strict=True):
        words = f"{faults()[names[i]].label} taken for {faults()[names[j]].label}: {100 * shares[i, j]:.0f} %"
        out.append(
            f'<rect x="{left + j * cell}" y="{top + i * cell}" width="{cell}" height="{cell}" '
            f'fill="{"#1d2b2a" if i == j else "#b4481e"}" fill-opacity="{shares[i, j]:.2f}"><title>{words}</title></rect>'
        )
    return "\n".join([*out, "</svg>", ""])


def main(how_many: int = 1000) -> None:
    """Print the report and draw the matrix."""
    with ProcessPoolExecutor() as pool:
        rows = [r for r in pool.map(one, range(1, how_many + 1), chunksize=8) if r is not None]
    print(report(rows))
    MATRIX.write_text(matrix(rows), encoding="utf-8")


if __name__ == "__main__":
    main(*(int(a) for a in sys.argv[1:] if a.isdigit()))
