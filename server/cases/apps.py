from django.apps import AppConfig


class Config(AppConfig):
    name = "cases"

    def ready(self) -> None:
        """What this app tells of a machine, and what it knows to want somebody, is registered when it is imported."""
        from workshop import tags

        from . import forecast, instruments, log, machines, near_misses, open_reports, suspects, thumbnails  # noqa: F401

        tags.parts_or_use_changed.connect(forecast.ask_anew)
