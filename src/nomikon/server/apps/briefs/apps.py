from django.apps import AppConfig


class BriefsConfig(AppConfig):
    name = "nomikon.server.apps.briefs"
    label = "briefs"
