"""``manage.py bring_up``: everything that must be so before anybody is served, done once however many hosts start at one time.

Prints what it does; its last line is for the start command: what the workshop holds, and what was asked for, as JSON.
"""

import json
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser
from django.db import connection
from people.accounts import is_demo, make_first_code
from workshop.meters import keep_missing

from keeping.models import SigningKey

#: Held by the host that is at it; others wait.
_LOCK = 8_715_001


class Command(BaseCommand):
    help = "Bring the database up to date, and the demo workshop into an empty one."
    requires_system_checks = []

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--demo", action="store_true", help="load the demo workshop where there is none")
        parser.add_argument("--code", action="store_true", help="make a code for the first account")
        parser.add_argument("--shared", action="store_true", help="the signing key is every host's, in the database")

    def handle(self, *args: Any, **options: Any) -> None:
        from demo.workshop import exists

        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_lock(%s)", [_LOCK])
        call_command("migrate", verbosity=0)
        if options["demo"]:
            call_command("demo", "--if-empty", stdout=self.stdout)
        keep_missing()
        told = {"holds": "demo" if is_demo() else "workshop" if exists() else "nothing"}
        if options["code"] and told["holds"] == "nothing":
            told["code"] = make_first_code()
        if options["shared"]:
            told["key"] = SigningKey.shared()
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_unlock(%s)", [_LOCK])
        self.stdout.write(json.dumps(told))
