from django.apps import AppConfig


class LedgerConfig(AppConfig):
    name = "nomikon.server.ledger"
    label = "ledger"
