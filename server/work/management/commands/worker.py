"""``manage.py worker``: do long work until asked to stop. Any number of them, on any machines, against one database."""

import asyncio
import contextlib
import logging
import os
import signal
import socket
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand
from kestov.ending import end_with_parent
from procrastinate.contrib.django import app
from procrastinate.exceptions import ConnectorException

from work.tasks import GONE_S, take_up

#: So much at once in a worker: a record from an instrument does not wait for a long computation.
AT_ONCE = 4
#: When asked to end, what is under way has so long (s) to come to a step.
TO_END_S = 6.0


#: After the database went away it is tried again (s).
AGAIN_S = 2.0

logger = logging.getLogger("kestov.work")


class Command(BaseCommand):
    help = "Do long work until asked to stop."

    def handle(self, *args: Any, **options: Any) -> None:
        end_with_parent()
        logging.getLogger("procrastinate").setLevel(logging.ERROR)
        logging.getLogger("psycopg.pool").setLevel(logging.ERROR)
        asyncio.run(until_stopped())


async def until_stopped() -> None:
    """Work until a signal asks to stop. A database that goes away is waited for: this process is not what is broken."""
    working = asyncio.create_task(_again_and_again())
    for number in (signal.SIGTERM, signal.SIGINT):
        asyncio.get_running_loop().add_signal_handler(number, working.cancel)
    with contextlib.suppress(asyncio.CancelledError):
        await working


async def _again_and_again() -> None:
    while True:
        try:
            await _work()
        except (ConnectorException, OSError) as e:
            logger.info("The database is away: %s", e)
        await asyncio.sleep(AGAIN_S)


async def _work() -> None:
    queues = ["work", *(["backups"] if settings.BACKUPS else []), "default"]
    with app.replace_connector(app.connector.get_worker_connector()) as working:  # type: ignore[attr-defined]
        async with working.open_async():
            await take_up()
            await working.run_worker_async(
                queues=queues,
                name=f"{socket.gethostname()} {os.getpid()}",
                concurrency=AT_ONCE,
                shutdown_graceful_timeout=TO_END_S,
                delete_jobs="always",
                install_signal_handlers=False,
                update_heartbeat_interval=5.0,
                stalled_worker_timeout=GONE_S,
            )
