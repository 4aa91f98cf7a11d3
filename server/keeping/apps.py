from django.apps import AppConfig


class Config(AppConfig):
    name = "keeping"

    def ready(self) -> None:
        """What this app has done in the background is registered when it is imported."""
        from . import by_worker  # noqa: F401
