from django.apps import AppConfig


class ConnectionsConfig(AppConfig):
    name = "nomikon.server.connections"
    label = "connections"
