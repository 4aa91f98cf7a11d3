"""How well the advice solves practice machines, by the same acts as a person: it looks, measures with simulated instruments, mends.

Run: ./kestov bench practice [how many]. Machines of all five kinematics by seed, every eighth with two faults; of all looks one in twenty
has one answer wrong. Prints how many were put right, in which time, at what cost of parts, and which were not. Nothing is timed.
"""

from __future__ import annotations

import os
import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np
from kestov_core.errors import BadInput
from kestov_core.practice import advice, lessons
from kestov_core.practice.advice import Way

KINEMATICS = ("bed_slinger", "fixed_bed", "corexy", "delta", "belt_bed")
#: Share of looks of which one answer is wrong with a practised person: typical.
USUAL = 0.05


def one(seed: int) -> tuple[list[str], Way] | None:
    """The true faults of a machine and the way through it; None where nobody would complain."""
    kinematics = KINEMATICS[seed % 5]
    try:
        begun = lessons.by_chance(kinematics, seed, "two" if seed % 8 == 3 else "one")
    except BadInput:
        return None
    way = advice.follow(begun, lessons.machines()[kinematics].description, lessons.limits(), USUAL, seed)
    return [f.fault for f in begun.truth.faults], way


def report(rows: list[tuple[list[str], Way]]) -> str:
    """The figures in words."""
    n, ways = len(rows), [w for _, w in rows]

    def share(key: str, most: int) -> float:
        return 100 * sum(getattr(w, key) <= most for w in ways) / n

    solved = [w for w in ways if w.solved]
    minutes, cost = [w.minutes for w in ways], [w.cost for w in ways]
    missed = Counter(faults[0] for faults, w in rows if not w.solved)
    lines = [
        f"{n} practice machines, {len({f for faults, _ in rows for f in faults})} faults, one in eight with two; in {100 * USUAL:.0f} % of all looks one answer is wrong",
        f"from the complaint alone       first {share('told_rank', 1):3.0f} %  in three {share('told_rank', 3):3.0f} %",
        f"with three checks              first {share('three_rank', 1):3.0f} %  in three {share('three_rank', 3):3.0f} %",
        f"put right                      {100 * len(solved) / n:3.0f} %, minutes: median {np.median(minutes):4.0f}, mean {np.mean(minutes):4.0f}; parts: mean {np.mean(cost):.1f}",
        f"stopped for danger             {sum(w.stopped for w in ways)}, rightly {sum(w.stopped and w.solved for w in ways)}",
        "not put right: " + (", ".join(f"{k} {v}" for k, v in missed.most_common()) or "none"),
    ]
    return "\n".join(lines)


def main(how_many: int = 1000) -> None:
    """Print the report."""
    with ProcessPoolExecutor() as pool:
        rows = [r for r in pool.map(one, range(1, how_many + 1), chunksize=4) if r is not None]
    print(report(rows))


if __name__ == "__main__":
    main(*(int(a) for a in sys.argv[1:] if a.isdigit()))
