from django.apps import AppConfig


class PortraitsConfig(AppConfig):
    name = "sortija.server.portraits"
    label = "portraits"

    def ready(self) -> None:
        from sortija.server.portraits import (  # noqa: F401 - they register
            actions,
            naming,
            views,
        )
        from sortija.server.portraits.book import actions as of_the_book  # noqa: F401
