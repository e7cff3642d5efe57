from django.apps import AppConfig


class RoundsConfig(AppConfig):
    name = "nomikon.server.rounds"
    label = "rounds"
