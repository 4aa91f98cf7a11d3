"""``./kestov archive out FILE [--machine NAME]`` and ``./kestov archive in FILE [--name NAME]``: in open formats (docs/archive.md)."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from people.models import Role, User
from people.refusals import Refused
from workshop.models import Printer

from keeping import archive


class Command(BaseCommand):
    help = "Write everything, or one machine with its history, in open formats; or take such an archive in."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("way", choices=("out", "in"))
        parser.add_argument("file", type=Path)
        parser.add_argument("--machine", default="", help="out: only this machine, by its name")
        parser.add_argument("--name", default="", help="in: another name for the machine here")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            self.stdout.write(self._out(**options) if options["way"] == "out" else self._in(**options))
        except Refused as e:
            raise CommandError(e.detail) from e

    def _out(self, file: Path, machine: str, **_: Any) -> str:
        printer = Printer.objects.filter(name__iexact=machine).first() if machine else None
        if machine and printer is None:
            raise CommandError(f"There is no machine “{machine}”.")
        manifest = archive.write(file, printer)
        return f"{file}: {sum(manifest.rows.values())} rows of {'all' if printer is None else printer.name}."

    def _in(self, file: Path, name: str, **_: Any) -> str:
        if not file.is_file():
            raise CommandError(f"{file} is not there.")
        lead = User.objects.filter(role=Role.LEAD, is_active=True).order_by("pk").first()
        if lead is None:
            archive.take_workshop(file)
            return "Taken in. Nobody has a password yet: ./kestov manage changepassword NAME gives the lead one."
        return f"Taken in: {archive.take_machine(lead, file, name).name}."
