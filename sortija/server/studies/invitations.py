"""An accepted invitation makes its person a member of the study."""

from __future__ import annotations

from typing import Any

from sortija.server.accounts.joining import joins
from sortija.server.studies.actions import changing
from sortija.server.studies.models import Membership

__all__: list[str] = []


@joins.fill
def _join(person: Any, study: int, role: str) -> None:
    """A new member, or one whose role the invitation raises; it never lowers one."""
    with changing(study):
        member, made = Membership.objects.get_or_create(
            study_id=study, person=person, defaults={"role": role}
        )
        if not made and not member.at_least(role):
            member.role, member.revision = role, member.revision + 1
            member.save(update_fields=["role", "revision"])
