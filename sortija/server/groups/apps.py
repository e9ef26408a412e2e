from django.apps import AppConfig


class GroupsConfig(AppConfig):
    name = "sortija.server.groups"
    label = "groups"

    def ready(self) -> None:
        from sortija.server.groups import (  # noqa: F401 - they register
            actions,
            comparing,
            identities,
            jobs,
            kept,
            ladders,
            maps,
            neighbourhoods,
            placed,
            proposing,
            trees,
            views,
        )
