from django.apps import AppConfig


class Config(AppConfig):
    name = "api"

    def ready(self) -> None:
        """What this app has swept is registered when it is imported."""
        from . import sweeps  # noqa: F401
