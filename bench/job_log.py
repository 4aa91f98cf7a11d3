"""How long a worker takes for a job log of 100,000 rows, and in how much memory; as a ratio to csv.reader's one pass over it.

Run: ./kestov bench job-log [--rows 100000]. In a throw-away database; the same log twice, the second of which changes nothing.
"""

from __future__ import annotations

import argparse
import csv
import io
import os
import resource
import sys
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
#: What was promised of 100,000 rows.
MOST_S, MOST_MB = 20.0, 300.0


def main() -> int:
    """Make the log, take it twice, print what it took; 1 where a promise is not kept."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--rows", type=int, default=100_000)
    rows = parser.parse_args().rows
    os.environ["KESTOV_POOL"], os.environ["DJANGO_SETTINGS_MODULE"] = "0", "kestov.settings"
    sys.path[:0] = [str(ROOT / "server"), str(ROOT / "core")]
    import django

    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    data = _log(rows)
    begun = time.perf_counter()
    for _ in csv.reader(io.StringIO(data.decode())):
        pass
    bare = time.perf_counter() - begun
    before = _peak_mb()
    first, said = _taken(data)
    again, same = _taken(data)
    print(f"{rows} rows, {len(data) / 1e6:.1f} MB: {first:.1f} s ({first / bare:.0f} passes of csv.reader). {said}")
    print(f"The same again: {again:.1f} s. {same}")
    print(f"At most {_peak_mb():.0f} MB of memory, {_peak_mb() - before:.0f} MB of it for the log.")
    return 0 if max(first, again) <= MOST_S * rows / 1e5 and _peak_mb() <= MOST_MB else 1


def _log(rows: int) -> bytes:
    """Half an hour each, one after another, until yesterday."""
    at = datetime.now(UTC) - timedelta(minutes=31 * rows + 1440)
    lines = ["Started,Duration,File,Filament [m]"]
    for i in range(rows):
        lines.append(f"{at:%Y-%m-%d %H:%M:%S},0:{i % 30:02d}:05,part {i % 50},{(i % 90) / 10}")
        at += timedelta(minutes=31)
    return "\n".join(lines).encode()


def _taken(data: bytes) -> tuple[float, str]:
    from demo.models_of_printers import MODELS
    from kestov_core.tables.jobs import guess
    from people.models import Role, User
    from work import doing
    from work.models import Work
    from workshop import job_logs
    from workshop.models import Area, Printer, PrinterModel

    user, _ = User.objects.get_or_create(username="tech", defaults={"name": "T", "role": Role.TECHNICIAN})
    model, _ = PrinterModel.objects.get_or_create(name="M", defaults={"description": MODELS[1]["description"]})
    printer, _ = Printer.objects.get_or_create(
        name="P", defaults={"model": model, "area": Area.objects.get_or_create(name="A")[0]}
    )
    work = job_logs.ask_to_take(printer, "jobs.csv", data, guess(data), user)
    begun = time.perf_counter()
    doing.run(work.pk)
    return time.perf_counter() - begun, Work.objects.get(pk=work.pk).said


def _peak_mb() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


if __name__ == "__main__":
    raise SystemExit(main())
