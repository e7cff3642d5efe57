from django.apps import AppConfig


class LedgerConfig(AppConfig):
    name = "nomikon.server.apps.ledger"
    label = "ledger"
