from django.apps import AppConfig


class Config(AppConfig):
    name = "post"

    def ready(self) -> None:
        """What is posted goes out by a worker."""
        from . import sending  # noqa: F401
