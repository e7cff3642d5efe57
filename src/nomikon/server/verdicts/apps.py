from django.apps import AppConfig


class VerdictsConfig(AppConfig):
    name = "nomikon.server.verdicts"
    label = "verdicts"
