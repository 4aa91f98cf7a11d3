from django.apps import AppConfig


class Config(AppConfig):
    name = "service"

    def ready(self) -> None:
        """What this app tells of a machine is registered when it is imported."""
        from . import by_address, calendars, mailing, planning, rounds, stores  # noqa: F401
