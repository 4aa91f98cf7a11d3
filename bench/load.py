"""Fifty people at work: how long each thing takes them, what fails, and whether the server keeps its size.

Run: ./kestov bench load [--people 50] [--minutes 5]. Each looks at the floor, at a case, records plucks, types readings and
reports, with the pauses of hands and eyes (about one thing in four seconds). Prints p50 and p95 of each, what was refused or
failed, and what the web server holds before and after; 1 where anything failed.
"""

from __future__ import annotations

import argparse
import json
import random
import statistics
import sys
import threading
import time
import uuid
from collections import Counter, defaultdict
from collections.abc import Callable
from typing import Any

from _running import Person, Running, form_of

PASSWORD = "a-long-wet-rope"
#: How long a person takes between two things, on the average (s).
PAUSE_S = 4.0


def main() -> int:
    """Let them work, print the table."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--people", type=int, default=50)
    parser.add_argument("--minutes", type=float, default=5.0)
    args = parser.parse_args()
    taken: dict[str, list[float]] = defaultdict(list)
    failed: Counter[str] = Counter()
    with Running() as kestov:
        people = [Person(kestov.port, f"person{i}") for i in range(args.people)]
        for person in people:
            person.sign_in(PASSWORD)
        _each_once(people[0])
        before = kestov.memory()
        until = time.monotonic() + 60 * args.minutes
        threads = [
            threading.Thread(target=_work, args=(p, random.Random(i), until, taken, failed))
            for i, p in enumerate(people)
        ]
        for t in threads:
            t.start()
        held = [before]
        while (left := until - time.monotonic()) > 0:
            time.sleep(min(60.0, left))
            held.append(kestov.memory())
        for t in threads:
            t.join()
    for what, times in sorted(taken.items()):
        p95 = statistics.quantiles(times, n=20)[18] if len(times) > 1 else times[0]
        print(
            f"{what:8} {len(times):5} times   p50 {1000 * statistics.median(times):6.0f} ms   p95 {1000 * p95:6.0f} ms"
        )
    each = ", ".join(f"{mb:.0f}" for mb in held[1:])
    print(f"The web server held {held[0]:.0f} MB before, and {each} MB after each minute.")
    print(f"{sum(failed.values())} failed (wanted: none). " + ", ".join(f"{n} {k}" for k, n in failed.most_common(10)))
    return 1 if failed else 0


def _recording() -> bytes:
    from kestov_core.simulator.sound import Belt, Pluck, Room, record, wav

    struck = [Pluck(at_s=0.4 + i) for i in range(5)]
    return wav(record(Belt(f0_hz=92.0), struck, 5.6, 44100, Room(hiss=0.001), seed=3))


_WAV: list[bytes] = []


def _things(person: Person, rng: random.Random) -> dict[str, Callable[[], tuple[int, Any]]]:
    """What a person does, by name."""
    printer = rng.choice((1, 2))

    def pluck() -> tuple[int, Any]:
        id_ = str(uuid.uuid4())
        form, kind = form_of({"meta": json.dumps({"id": id_, "place": "a"})}, "belt.wav", _WAV[0])
        return person.ask("POST", "/api/printers/1/belt-pluck/file", form=form, kind=kind, key=id_)

    def typed() -> tuple[int, Any]:
        id_, rows = (
            str(uuid.uuid4()),
            [{"position_mm": at, "force_n": 1 + rng.random() / 10} for at in range(0, 200, 20)],
        )
        return person.ask("POST", f"/api/printers/{printer}/drag", {"id": id_, "place": "x", "rows": rows}, key=id_)

    report = {"printer_id": printer, "finding": "echoes_after_corners", "axis": "x", "words": "On all lids."}
    return {
        "floor": lambda: person.ask("GET", "/api/floor"),
        "machine": lambda: person.ask("GET", f"/api/printers/{printer}"),
        "case": lambda: person.ask("GET", f"/api/cases/{rng.randint(1, 5)}"),
        "pluck": pluck,
        "typed": typed,
        "report": lambda: person.ask("POST", "/api/cases", report),
    }


#: How often each of it is done.
_OFTEN = {"floor": 8, "machine": 4, "case": 4, "pluck": 2, "typed": 3, "report": 1}


def _each_once(person: Person) -> None:
    """So that nothing is loaded for the first time while it is timed."""
    _WAV.append(_recording())
    for what, do in _things(person, random.Random(0)).items():
        status, answer = do()
        if status != 200:
            raise SystemExit(f"{what}: {status} {str(answer)[:300]}")


def _work(
    person: Person, rng: random.Random, until: float, taken: dict[str, list[float]], failed: Counter[str]
) -> None:
    time.sleep(rng.random() * PAUSE_S)
    while time.monotonic() < until:
        what = rng.choices(list(_OFTEN), weights=list(_OFTEN.values()))[0]
        begun = time.perf_counter()
        status, answer = _things(person, rng)[what]()
        if status == 200:
            taken[what].append(time.perf_counter() - begun)
        else:
            failed[f"{what}: {status} {answer.get('code', '') if isinstance(answer, dict) else str(answer)[:80]}"] += 1
        time.sleep(rng.expovariate(1 / PAUSE_S))


if __name__ == "__main__":
    sys.exit(main())
