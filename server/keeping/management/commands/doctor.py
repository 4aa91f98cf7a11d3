"""``manage.py doctor``: how Kestov is, a line for each thing."""

import sys
from typing import Any

from django.core.management.base import BaseCommand

from keeping import doctor


class Command(BaseCommand):
    help = "Say how Kestov is, and what to do where it is not well."
    requires_system_checks = []

    def handle(self, *args: Any, **options: Any) -> None:
        lines = doctor.look()
        for line in lines:
            self.stdout.write(f"{line.state:5} {line.what}: {line.words}{f' → {line.do}' if line.do else ''}")
        if any(line.state == "mend" for line in lines):
            sys.exit(1)
