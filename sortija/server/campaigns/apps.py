from django.apps import AppConfig


class CampaignsConfig(AppConfig):
    name = "sortija.server.campaigns"
    label = "campaigns"

    def ready(self) -> None:
        from sortija.server.campaigns import (  # noqa: F401 - they register
            actions,
            drawn,
            handing,
            lens_fields,
            past,
            standing,
            told_in_books,
            views,
        )
        from sortija.server.campaigns.delivery import (  # noqa: F401 - they register
            events,
            outbox,
            push,
        )
