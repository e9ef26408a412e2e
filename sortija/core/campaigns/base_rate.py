"""What share of an audience comes unasked, as the same lens did one horizon earlier."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from sortija.core.measures.intervals import wilson

__all__ = ["LEAST", "BaseRate", "base_rate"]

#: Of fewer customers than this nothing is learnt.
LEAST = 20


@dataclass(frozen=True)
class BaseRate:
    """``came`` of ``customers`` who were in the lens one horizon earlier, with the 95% interval of
    their share."""

    customers: int
    came: int
    low: float
    high: float

    @property
    def rate(self) -> float:
        return self.came / self.customers

    @property
    def careful(self) -> float:
        """The share within the interval that asks most of an experiment: the nearest to a half."""
        return float(np.clip(0.5, self.low, self.high))


def base_rate(came: int, customers: int) -> BaseRate | None:
    """The share who came; None where too few were there to learn from.

    >>> base_rate(0, 19) is None
    True
    """
    if customers < LEAST:
        return None
    return BaseRate(customers, came, *wilson(came, customers))
