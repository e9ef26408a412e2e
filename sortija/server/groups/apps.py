from django.apps import AppConfig


class GroupsConfig(AppConfig):
    name = "sortija.server.groups"
    label = "groups"

    def ready(self) -> None:
        from sortija.server.groups import actions, jobs, placed, views  # noqa: F401 - they register
