"""The plan of a table: each measure's role and preparation, as chosen or else as proposed."""

from __future__ import annotations

from sortija.core.measures.catalogue import Role
from sortija.core.measures.neighbours import Donors
from sortija.core.measures.preparation import Steps
from sortija.server.measures.actions import Plan, PlanChoice
from sortija.server.measures.column_summaries import (
    donors_of,
    proposed_for,
)
from sortija.server.measures.measure_set import (
    MeasureSet,
)

__all__ = ["chosen_donors", "prepared_steps", "role_of"]


def role_of(made: MeasureSet, plan: Plan, name: str) -> Role:
    """The role chosen for a measure, else the proposed one."""
    return plan.get(name, PlanChoice()).role or made.about(name).role


def prepared_steps(made: MeasureSet, plan: Plan, name: str) -> Steps:
    """The preparation chosen for a measure, else the proposed one."""
    return plan.get(name, PlanChoice()).steps or proposed_for(made, name)


def chosen_donors(made: MeasureSet, plan: Plan) -> Donors | None:
    """Donors by the measures and traits that shape the groups; None while nobody asks for one."""
    if not any(_by_neighbours(choice) for choice in plan.values()):
        return None
    shaping = [n for n in made.sources if role_of(made, plan, n) == "shapes"]
    asking = [n for n, choice in plan.items() if _by_neighbours(choice) and n in made.sources]
    numbers = [n for n in dict.fromkeys([*shaping, *asking]) if made.source(n).kind == "number"]
    categories = tuple(n for n in shaping if made.source(n).kind == "category")
    return donors_of(made, {n: prepared_steps(made, plan, n) for n in numbers}, categories)


def _by_neighbours(choice: PlanChoice) -> bool:
    return choice.steps is not None and choice.steps.fill == "neighbours"
