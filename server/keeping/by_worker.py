"""Backups that a worker writes: every night, and when the lead asks. Only workers that were given a folder take them."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from django.conf import settings
from people.models import User, audit
from people.refusals import Refused
from procrastinate.contrib.django import app
from work import kinds
from work.doing import Progress, ask_once
from work.models import Work

from . import backup

#: The queue of the workers that have a folder for them.
QUEUE = "backups"


def ask_backup(user: User) -> Work:
    """Ask for a backup now."""
    work = ask_once("backup", "A backup of everything", user, {"nightly": False})
    if work.by_id == user.pk:
        audit(user, "asked", work, f"{user.name} asked for a backup.")
    return work


def _backup(progress: Progress, told: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    folder, moment = settings.BACKUPS, datetime.now(UTC)
    if folder is None:
        raise Refused(409, "no_folder", "This worker has no folder for backups (--backups FOLDER).")
    if told["nightly"]:
        file = backup.nightly(folder, settings.BACKUPS_KEPT, moment)
    else:
        file = folder / f"kestov-{moment:%Y-%m-%d-%H%M%S}.backup"
        backup.backup(file, moment)
    size = file.stat().st_size
    return f"{file} ({size / 1e6:.1f} MB).", {"file": str(file), "size": size}


kinds.register(kinds.Kind("backup", _backup, queue=QUEUE))


@app.periodic(cron="15 2 * * *")
@app.task(name="nightly", queue=QUEUE, queueing_lock="nightly")
def nightly(timestamp: int) -> None:
    """The backup of the night."""
    ask_once("backup", "The backup of the night", None, {"nightly": True})
