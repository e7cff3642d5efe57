from django.apps import AppConfig


class VerdictsConfig(AppConfig):
    name = "nomikon.server.apps.verdicts"
    label = "verdicts"
