from django.apps import AppConfig


class WeightsConfig(AppConfig):
    name = "nomikon.server.apps.weights"
    label = "weights"
