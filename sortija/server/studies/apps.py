from django.apps import AppConfig


class StudiesConfig(AppConfig):
    name = "sortija.server.studies"
    label = "studies"

    def ready(self) -> None:
        from sortija.server.studies import actions, invitations, members  # noqa: F401 - they register
