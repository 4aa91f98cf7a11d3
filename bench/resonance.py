"""How long the analysis of a large capture takes, in passes of `scipy.signal.welch` over its three axes, reading aside.

60 s at 3200 samples a second, three axes; sweep, knocks and noise; clock jitter and a gap. Prints one JSON object.
"""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from functools import partial

import numpy as np
from kestov_core.procedures.resonance import ResonanceContext, analyse_rows
from kestov_core.readers import read_columns
from kestov_core.simulator.shaking import Sensor, Shake, SimAxis, SimMode, shake
from scipy.signal import welch


def _fastest(work: Callable[[], object], times: int = 5) -> float:
    spent = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        spent.append(time.perf_counter() - start)
    return min(spent)


def main() -> None:
    axis = SimAxis(modes=[SimMode(hz=38, damping=0.05), SimMode(hz=71, damping=0.08, share=0.6)])
    out: dict[str, object] = {}
    for kind, level in (("sweep", 800.0), ("impulse", 15000.0), ("ambient", 1500.0)):
        got = shake(
            axis,
            "x",
            Shake(kind=kind, seconds=60.0, level_mm_s2=level, knocks=20),  # type: ignore[arg-type]
            Sensor(rate_hz=3200, jitter=0.05, gaps=[(20.0, 0.1)]),
            7,
        )
        context = ResonanceContext(unit=got.unit, excited_axis="x", excitation=kind)  # type: ignore[arg-type]
        data = got.csv()
        one = _fastest(partial(welch, got.acceleration, 3200, nperseg=4096))
        whole = _fastest(partial(analyse_rows, context, got.time_s, got.acceleration))
        reading = _fastest(partial(read_columns, data, ("time_s", "ax", "ay", "az")), 2)
        out[kind] = {
            "rows": int(np.size(got.time_s)),
            "analysis_in_welch_passes": round(whole / one, 1),
            "reading_in_welch_passes": round(reading / one, 1),
            "megabytes": round(len(data) / 1e6, 1),
        }
    print(json.dumps(out))


if __name__ == "__main__":
    main()
