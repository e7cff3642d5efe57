from django.apps import AppConfig


class RoundsConfig(AppConfig):
    name = "nomikon.server.apps.rounds"
    label = "rounds"
