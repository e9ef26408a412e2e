from django.apps import AppConfig


class MeasuresConfig(AppConfig):
    name = "sortija.server.measures"
    label = "measures"

    def ready(self) -> None:
        from sortija.server.measures import (  # noqa: F401 - they register
            derivation,
            everyone,
            lens_fields,
            many_windows,
            series,
            views,
        )
