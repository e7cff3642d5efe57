from django.apps import AppConfig


class WeightsConfig(AppConfig):
    name = "nomikon.server.weights"
    label = "weights"
