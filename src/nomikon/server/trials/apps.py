from django.apps import AppConfig


class TrialsConfig(AppConfig):
    name = "nomikon.server.trials"
    label = "trials"
