"""How Kestov is: a line for each thing that can go wrong, with what to do about it."""

from __future__ import annotations

import os
import shutil
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal

from django.conf import settings
from django.db import DatabaseError, connection
from kestov_core import CORE_VERSION
from work.doing import workers
from work.models import State, Work

from .models import BackupMade

#: Free space (bytes), days of a certificate, days since a backup, seconds of a clock: below, or above, somebody must act.
LEAST_FREE, LEAST_DAYS, OLDEST_BACKUP_DAYS, MOST_DRIFT_S = 1 << 30, 21, 2, 5.0
#: Work that no worker has taken up for so long is a sign that none does.
LONGEST_WAIT = timedelta(minutes=10)


@dataclass(frozen=True)
class Line:
    """What was looked at, how it is, and what to do where it is not well."""

    what: str
    state: Literal["well", "look", "mend"]
    words: str
    do: str = ""


def look(moment: datetime | None = None) -> list[Line]:
    """All lines; what cannot be looked at says why."""
    now = moment or datetime.now(UTC)
    return [
        line
        for part in (_database, _disk, _clock, _certificate, _backup, _queue, _versions)
        for line in _safely(part, now)
    ]


def _safely(part: Callable[[datetime], Iterator[Line]], now: datetime) -> list[Line]:
    try:
        return list(part(now))
    except (OSError, ValueError, DatabaseError) as e:
        name = part.__name__.lstrip("_")
        return [
            Line(
                name.capitalize(),
                "mend",
                f"cannot be looked at: {str(e).splitlines()[0] if str(e) else e!r}",
                "Start it: ./kestov start",
            )
        ]


def _database(now: datetime) -> Iterator[Line]:
    with connection.cursor() as c:
        c.execute(
            "SELECT split_part(version(), ' ', 2), pg_database_size(current_database()), rolsuper FROM pg_roles WHERE rolname = current_user"
        )
        version, size, is_super = c.fetchone()
    yield Line("Database", "well", f"PostgreSQL {version} answers; {size / 1e6:.0f} MB.")
    if is_super:
        yield Line(
            "Role",
            "look",
            "works as the database's superuser.",
            "Give it an ordinary role where others share the server (docs/security.md).",
        )
    from django.db.migrations.executor import MigrationExecutor

    executor = MigrationExecutor(connection)
    left = executor.migration_plan(executor.loader.graph.leaf_nodes())
    if left:
        yield Line(
            "Migrations",
            "mend",
            f"{len(left)} are not applied.",
            "Start Kestov once: it brings the database up to date.",
        )
    else:
        yield Line("Migrations", "well", "the database is up to date.")


def _disk(now: datetime) -> Iterator[Line]:
    free = shutil.disk_usage(settings.STATE if settings.STATE.exists() else settings.ROOT).free
    state: Literal["well", "mend"] = "well" if free > LEAST_FREE else "mend"
    yield Line(
        "Disk",
        state,
        f"{free / 1e9:.1f} GB free.",
        "" if state == "well" else "Free some space: a full disk refuses captures.",
    )


def _clock(now: datetime) -> Iterator[Line]:
    with connection.cursor() as c:
        c.execute("SELECT extract(epoch FROM clock_timestamp())")
        drift = abs(float(c.fetchone()[0]) - datetime.now(UTC).timestamp())
    if drift > MOST_DRIFT_S:
        yield Line("Clock", "mend", f"{drift:.0f} s apart from the database's.", "Let both keep network time.")
    else:
        yield Line("Clock", "well", "agrees with the database's.")


def _certificate(now: datetime) -> Iterator[Line]:
    file = settings.STATE / "tls" / "server.crt"
    if not file.exists():
        yield Line("Certificate", "well", "none of our own: without TLS, or a proxy has it.")
        return
    from cryptography import x509

    days = (x509.load_pem_x509_certificate(file.read_bytes()).not_valid_after_utc - now).days
    state: Literal["well", "look", "mend"] = "mend" if days < 1 else "look" if days < LEAST_DAYS else "well"
    yield Line(
        "Certificate", state, f"{days} days left.", "" if state == "well" else "Start Kestov anew: it renews its own."
    )


def _backup(now: datetime) -> Iterator[Line]:
    last = BackupMade.objects.first()
    if last is None:
        yield Line(
            "Backup",
            "mend",
            "there was none.",
            "./kestov start --backups FOLDER writes one every night (docs/running.md).",
        )
        return
    days = (now - last.at).total_seconds() / 86400
    state: Literal["well", "mend"] = "well" if days <= OLDEST_BACKUP_DAYS else "mend"
    yield Line(
        "Backup",
        state,
        f"the last is {days:.1f} days old: {last.file} on {last.host}",
        "" if state == "well" else "Look why the nightly one does not run.",
    )


def _queue(now: datetime) -> Iterator[Line]:
    alive = workers(now)
    waiting = Work.objects.filter(state=State.WAITING).order_by("at")
    oldest = waiting.first()
    failed = Work.objects.filter(state=State.FAILED, ended_at__gte=now - timedelta(days=1)).count()
    words = (
        f"{alive} {'worker' if alive == 1 else 'workers'}, {waiting.count()} waiting, {failed} failed since yesterday."
    )
    late = oldest is not None and now - oldest.at > LONGEST_WAIT
    if not alive or late:
        yield Line(
            "Queue",
            "mend",
            words,
            "Start a worker: ./kestov start, or ./kestov start --role worker; a backup waits for one with --backups FOLDER.",
        )
    elif failed:
        yield Line("Queue", "look", words, "Look under Workshop, Long work: why is said there.")
    else:
        yield Line("Queue", "well", words)


def _versions(now: datetime) -> Iterator[Line]:
    yield Line(
        "Versions", "well", f"core {CORE_VERSION}, Python {sys.version.split()[0]}, {os.cpu_count()} processors."
    )
