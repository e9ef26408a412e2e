from django.apps import AppConfig


class StudiesConfig(AppConfig):
    name = "sortija.server.studies"
    label = "studies"

    def ready(self) -> None:
        from sortija.server.studies import actions, joining, members  # noqa: F401 - they register
