"""How reliable measures are: would they rank customers alike if the year happened again?

It is found out where customers' years are drawn again, at Crossings, and kept by what the measures
were made from.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from sortija.server.measures.column_summaries import find_summary, keep_summary
from sortija.server.measures.measure_set import MeasureSet
from sortija.server.studies.fingerprints import fingerprint

__all__ = ["keep_reliability", "reliability_of"]

VERSION = 1


def _key(made: MeasureSet) -> str:
    return fingerprint("reliability", VERSION, made.stamp)


def keep_reliability(made: MeasureSet, found: Mapping[str, float]) -> None:
    """Keep the rank correlations of these measures beside those that are known already."""
    told = {name: value for name, value in found.items() if not math.isnan(value)}
    keep_summary(_key(made), {**reliability_of(made), **told})


def reliability_of(made: MeasureSet) -> dict[str, float]:
    """Measure → rank correlation of two years of the same customers, where it is known."""
    return find_summary(_key(made)) or {}
