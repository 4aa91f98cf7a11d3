"""``manage.py demo``: load the demo workshop into an empty database, or ``--reset`` to begin it anew."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import connection, transaction
from people.accounts import is_demo

from demo import workshop


class Command(BaseCommand):
    help = "Load the demo workshop."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--reset", action="store_true", help="throw the present demo workshop away and begin anew")
        parser.add_argument("--holds", action="store_true", help="say what is there: nothing, demo, or a workshop")
        parser.add_argument("--if-empty", action="store_true", help="do nothing where there already is a workshop")

    def handle(self, *args: Any, **options: Any) -> None:
        if options["holds"]:
            self.stdout.write("demo" if is_demo() else "workshop" if workshop.exists() else "nothing")
            return
        with transaction.atomic():
            if options["reset"]:
                if workshop.exists() and not is_demo():
                    raise CommandError("This database holds a real workshop, not the demo. It is left alone.")
                self._empty()
            elif workshop.exists():
                if options["if_empty"]:
                    return
                raise CommandError("There already is a workshop. --reset begins the demo anew.")
            workshop.load(lambda words: self.stdout.write(words))
        self.stdout.write("The demo workshop is ready.")

    def _empty(self) -> None:
        tables = [
            t
            for t in connection.introspection.table_names()
            if t.startswith(("people_", "workshop_", "measuring_", "cases_", "service_", "work_", "axes_"))
            or t == "django_session"
        ]
        with connection.cursor() as cursor:
            cursor.execute("TRUNCATE " + ", ".join(f'"{t}"' for t in tables) + " RESTART IDENTITY CASCADE")
