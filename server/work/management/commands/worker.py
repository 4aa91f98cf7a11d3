"""``manage.py worker``: do long work until asked to stop. Any number of them, on any machines, against one database."""

import asyncio
import logging
import os
import socket
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand
from kestov.ending import end_with_parent
from procrastinate.contrib.django import app

from work.tasks import GONE_S, take_up

#: So much at once in a worker: a record from an instrument does not wait for a long computation.
AT_ONCE = 4
#: When asked to end, what is under way has so long (s) to come to a step.
TO_END_S = 6.0


class Command(BaseCommand):
    help = "Do long work until asked to stop."

    def handle(self, *args: Any, **options: Any) -> None:
        end_with_parent()
        logging.getLogger("procrastinate").setLevel(logging.WARNING)
        queues = ["work", *(["backups"] if settings.BACKUPS else [])]
        with app.replace_connector(app.connector.get_worker_connector()) as working:  # type: ignore[attr-defined]
            asyncio.run(self._work(working, queues))

    async def _work(self, working: Any, queues: list[str]) -> None:
        async with working.open_async():
            await take_up()
            await working.run_worker_async(
                queues=[*queues, "default"],
                name=f"{socket.gethostname()} {os.getpid()}",
                concurrency=AT_ONCE,
                shutdown_graceful_timeout=TO_END_S,
                delete_jobs="always",
                update_heartbeat_interval=5.0,
                stalled_worker_timeout=GONE_S,
            )
