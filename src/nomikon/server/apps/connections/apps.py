from django.apps import AppConfig


class ConnectionsConfig(AppConfig):
    name = "nomikon.server.apps.connections"
    label = "connections"
