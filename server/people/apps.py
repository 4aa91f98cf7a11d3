from django.apps import AppConfig


class Config(AppConfig):
    name = "people"

    def ready(self) -> None:
        from . import doorkeeping

        doorkeeping.listen()
