from django.apps import AppConfig


class LedgerConfig(AppConfig):
    name = "sortija.server.ledger"
    label = "ledger"

    def ready(self) -> None:
        from sortija.server.ledger import (  # noqa: F401 - they register
            actions,
            clauses,
            coverage,
            forgetting,
            intakes,
            jobs,
            lines_files,
            people,
            retention,
            traits,
            views,
        )
