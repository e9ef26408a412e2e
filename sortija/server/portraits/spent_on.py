"""What customers spend on, told by measures that are shares of their sales."""

from __future__ import annotations

from sortija.server.lens.requests import ClauseBody
from sortija.server.measures.measure_set import MeasureSet

__all__ = ["FAMILIES", "buyers_of", "families_of", "parts_of", "spent_on"]

FAMILIES = {
    "department": "Departments", "channel": "Channels", "weekday": "Weekdays", "season": "Seasons",
    "site": "Sites",
}  # fmt: skip
#: More than nothing, however little.
_ANY = 1e-9


def families_of(made: MeasureSet) -> dict[str, str]:
    """The families that a log tells, with their labels."""
    there = {source.about.family for source in made.derived.values()}
    return {family: label for family, label in FAMILIES.items() if family in there}


def parts_of(made: MeasureSet, family: str) -> tuple[str, ...]:
    """The measures that are shares of sales of one family."""
    return tuple(n for n, source in made.derived.items() if source.about.family == family)


def spent_on(label: str) -> str:
    """What a share is of: "Seeds" of "Seeds, share"."""
    return label.removesuffix(", share")


def buyers_of(measure: str) -> ClauseBody:
    """Whoever spends on it at all, as a lens."""
    return ClauseBody(field=f"measure:{measure}", ranges=[(_ANY, None)])
