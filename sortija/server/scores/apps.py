from django.apps import AppConfig


class ScoresConfig(AppConfig):
    name = "sortija.server.scores"
    label = "scores"

    def ready(self) -> None:
        from sortija.server.scores import lens_fields, views  # noqa: F401 - they register
