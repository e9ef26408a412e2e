"""The plan of a table: each measure's role and preparation, as chosen or else as proposed."""

from __future__ import annotations

from typing import Any

from sortija.core.measures.neighbours import Donors
from sortija.core.measures.preparation import Steps
from sortija.server.measures.column_summaries import (
    donors_of,
    proposed_for,
)
from sortija.server.measures.measure_set import (
    MeasureSet,
)

__all__ = ["chosen_donors", "prepared_steps", "role_of"]


def role_of(made: MeasureSet, plan: dict[str, dict[str, Any]], name: str) -> str:
    """The role chosen for a measure, else the proposed one."""
    return str(plan.get(name, {}).get("role", made.about(name).role))


def prepared_steps(made: MeasureSet, plan: dict[str, dict[str, Any]], name: str) -> Steps:
    """The preparation chosen for a measure, else the proposed one."""
    chosen = plan.get(name, {}).get("steps")
    return Steps(**chosen) if chosen else proposed_for(made, name)


def chosen_donors(made: MeasureSet, plan: dict[str, dict[str, Any]]) -> Donors | None:
    """Donors by the measures and traits that shape the groups; None while nobody asks for one."""
    if not any(c.get("steps", {}).get("fill") == "neighbours" for c in plan.values()):
        return None
    shaping = [n for n in made.sources if role_of(made, plan, n) == "shapes"]
    asking = [n for n, c in plan.items()
              if c.get("steps", {}).get("fill") == "neighbours" and n in made.sources]  # fmt: skip
    numbers = [n for n in dict.fromkeys([*shaping, *asking]) if made.source(n).kind == "number"]
    categories = tuple(n for n in shaping if made.source(n).kind == "category")
    return donors_of(made, {n: prepared_steps(made, plan, n) for n in numbers}, categories)
