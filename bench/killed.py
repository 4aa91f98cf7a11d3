"""Is anything lost that was acknowledged: captures by eight people while parts are killed under them, and the disk is full once.

Run: ./kestov bench killed [--captures 1000] [--kills 20] [--seed 1]. Web workers, the web server's main, the worker for long work
and the database are killed in turns, and half-way the database's disk is filled (as root, who can make one for it); people send
again, as the page does, until they are told that it is kept. Then each is looked for: there, once, with one result. Prints how
long it was away each time; 1 where anything was lost or doubled, or it was away over 15 s.
"""

from __future__ import annotations

import argparse
import contextlib
import os
import random
import signal
import statistics
import sys
import threading
import time
import uuid
from collections import Counter
from typing import Any

from _running import Person, Running

#: Longest that it may be away (s).
MOST_AWAY_S = 15.0
#: The disk that is filled (MB), and how long it stays so (s).
DISK_MB, FULL_S = 600, 8.0
PASSWORD = "a-long-wet-rope"


def main() -> int:
    """Write, kill, count."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--captures", type=int, default=1000)
    parser.add_argument("--kills", type=int, default=20)
    parser.add_argument("--seed", type=int, default=1)
    args = parser.parse_args()
    with Running(disk_mb=DISK_MB) as kestov:
        people = [Person(kestov.port, f"person{i}").sign_in(PASSWORD) for i in range(8)]
        printer = people[0].ask("GET", "/api/floor")[1]["areas"][0]["printers"][0]["id"]
        kept: dict[str, float] = {}
        turned: list[float] = []
        over = threading.Event()
        writers = [
            threading.Thread(target=_write, args=(p, printer, args.captures // 8, kept, turned, over)) for p in people
        ]
        for w in writers:
            w.start()
        away = _kill(kestov, args.kills, kept, turned, args.captures // 8 * 8, random.Random(args.seed))
        for w in writers:
            w.join(600)
        over.set()
        kestov.wait()
        wrong = _lost(kestov, kept)
    for what in sorted({w for w, _ in away}):
        times = [s for w, s in away if w == what]
        print(
            f"{what:12} killed {len(times):2} times: away {statistics.median(times):4.1f} s, at most {max(times):4.1f} s"
        )
    print(
        f"{len(kept)} captures acknowledged of {args.captures // 8 * 8}; {len(wrong)} lost or doubled (wanted: none)."
    )
    for line in wrong[:20]:
        print(line)
    late = [s for _, s in away if s > MOST_AWAY_S]
    return 1 if wrong or late or len(kept) < args.captures // 8 * 8 or kestov.trouble else 0


def _write(
    person: Person, printer: int, count: int, kept: dict[str, float], turned: list[float], over: threading.Event
) -> None:
    """Readings of a belt's tracking, each sent until it is acknowledged."""
    for i in range(count):
        id_ = str(uuid.uuid4())
        body: dict[str, Any] = {
            "id": id_, "place": "a", "context": {"positions": [
                {"travel_mm": 0, "clearance_top_mm": 0.5, "clearance_bottom_mm": 0.5},
                {"travel_mm": 200, "clearance_top_mm": 0.6, "clearance_bottom_mm": 0.4 + i % 5 / 100},
            ]},
        }  # fmt: skip
        while not over.is_set():
            status, answer = person.ask("POST", f"/api/printers/{printer}/belt-tracking", body, key=id_)
            if status == 200:
                kept[id_] = time.monotonic()
                break
            if 400 <= status < 500 and status not in (408, 409, 429):
                raise SystemExit(f"refused: {status} {answer}")
            turned.append(time.monotonic())
            time.sleep(0.2)


def _kill(
    kestov: Running, kills: int, kept: dict[str, float], turned: list[float], wanted: int, rng: random.Random
) -> list[tuple[str, float]]:
    """Kill a part, wait until something is acknowledged again, and so on; what was killed, and how long it was away."""
    away = []
    kinds = ["web worker", "web main", "database", "connection", "worker"]
    for n in range(kills):
        share = wanted * (n + 1) / (kills + 2)
        while len(kept) < share and len(kept) < wanted:
            time.sleep(0.02)
        if len(kept) >= wanted:
            break
        if n == kills // 2 and kestov.own_disk:
            away.append(("full disk", _fill(kestov, kept, turned)))
        kind = kinds[n % len(kinds)]
        processes = kestov.processes()
        postmaster = int((kestov.cluster.data / "postmaster.pid").read_text().split("\n")[0])
        if kind == "web worker" and len(processes) > 1:
            victim = rng.choice(processes[1:])
        elif kind == "database":
            victim = postmaster
        elif kind == "worker" and kestov.worker is not None and kestov.worker.process is not None:
            victim = kestov.worker.process.pid
        elif kind == "connection":
            victim = rng.choice(_children(postmaster) or [postmaster])
        else:
            victim = processes[0]
        begun, before = time.monotonic(), len(kept)
        try:
            os.kill(victim, signal.SIGKILL)
        except ProcessLookupError:
            continue
        away.append((kind, _until_kept(kept, before, begun)))
    return away


def _until_kept(kept: dict[str, float], before: int, begun: float) -> float:
    """How long (s) until something is acknowledged that was begun after ``begun``: what was under way may still be answered."""
    while time.monotonic() - begun < 120:
        late = [t for t in list(kept.values())[before:] if t > begun + 0.3]
        if late:
            return late[0] - begun
        time.sleep(0.02)
    return 120.0


def _fill(kestov: Running, kept: dict[str, float], turned: list[float]) -> float:
    """Fill the database's disk to the last byte until captures are turned away, and a while longer; how long from when there is
    room again until it was back."""
    filler = kestov.cluster.folder / "filler"
    with contextlib.suppress(OSError), filler.open("wb", buffering=0) as file:
        while True:
            file.write(b"\0" * (1 << 16))
    full = time.monotonic()
    while not any(t > full for t in turned[-8:]) and time.monotonic() - full < 60:
        time.sleep(0.1)
    time.sleep(FULL_S)
    print(f"The disk was full: {sum(t > full for t in turned)} captures were turned away meanwhile.")
    begun, before = time.monotonic(), len(kept)
    filler.unlink()
    return _until_kept(kept, before, begun)


def _children(pid: int) -> list[int]:
    from pathlib import Path

    return [int(p) for p in Path(f"/proc/{pid}/task/{pid}/children").read_text().split()]


def _lost(kestov: Running, kept: dict[str, float]) -> list[str]:
    """Acknowledged captures that are not there once, with one result."""
    import psycopg

    with psycopg.connect(kestov.env["DATABASE_URL"]) as line:
        rows = line.execute("SELECT capture_id, count(*) FROM measuring_result GROUP BY capture_id").fetchall()
        results = Counter({str(id_): n for id_, n in rows})
        there = {str(r[0]) for r in line.execute("SELECT id FROM measuring_capture").fetchall()}
    return [
        f"{id_}: {'there' if id_ in there else 'lost'}, {results[id_]} results"
        for id_ in kept
        if id_ not in there or results[id_] != 1
    ]


if __name__ == "__main__":
    sys.exit(main())
