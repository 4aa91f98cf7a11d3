"""How long a week is planned for 200 machines, and a calendar of 10,000 bookings read; with ratios timed in the same run.

Run: ./kestov bench week [--machines 200] [--bookings 10000]. The plan beside that of a small week; the calendar beside splitting it into
lines.
"""

from __future__ import annotations

import argparse
import os
import random
import resource
import sys
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
#: What was promised of 200 machines, and of 10,000 bookings.
MOST_PLAN_S, MOST_READ_S, MOST_MB = 5.0, 5.0, 200.0
_TOOLS = ("oil", "grease", "accelerometer", "caliper", "brush", "air", "hex keys", "cloth")


def main() -> int:
    """Plan weeks with four and eight people, read a calendar, print what it took; 1 where a promise is not kept."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--machines", type=int, default=200)
    parser.add_argument("--bookings", type=int, default=10_000)
    args = parser.parse_args()
    os.environ["DJANGO_SETTINGS_MODULE"] = "kestov.settings"
    sys.path[:0] = [str(ROOT / "server"), str(ROOT / "core")]
    import django

    django.setup()
    kept = _read(args.bookings)
    for people in (4, 8):
        kept &= _plan(args.machines, people)
    return 0 if kept else 1


def _plan(machines: int, people: int) -> bool:
    from kestov_core.condition.week import Round, Sitting, plan

    rng = random.Random(machines + people)
    sittings = []
    for person in range(people):
        for day in range(5):
            at = 1440 * day + 60 * rng.randrange(8, 15)
            sittings.append(Sitting(5 * person + day, at, at + 60 * rng.randrange(2, 5)))
    rounds = []
    for m in range(machines):
        booked = tuple((a, a + 60 * rng.randrange(1, 5)) for a in (1440 * d + 60 * rng.randrange(8, 18) for d in range(5) for _ in range(rng.randrange(4))))  # fmt: skip
        things = frozenset(rng.sample(_TOOLS, rng.randrange(5)))
        minutes, worth = float(rng.randrange(10, 200)), rng.uniform(0.5, 20)
        rounds.append(Round(m, minutes, worth, things, booked))
        if minutes > 90:
            rounds.append(Round(m, 90.0, worth * 90 / minutes * 1.1, things, booked, 1))
    begun = time.perf_counter()
    found = plan(rounds, sittings)
    took = time.perf_counter() - begun
    begun = time.perf_counter()
    plan(rounds[:20], sittings[:5])
    small = time.perf_counter() - begun
    print(
        f"{machines} machines, {len(sittings)} sittings: {took:.1f} s ({took / small:.0f} times a week of twenty ways and five sittings); "
        f"{len(found.placed)} rounds placed, worth {found.worth:.0f} of at most {found.bound:.0f} ({100 * found.worth / found.bound:.0f} %)."
    )
    return took <= MOST_PLAN_S * max(1.0, machines / 200)


def _read(bookings: int) -> bool:
    from service.calendars import read

    now = datetime.now(UTC).replace(microsecond=0)
    rows = ["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//bench//EN"]
    for i in range(bookings):
        at = now + timedelta(minutes=10 * i)
        rows += ["BEGIN:VEVENT", f"UID:{i}", "DTSTAMP:20260101T000000Z", f"DTSTART:{at:%Y%m%dT%H%M%SZ}"]
        rows += [
            f"DTEND:{at + timedelta(minutes=10):%Y%m%dT%H%M%SZ}",
            "SUMMARY:Course",
            "LOCATION:Bowline",
            "END:VEVENT",
        ]
    data = "\r\n".join([*rows, "END:VCALENDAR", ""]).encode()
    begun = time.perf_counter()
    data.decode().splitlines()
    bare = time.perf_counter() - begun
    begun = time.perf_counter()
    found = read(data, now, now + timedelta(days=92))
    took = time.perf_counter() - begun
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(
        f"{len(found)} bookings read in {took:.1f} s ({took / bare:.0f} times splitting them into lines), at most {most:.0f} MB."
    )
    return took <= MOST_READ_S * max(1.0, bookings / 1e4) and most <= MOST_MB


if __name__ == "__main__":
    raise SystemExit(main())
