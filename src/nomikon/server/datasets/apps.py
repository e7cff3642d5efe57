from django.apps import AppConfig


class DatasetsConfig(AppConfig):
    name = "nomikon.server.datasets"
    label = "datasets"
