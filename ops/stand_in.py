"""A simulated accelerometer on the network: answers one line with one record. The protocol stands in docs/instruments.md.

    RECORD axis=x kind=sweep seconds=20
    # unit=m/s2 rate=1600
    time_s,ax,ay,az
    0.000000,0.012,…
    END rows=31998

What cannot be is answered with one line: ERROR and the reason.
"""

from __future__ import annotations

import socketserver
import sys
from typing import Any

from kestov_core.simulator.machine import SimMachine, shake_axis

KINDS = ("sweep", "impulse", "ambient")
AXES = ("x", "y", "z", "a", "b")


def answer(line: str, machine: SimMachine) -> tuple[bytes, SimMachine]:
    """What the instrument sends back to a line, and the machine after it."""
    words = line.split()
    if not words or words[0] != "RECORD":
        return b"ERROR only RECORD is known: RECORD axis=x kind=sweep seconds=20\n", machine
    asked = dict(w.split("=", 1) for w in words[1:] if "=" in w)
    axis, kind = asked.get("axis", ""), asked.get("kind", "")
    try:
        seconds = float(asked.get("seconds", ""))
    except ValueError:
        seconds = 0.0
    if axis not in AXES or kind not in KINDS or not 2 <= seconds <= 60:
        return b"ERROR axis is x, y, z, a or b; kind is sweep, impulse or ambient; seconds 2 to 60\n", machine
    after, got = shake_axis(machine, axis, kind, seconds)  # type: ignore[arg-type]
    table = got.csv()
    head = f"# unit={got.unit} rate=1600\n".encode()
    rows = table.count(b"\n") - 1
    return head + table + f"END rows={rows}\n".encode(), after


class _Handler(socketserver.StreamRequestHandler):
    timeout = 30

    def handle(self) -> None:
        server: Any = self.server
        line = self.rfile.readline(1000).decode("utf-8", "replace")
        sent, server.machine = answer(line, server.machine)
        self.wfile.write(sent)


class Service(socketserver.ThreadingTCPServer):
    """Listens; one machine for all who ask."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, bind: str, port: int) -> None:
        self.machine = SimMachine(belts={}, seed=11)
        super().__init__((bind, port), _Handler)


def main(bind: str, port: int) -> None:
    """Serve until stopped."""
    with Service(bind, port) as service:
        print(f"A simulated accelerometer answers on {bind}:{port}. Ctrl-C stops it.", flush=True)
        service.serve_forever()


if __name__ == "__main__":
    try:
        main(sys.argv[1], int(sys.argv[2]))
    except KeyboardInterrupt:
        sys.exit(0)
