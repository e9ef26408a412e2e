from django.apps import AppConfig


class GroupsConfig(AppConfig):
    name = "sortija.server.groups"
    label = "groups"

    def ready(self) -> None:
        pass
