from django.apps import AppConfig


class MeasuresConfig(AppConfig):
    name = "sortija.server.measures"
    label = "measures"

    def ready(self) -> None:
        pass
