"""``manage.py practise -- COMMAND …``: bring up the database of practice beside the workshop's, then become the server that serves it.

Run with the workshop's DATABASE_URL and KESTOV_PRACTICE=1: the other database is made on the same server where there is none yet.
"""

import os
from typing import Any

import psycopg
from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser
from django.db import connection


class Command(BaseCommand):
    help = "Bring up practice and serve it."
    requires_system_checks = []

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument(
            "--make", metavar="URL", help="the workshop's database, beside which this one is made where it is missing"
        )
        parser.add_argument("serve", nargs="*", help="the command to become")

    def handle(self, *args: Any, **options: Any) -> None:
        if not settings.PRACTICE:
            raise SystemExit("Practice runs with KESTOV_PRACTICE=1, never in the workshop's own database.")
        if options["make"]:
            _make(options["make"])
        call_command("migrate", verbosity=0)
        connection.close()
        if options["serve"]:
            os.environ["KESTOV_POOL"] = "1"
            os.execv(options["serve"][0], options["serve"])


def _make(beside: str) -> None:
    """Make the database of these settings on the server of another, where it is missing."""
    name = settings.DATABASES["default"]["NAME"]
    with psycopg.connect(beside, autocommit=True) as db:
        if db.execute("select 1 from pg_database where datname = %s", [name]).fetchone() is None:
            db.execute(psycopg.sql.SQL("create database {}").format(psycopg.sql.Identifier(name)))
