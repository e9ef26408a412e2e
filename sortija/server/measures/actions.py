"""What a person can do at Measures: choose roles and preparations."""

from __future__ import annotations

from typing import Any, get_args

from sortija.core.measures.preparation import Fill, Scale, Steps, Transform
from sortija.server.studies.actions import change_setting, read_setting
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem

__all__ = ["PLAN_SETTING", "choose", "plan_of"]

PLAN_SETTING = "measures.plan"
ROLES = ("shapes", "describes", "out")


def plan_of(study: Study) -> tuple[dict[str, dict[str, Any]], int]:
    """(choices by measure, revision): only what was chosen differently from the proposal."""
    return read_setting(study, PLAN_SETTING, {})


def choose(
    study: Study, person: Any, name: str, label: str,
    role: str | None = None, steps: dict[str, Any] | None = None, expected: int | None = None,
) -> int:  # fmt: skip
    """Choose a measure's role or preparation; returns the plan's revision."""
    plan, _ = plan_of(study)
    chosen = dict(plan.get(name, {}))
    words = []
    if role is not None:
        if role not in ROLES:
            raise Problem(f"A measure {', '.join(ROLES[:-1])} or is {ROLES[-1]}.")
        chosen["role"] = role
        words.append({"out": "is left out"}.get(role, f"{role} the groups"))
    if steps is not None:
        chosen["steps"] = _checked(steps)
        words.append("is prepared otherwise")
    said = f"{label} {' and '.join(words)}"
    return change_setting(study, person, PLAN_SETTING, {**plan, name: chosen}, said, {}, expected)


def _checked(steps: dict[str, Any]) -> dict[str, Any]:
    allowed = {"fill": get_args(Fill), "transform": get_args(Transform), "scale": get_args(Scale)}
    out: dict[str, Any] = {}
    for key, choices in allowed.items():
        out[key] = steps.get(key, getattr(Steps(), key))
        if out[key] not in choices:
            raise Problem(f"{key} is one of {', '.join(choices)}.")
    cap = steps.get("cap", 0.0)
    if not isinstance(cap, int | float) or not 0 <= cap <= 0.1:
        raise Problem("Values can be capped at up to a tenth of the customers at each end.")
    return {**out, "cap": float(cap)}
