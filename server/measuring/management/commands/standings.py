"""Make the standings of all machines anew from their captures."""

from typing import Any

from django.core.management.base import BaseCommand
from django.db import transaction

from measuring.standing import rebuild


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        with transaction.atomic():
            count = rebuild()
        self.stdout.write(f"{count} standings made anew.")
