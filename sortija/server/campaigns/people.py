"""The customers of a campaign: who can be written to, and why others fall away."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.campaigns.base_rate import BaseRate
from sortija.core.groups.assignment import STATES
from sortija.server.groups.models import Yardstick
from sortija.server.groups.yardsticks.assignments import segment_labels

__all__ = ["REASONS", "Audience", "state_words"]

#: Why customers of a lens are not written to, in the order in which they fall away: whoever has
#: several reasons is told of under the first.
REASONS = (
    "no consent", "do not contact", "standing control", "held out elsewhere", "another campaign",
    "written to lately", "no address", "beyond the budget",
)  # fmt: skip


@dataclass(frozen=True)
class Audience:
    """Customers who can be written to, and how many fell away at each step, in order.

    ``fell``: (n,) int8 why each customer of the lens fell away, a place in :data:`REASONS` from 1;
    0 for all others. ``customers``: (m,) row numbers; ``segment``: (m,) state by ``yardstick`` (0
    without one); ``value``: (m,) band of spend; ``base_rate``: how many came unasked of who was in
    the same lens one horizon earlier; ``untold``: why that cannot be told, where it is None;
    ``basket``: what they spend at a purchase, in the smallest unit of money, NaN of nobody.
    """

    lens: int
    fell_away: dict[str, int]
    fell: NDArray[np.int8]
    customers: NDArray[np.int64]
    segment: NDArray[np.int64]
    yardstick: Yardstick | None
    value: NDArray[np.int64]
    base_rate: BaseRate | None
    untold: str
    basket: float
    made_from: str


#: What states beside the segments are called here.
_BESIDE = {
    "left": "no purchase in the window", "not yet": "no purchase yet",
    "unplaced": "in no segment",
}  # fmt: skip


def state_words(yardstick: Yardstick | None) -> tuple[str, ...]:
    """What each state is called, by its number; of nobody without a yardstick."""
    if yardstick is None:
        return ()
    labels = segment_labels(yardstick)
    own = len(labels) - len(STATES)
    return (*labels[:own], *(_BESIDE[label] for label in labels[own:]))
