from django.apps import AppConfig


class BriefsConfig(AppConfig):
    name = "nomikon.server.briefs"
    label = "briefs"
