from django.apps import AppConfig


class TrialsConfig(AppConfig):
    name = "nomikon.server.apps.trials"
    label = "trials"
