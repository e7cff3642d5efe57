from django.apps import AppConfig


class TwinsConfig(AppConfig):
    name = "nomikon.server.apps.twins"
    label = "twins"
