from django.apps import AppConfig


class LedgerConfig(AppConfig):
    name = "sortija.server.ledger"
    label = "ledger"

    def ready(self) -> None:
        from sortija.server.ledger import jobs, lens_fields, views  # noqa: F401 - they register
        from sortija.server.ledger.customers import (  # noqa: F401 - they register
            actions,
            erased_originals,
            opt_outs,
            traits,
        )
        from sortija.server.ledger.intake import actions as intake  # noqa: F401 - it registers
        from sortija.server.ledger.intake import (  # noqa: F401 - they register
            attaching,
            currency,
            log_pass,
            retention,
        )
        from sortija.server.ledger.rules import actions as rules  # noqa: F401 - it registers
        from sortija.server.ledger.rules import lines_export  # noqa: F401 - it registers
        from sortija.server.ledger.store import coverage  # noqa: F401 - it registers
