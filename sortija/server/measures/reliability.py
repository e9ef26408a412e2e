"""How reliable measures are: would they rank customers alike if the year happened again?

It is found out where customers' years are drawn again, at Crossings, and kept by what the measures
were made from.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

from pydantic import BaseModel

from sortija.server.hooks import Hook
from sortija.server.measures.column_summaries import find_summary, keep_summary
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies.fingerprints import fingerprint

__all__ = [
    "Reliability",
    "finds_reliability",
    "keep_reliability",
    "reliability_known",
    "reliability_of",
    "reliability_or_begin",
]

VERSION = 2
#: Measures that rank customers less alike are mostly luck.
_LUCK = 0.4
Begins = Callable[[MeasureSet, str], None]
_BEGINS: Hook[Begins] = Hook("who finds out how reliable a measure is")


class Reliability(BaseModel):
    """``value``: rank correlation of two years of the same customers."""

    value: float
    mostly_luck: bool


def reliability_of(value: float | None) -> Reliability | None:
    """What is said of a rank correlation; None where it is not told."""
    return None if value is None else Reliability(value=value, mostly_luck=value < _LUCK)


def finds_reliability(function: Begins) -> Begins:
    """Register who begins to find out about a measure, where that can be told at all."""
    return _BEGINS.fill(function)


def _key(made: MeasureSet) -> str:
    return fingerprint("reliability", VERSION, made.stamp)


def keep_reliability(made: MeasureSet, found: Mapping[str, float]) -> None:
    """Keep rank correlations beside those that are known already; NaN: it cannot be told."""
    told = {name: None if math.isnan(value) else value for name, value in found.items()}
    keep_summary(_key(made), {**reliability_known(made), **told})


def reliability_known(made: MeasureSet) -> dict[str, float | None]:
    """Measure → rank correlation of two years of the same customers, of those that were looked at;
    None where it cannot be told."""
    return find_summary(_key(made)) or {}


def reliability_or_begin(made: MeasureSet, name: str) -> Reliability | None:
    """How reliable one measure is; None while nobody knows, and where it cannot be told."""
    known = reliability_known(made)
    if name not in known and name in made.derived and not made.of:
        _BEGINS.function(made, name)
    return reliability_of(known.get(name))
