"""``manage.py practise -- COMMAND …``: bring the database of practice up to date, then become the server that serves it.

Run with KESTOV_PRACTICE=1 and a DATABASE_URL that is not the workshop's.
"""

import os
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser
from django.db import connection


class Command(BaseCommand):
    help = "Bring up practice and serve it."
    requires_system_checks = []

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("serve", nargs="*", help="the command to become")

    def handle(self, *args: Any, **options: Any) -> None:
        if not settings.PRACTICE:
            raise SystemExit("Practice runs with KESTOV_PRACTICE=1, never in the workshop's own database.")
        call_command("migrate", verbosity=0)
        connection.close()
        if options["serve"]:
            os.environ["KESTOV_POOL"] = "1"
            os.execv(options["serve"][0], options["serve"])
