from django.apps import AppConfig


class CrossingsConfig(AppConfig):
    name = "sortija.server.crossings"
    label = "crossings"

    def ready(self) -> None:
        from sortija.server.crossings import (  # noqa: F401 - they register
            jobs,
            lens_fields,
            refit,
            steady,
            told_in_books,
            views,
        )
        from sortija.server.crossings.watches import actions, readings  # noqa: F401 - so do these
