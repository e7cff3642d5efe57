from django.apps import AppConfig


class BaselinesConfig(AppConfig):
    name = "nomikon.server.apps.baselines"
    label = "baselines"
