"""Who is left out where the money does not last for everybody, and in which order that goes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from sortija.core.campaigns.money import affordable, cut
from sortija.server.campaigns.costs import CostsBody, typed_costs
from sortija.server.campaigns.models import Campaign
from sortija.server.measures.measure_set import MeasureSet

__all__ = ["afforded", "share_afforded"]


def afforded(
    campaign: Campaign, made: MeasureSet, customers: NDArray[np.int64],
    segment: NDArray[np.int64],
) -> NDArray[np.bool_]:  # fmt: skip
    """(m,) who of an audience stays within the budget; all of it without one.

    ``segment``: (n,) state of everybody. In the order *expected value*: expected visits × what a
    purchase comes to; *value*: spend; *segment*: those of segments that spend most a head first.
    """
    told = CostsBody.kept(campaign.costs)
    if told.budget is None:
        return np.ones(len(customers), np.bool_)
    unit = 10.0**campaign.study.scale
    many = affordable(
        told.budget * unit, typed_costs(campaign, 1.0), campaign.holdout, len(customers)
    )
    return _first(told, made, customers, segment, many)


def share_afforded(
    campaign: Campaign, made: MeasureSet, customers: NDArray[np.int64],
    segment: NDArray[np.int64], share: float,
) -> NDArray[np.bool_]:  # fmt: skip
    """(m,) the same order at another date, cut to the same share of the audience."""
    told = CostsBody.kept(campaign.costs)
    if told.budget is None:
        return np.ones(len(customers), np.bool_)
    return _first(told, made, customers, segment, round(share * len(customers)))


def _first(
    told: CostsBody, made: MeasureSet, customers: NDArray[np.int64], segment: NDArray[np.int64],
    many: int,
) -> NDArray[np.bool_]:  # fmt: skip
    if many >= len(customers):
        return np.ones(len(customers), np.bool_)
    return cut([each[customers] for each in _order(told, made, segment)], many)


def _order(
    told: CostsBody, made: MeasureSet, segment: NDArray[np.int64]
) -> list[NDArray[np.float64]]:  # fmt: skip
    """What the order goes by, the most important first."""
    spend = _values(made, "monetary")
    if told.order == "segment":
        n = min(len(segment), len(spend))
        width = int(segment.max(initial=0)) + 1
        money = np.bincount(segment[:n], np.nan_to_num(spend[:n]), minlength=width)
        mean = money / np.maximum(np.bincount(segment[:n], minlength=width), 1)
        whole = np.full(len(spend), -np.inf)
        whole[:n] = mean[segment[:n]]
        return [whole, spend]
    if told.order == "expected value" and "expected" in made.sources:
        return [_values(made, "expected") * _values(made, "basket_mean"), spend]
    return [spend]


def _values(made: MeasureSet, name: str) -> NDArray[np.float64]:
    return np.asarray(made.column(name).values, np.float64)
