"""An accepted invitation makes its person a member of the study."""

from __future__ import annotations

from typing import Any

from sortija.server.accounts.api import joined
from sortija.server.studies.models import Membership

__all__: list[str] = []


def _join(person: Any, study: int, role: str) -> None:
    Membership.objects.get_or_create(study_id=study, person=person, defaults={"role": role})


joined.append(_join)
