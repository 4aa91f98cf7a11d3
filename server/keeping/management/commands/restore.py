"""``manage.py restore FILE``: a backup into an empty workshop, proven, and brought up to today's version."""

from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import connection
from people.refusals import Refused

from keeping import backup


class Command(BaseCommand):
    help = "Bring a backup into a database that holds no workshop."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        connection.close()
        try:
            manifest = backup.restore(options["file"])
        except (Refused, OSError) as e:
            raise CommandError(str(e)) from e
        call_command("migrate", verbosity=0)
        rows = manifest["rows"]
        self.stdout.write(
            f"Restored as of {manifest['made'][:16].replace('T', ' ')}: {rows.get('workshop_printer', 0)} machines, "
            f"{rows.get('measuring_capture', 0)} captures, {rows.get('cases_case', 0)} cases. All rows and files are there."
        )
