from django.apps import AppConfig


class Config(AppConfig):
    name = "workshop"

    def ready(self) -> None:
        """What this app tells of a machine, and what it knows to want somebody, is registered when it is imported."""
        from . import components, differences, job_logs, meters, tags  # noqa: F401
