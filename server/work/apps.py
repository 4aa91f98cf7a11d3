from django.apps import AppConfig


class Config(AppConfig):
    name = "work"
