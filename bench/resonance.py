"""How long the analysis of a large capture takes, in passes of `scipy.signal.welch` over its three axes, reading aside.

60 s at 3200 samples a second, three axes; sweep, knocks and noise; clock jitter and a gap. Nine pairs in turns; the middle
half of the ratios in brackets.
"""

from __future__ import annotations

from functools import partial

import numpy as np
from _pairs import ratio
from kestov_core.procedures.resonance import ResonanceContext, analyse_rows
from kestov_core.readers import read_columns
from kestov_core.simulator.shaking import Sensor, Shake, SimAxis, SimMode, shake
from scipy.signal import welch

#: What was promised of the analysis.
MOST = 5.0


def main() -> None:
    axis = SimAxis(modes=[SimMode(hz=38, damping=0.05), SimMode(hz=71, damping=0.08, share=0.6)])
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
        one_pass = partial(welch, got.acceleration, 3200, nperseg=4096)
        whole = ratio(partial(analyse_rows, context, got.time_s, got.acceleration), one_pass)
        reading = ratio(partial(read_columns, data, ("time_s", "ax", "ay", "az")), one_pass)
        print(
            f"{kind}: {np.size(got.time_s)} rows analysed in {whole.words()} welch passes of three axes (at most {MOST:g}); "
            f"read from {len(data) / 1e6:.1f} MB in {reading.words()}"
        )


if __name__ == "__main__":
    main()
