from django.apps import AppConfig


class LedgerConfig(AppConfig):
    name = "sortija.server.ledger"
    label = "ledger"

    def ready(self) -> None:
        pass
