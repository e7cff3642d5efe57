from django.apps import AppConfig


class CulpritsConfig(AppConfig):
    name = "nomikon.server.apps.culprits"
    label = "culprits"
