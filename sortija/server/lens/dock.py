"""Which charts a person has in the dock of a study: their own choice, nobody else's."""

from __future__ import annotations

from typing import Any

from sortija.server.lens.models import DockCharts
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["MOST_CHARTS", "choose_dock", "dock_of"]

#: Charts that are answered with every change of the lens.
MOST_CHARTS = 8
_MOST_LETTERS = 200


def dock_of(study: Study, person: Any) -> list[str]:
    """Fields that the person chose for the dock; nothing while they chose none."""
    found = DockCharts.objects.filter(study=study, person=person).first()
    return list(found.fields) if found else []


def choose_dock(study: Study, person: Any, fields: list[str]) -> list[str]:
    """Keep a person's choice; an empty one goes back to the usual charts. Returns what is kept.

    Raises
    ------
    Problem
        More charts than a dock can have.
    """
    chosen = list(dict.fromkeys(fields))
    if len(chosen) > MOST_CHARTS or any(len(field) > _MOST_LETTERS for field in chosen):
        raise Problem(f"The dock has room for {MOST_CHARTS} charts. Remove one first.")
    DockCharts.objects.update_or_create(study=study, person=person, defaults={"fields": chosen})
    return chosen
