"""``manage.py openapi``: write the API's description, from which the front end's types are made; ``--check`` compares."""

import json
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

FILE = Path(__file__).resolve().parents[2] / "openapi.json"


class Command(BaseCommand):
    help = "Write server/api/openapi.json."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--check", action="store_true", help="fail where the file is not what the code says")

    def handle(self, *args: Any, **options: Any) -> None:
        from api import api

        text = json.dumps(api.get_openapi_schema(path_prefix="/api/"), indent=1) + "\n"
        if not options["check"]:
            FILE.write_text(text)
        elif FILE.read_text() != text:
            raise CommandError("server/api/openapi.json is old: run manage.py openapi, then npm run api in web/.")
