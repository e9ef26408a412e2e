from django.apps import AppConfig


class CrossingsConfig(AppConfig):
    name = "sortija.server.crossings"
    label = "crossings"

    def ready(self) -> None:
        from sortija.server.crossings import jobs, lens_fields, views  # noqa: F401 - they register
        from sortija.server.crossings.watches import actions, readings  # noqa: F401 - so do these
