from django.apps import AppConfig


class PortraitsConfig(AppConfig):
    name = "sortija.server.portraits"
    label = "portraits"

    def ready(self) -> None:
        from sortija.server.portraits import actions, naming, views  # noqa: F401 - they register
