"""Two things timed against each other in turns, so that what else the machine does falls on both."""

from __future__ import annotations

import os
import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass

# Like thread counts on both sides; to be said before numpy is loaded.
for name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS"):
    os.environ[name] = "1"


@dataclass
class Ratio:
    """``one_s`` and ``other_s``: medians in seconds; ``low`` to ``high``: the middle half of the ratios of the pairs."""

    one_s: float
    other_s: float
    median: float
    low: float
    high: float

    def words(self) -> str:
        """The ratio with its spread."""
        return f"{self.median:.1f} ({self.low:.1f} to {self.high:.1f})"


def ratio(one: Callable[[], object], other: Callable[[], object], pairs: int = 9) -> Ratio:
    """Time ``one`` and ``other`` in turns, once unseen and then so many pairs.

    A side that takes under 20 ms is repeated within its turn until it takes about that, for the clock's sake.
    """
    times = [[], []]  # type: list[list[float]]
    again = [max(1, int(0.02 / max(_timed(run, 1), 1e-6))) for run in (one, other)]
    for i in range(pairs):
        for k in (0, 1) if i % 2 else (1, 0):
            times[k].append(_timed((one, other)[k], again[k]))
    ratios = [a / b for a, b in zip(*times, strict=True)]
    low, median, high = statistics.quantiles(ratios, n=4)
    return Ratio(statistics.median(times[0]), statistics.median(times[1]), median, low, high)


def _timed(run: Callable[[], object], times: int) -> float:
    begun = time.perf_counter()
    for _ in range(times):
        run()
    return (time.perf_counter() - begun) / times
