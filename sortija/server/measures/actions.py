"""What a person can do at Measures: choose roles and preparations, keep and follow them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, cast, get_args

from pydantic import BaseModel, TypeAdapter

from sortija.core.labels import within
from sortija.core.measures.catalogue import Role
from sortija.core.measures.preparation import PRESETS, Fill, Scale, Steps, Transform
from sortija.server.studies.actions import change_setting, read_setting
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = [
    "PLAN_SETTING",
    "Plan",
    "PlanChoice",
    "choose",
    "drop_kept",
    "follow_kept",
    "follow_preset",
    "keep_plan",
    "kept_plans",
    "plan_of",
]

PLAN_SETTING = "measures.plan"
KEPT_SETTING = "measures.kept"
ROLES = ("shapes", "describes", "out")
MOST_KEPT = 20


class PlanChoice(BaseModel):
    """What was chosen of a measure; None: as proposed."""

    role: Role | None = None
    steps: Steps | None = None


Plan = dict[str, PlanChoice]
_PLAN = TypeAdapter(Plan)


def _key(of: str) -> str:
    return f"{PLAN_SETTING}:{of}"[:80] if of else PLAN_SETTING


def plan_of(study: Study, of: str = "") -> tuple[Plan, int]:
    """(choices by measure, revision): only what was chosen differently from the proposal.

    ``of``: for the levels of a trait, which have choices of their own.
    """
    value, revision = read_setting(study, _key(of), {})
    return _PLAN.validate_python(value), revision


def _change(
    study: Study, person: Any, of: str, plan: Plan, words: str, expected: int | None
) -> int:
    """Store the choices that differ from what is proposed; returns the revision."""
    value = _stored(plan)
    return change_setting(study, person, _key(of), value, words, {}, expected)


def _stored(plan: Plan) -> dict[str, Any]:
    return {name: choice.model_dump(exclude_none=True) for name, choice in plan.items()}


def choose(
    study: Study, person: Any, name: str, label: str,
    role: str | None = None, steps: dict[str, Any] | None = None, expected: int | None = None,
    proposed: bool = False, of: str = "",
) -> int:  # fmt: skip
    """Choose a measure's role or preparation; ``proposed``: back to the proposed preparation.

    Returns the plan's revision.
    """
    plan, _ = plan_of(study, of)
    chosen = plan.get(name, PlanChoice()).model_copy()
    words = []
    if role is not None:
        if role not in ROLES:
            raise Problem(f"A measure {', '.join(ROLES[:-1])} or is {ROLES[-1]}.")
        chosen.role = cast(Role, role)
        words.append({"out": "is left out"}.get(role, f"{role} the groups"))
    if steps is not None:
        chosen.steps = checked_steps(steps)
        words.append("is prepared differently")
    if proposed:
        chosen.steps = None
        words.append("is prepared as proposed")
    said = f"{label} {' and '.join(words)}"
    return _change(study, person, of, {**plan, name: chosen}, said, expected)


def checked_steps(steps: dict[str, Any]) -> Steps:
    """A preparation, or a sentence about the one that cannot be."""
    allowed = {"fill": get_args(Fill), "transform": get_args(Transform), "scale": get_args(Scale)}
    out: dict[str, Any] = {}
    for key, choices in allowed.items():
        out[key] = steps.get(key, getattr(Steps(), key))
        if out[key] not in choices:
            raise Problem(f"{key} is one of {', '.join(choices)}.")
    cap = steps.get("cap", 0.0)
    if not isinstance(cap, int | float) or not 0 <= cap <= 0.1:
        raise Problem("Values can be capped at up to a tenth of the customers at each end.")
    return Steps(**out, cap=float(cap), fences=bool(steps.get("fences", False)))


def follow_preset(
    study: Study, person: Any, preset: str, names: list[str], expected: int | None = None,
    of: str = "",
) -> int:  # fmt: skip
    """Prepare all of ``names`` by a preset; roles stay. A fill stays too."""
    found = next((p for p in PRESETS if p.name == preset), None)
    if found is None:
        raise Problem(f"There is no preparation called {preset}.", 404)
    plan, _ = plan_of(study, of)
    changed: Plan = {name: choice.model_copy() for name, choice in plan.items()}
    for name in names:
        mine = changed.setdefault(name, PlanChoice())
        fill = mine.steps.fill if mine.steps else "leave out"
        mine.steps = None if found.steps is None else replace(found.steps, fill=fill)
    changed = {name: choice for name, choice in changed.items() if choice != PlanChoice()}
    said = f"Prepared all measures: {within(found.label)}"
    return _change(study, person, of, changed, said, expected)


def kept_plans(study: Study) -> tuple[list[dict[str, Any]], int]:
    """(preparations kept under a name, revision): each ``name`` and whole ``plan``."""
    return read_setting(study, KEPT_SETTING, [])


def keep_plan(study: Study, person: Any, name: str, whole: Plan) -> int:
    """Keep roles and preparations of every measure under a name; one of the same name gives way."""
    name = name.strip()
    if not 1 <= len(name) <= 60:
        raise Problem("Give the preparation a name of up to 60 characters.")
    rows, revision = kept_plans(study)
    others = [row for row in rows if row["name"] != name]
    if len(others) >= MOST_KEPT:
        raise Problem(f"A study keeps at most {MOST_KEPT} preparations. Delete one first.")
    value = [*others, {"name": name, "plan": _stored(whole)}]
    words = f"Kept the preparation {name}"
    return change_setting(study, person, KEPT_SETTING, value, words, [], revision)


def follow_kept(
    study: Study, person: Any, name: str, expected: int | None = None, of: str = ""
) -> int:
    """Take every role and preparation from what was kept under a name."""
    plan = _PLAN.validate_python(_kept_under(study, name)["plan"])
    said = f"Prepared by {name}"
    return _change(study, person, of, plan, said, expected)


def drop_kept(study: Study, person: Any, name: str, expected: int) -> int:
    """Forget a preparation that was kept."""
    _kept_under(study, name)
    rows, _ = kept_plans(study)
    value = [row for row in rows if row["name"] != name]
    words = f"Deleted the preparation {name}"
    return change_setting(study, person, KEPT_SETTING, value, words, [], expected)


def _kept_under(study: Study, name: str) -> dict[str, Any]:
    found = next((row for row in kept_plans(study)[0] if row["name"] == name), None)
    if found is None:
        raise Problem(f"No preparation is kept as {name}.", 404)
    return found
