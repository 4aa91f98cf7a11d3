"""How long belt-pluck takes for 10 s at 48 kHz, as a ratio to one scipy.signal.welch pass over the same samples.

Run: ./kestov bench belt-pluck. Nine pairs in turns, imports apart. Also how long the command takes from cold on 5 s.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from pathlib import Path

from _pairs import ratio
from kestov_core import procedures
from kestov_core.readers import read_wav
from kestov_core.simulator.sound import Belt, Pluck, Room, record, wav
from scipy.signal import welch

#: What was promised: passes of welch, and seconds from cold.
MOST, MOST_COLD_S = 3.0, 1.0
_CONTEXT = {"span_mm": 285, "linear_density_g_per_m": 8.2}


def _recording(plucks: int, seconds: float) -> bytes:
    struck = [Pluck(at_s=0.5 + 1.8 * i, kind="rubbed" if i == 3 else "good") for i in range(plucks)]
    room = Room(hiss=0.002, hum=0.01)
    return wav(record(Belt(f0_hz=71.0), struck, seconds=seconds, rate_hz=48000, room=room, seed=4))


def main() -> None:
    """Print the ratio with its spread, and the command's time beside that of an idle Python."""
    data = _recording(5, 10)
    samples = read_wav(data).samples[:, 0]
    # One pass as it is commonly called: Hann segments of 0.2 s, half overlapped.
    r = ratio(
        lambda: procedures.run("belt-pluck", _CONTEXT, data),
        lambda: welch(samples, 48000, nperseg=9600),
    )
    print(
        f"belt-pluck {1000 * r.one_s:.0f} ms, one welch pass {1000 * r.other_s:.0f} ms: {r.words()} passes (at most {MOST:g})"
    )
    with tempfile.TemporaryDirectory() as folder:
        wave, context = Path(folder) / "pluck.wav", Path(folder) / "belt.json"
        wave.write_bytes(_recording(2, 5))
        context.write_text(json.dumps(_CONTEXT))
        command = [sys.executable, "-m", "kestov_core.cli", "belt-pluck", "--context", str(context), str(wave)]
        cold = ratio(
            lambda: subprocess.run(command, check=True, stdout=subprocess.DEVNULL),
            lambda: subprocess.run([sys.executable, "-c", "import numpy"], check=True),
        )
    print(
        f"The command on 5 s, from cold: {cold.one_s:.2f} s (at most {MOST_COLD_S:g}), {cold.words()} times Python with numpy."
    )


if __name__ == "__main__":
    main()
