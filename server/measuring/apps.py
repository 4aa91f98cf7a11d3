from typing import Any

from django.apps import AppConfig


class Config(AppConfig):
    name = "measuring"

    def ready(self) -> None:
        """What this app tells of a machine, and what it knows to want somebody, is registered when it is imported."""
        from django.db.models.signals import post_migrate
        from workshop import tags

        from . import ledger, recomputing, recording, turning  # noqa: F401

        post_migrate.connect(_standings_of_old, sender=self)
        tags.something_happened.connect(_overtaken)


def _overtaken(printer: Any, **told: Any) -> None:
    """What was done to a machine puts figures in doubt."""
    from .standing import changed

    changed(printer)


def _standings_of_old(**told: Any) -> None:
    """A database of an earlier version has captures and no standings yet."""
    from .models import Capture, Standing
    from .standing import rebuild

    if not Standing.objects.exists() and Capture.objects.exists():
        rebuild()
