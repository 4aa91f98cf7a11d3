"""``manage.py backup FILE``: everything in one file, while people work."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from people.refusals import Refused

from keeping import backup


class Command(BaseCommand):
    help = "Write everything into one file, or one a night into a folder."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", nargs="?", type=Path, help="the file to write")
        parser.add_argument(
            "--nightly", type=Path, metavar="FOLDER", help="write one named by the day into this folder"
        )
        parser.add_argument("--keep", type=int, default=14, help="of these, so many stay (14)")

    def handle(self, *args: Any, **options: Any) -> None:
        if (options["file"] is None) == (options["nightly"] is None):
            raise CommandError("Say which FILE, or --nightly FOLDER.")
        try:
            if options["nightly"] is not None:
                file = backup.nightly(options["nightly"], options["keep"])
            else:
                file = options["file"]
                backup.backup(file)
        except (Refused, OSError) as e:
            raise CommandError(str(e)) from e
        self.stdout.write(
            f"Everything is in {file} ({file.stat().st_size / 1e6:.1f} MB). Keep it where this disk is not."
        )
