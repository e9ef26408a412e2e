from django.apps import AppConfig


class GroupsConfig(AppConfig):
    name = "sortija.server.groups"
    label = "groups"

    def ready(self) -> None:
        from sortija.server.groups import actions, jobs, lens_fields, views  # noqa: F401 - they register
        from sortija.server.groups.pictures import (  # noqa: F401 - they register
            merges,
            neighbourhood,
        )
        from sortija.server.groups.runs import (  # noqa: F401 - they register
            comparison,
            proposals,
            run_history,
        )
        from sortija.server.groups.yardsticks import (  # noqa: F401 - they register
            assignments,
            carry_over,
            ladder,
        )
