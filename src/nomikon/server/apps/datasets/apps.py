from django.apps import AppConfig


class DatasetsConfig(AppConfig):
    name = "nomikon.server.apps.datasets"
    label = "datasets"
