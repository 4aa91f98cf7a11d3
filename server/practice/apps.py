from django.apps import AppConfig


class Config(AppConfig):
    name = "practice"

    def ready(self) -> None:
        """What is measured, said and turned on a practice machine is heard of when it is written down."""
        from . import alone, hearing  # noqa: F401
