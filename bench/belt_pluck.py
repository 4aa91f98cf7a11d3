"""How long belt-pluck takes for 10 s at 48 kHz, as a ratio to one scipy.signal.welch pass over the same samples.

Run: ./kestov bench belt-pluck. Both are timed in the same run, imports apart; the best of several counts.
"""

from __future__ import annotations

import time
from collections.abc import Callable

from kestov_core import procedures
from kestov_core.readers import read_wav
from kestov_core.simulator.sound import Belt, Pluck, Room, record, wav
from scipy.signal import welch

#: What was promised.
MOST = 6.0


def best_of(times: int, run: Callable[[], object]) -> float:
    """The shortest of several runs, in seconds."""
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        run()
        taken.append(time.perf_counter() - start)
    return min(taken)


def main() -> None:
    """Print the ratio."""
    plucks = [Pluck(at_s=0.5 + 1.8 * i, kind="rubbed" if i == 3 else "good") for i in range(5)]
    data = wav(record(Belt(f0_hz=71.0), plucks, seconds=10, rate_hz=48000, room=Room(hiss=0.002, hum=0.01), seed=4))
    context = {"span_mm": 285, "linear_density_g_per_m": 8.2}
    samples = read_wav(data).samples[:, 0]
    pluck = best_of(7, lambda: procedures.run("belt-pluck", context, data))
    # One pass as it is commonly called: Hann segments of 0.2 s, half overlapped.
    pass_ = best_of(7, lambda: welch(samples, 48000, nperseg=9600))
    print(
        f"belt-pluck {1000 * pluck:.0f} ms, one welch pass {1000 * pass_:.0f} ms: ratio {pluck / pass_:.1f} (at most {MOST:g})"
    )


if __name__ == "__main__":
    main()
