"""What a campaign offers, in the attributes of past offers, and what take-up that lets expect."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.labels import within
from sortija.core.portraits.next_mailing import expected_of_all
from sortija.server.campaigns.audience import window_of
from sortija.server.campaigns.models import Campaign
from sortija.server.ledger.customers.traits import label_of
from sortija.server.portraits.figures import or_none
from sortija.server.portraits.offers import attributes_known, expected_by_segment
from sortija.server.portraits.placed import placed_or_status
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["CampaignOffer", "check_offer", "expected_of"]

_WHAT = "What an offer is taken up by is told by adopted group."


class OfferedAttribute(BaseModel):
    """An attribute by its heading, and what the offer has of it."""

    label: str
    value: str


class CampaignOffer(BaseModel):
    """What is offered, and the share of those written to that can be expected to take it, with
    where one such offer comes out 95 times in 100; ``like``: past offers that have all of it;
    ``segments``: the share by state, null where too few offers are known; ``outside``: written to,
    but in no segment, so that nothing is told of them.

    ``share``, ``low`` and ``high`` are null where a segment has received too few offers.
    """

    attributes: list[OfferedAttribute]
    share: float | None
    low: float | None
    high: float | None
    like: int
    segments: list[float | None]
    outside: int


def check_offer(study: Study, window: WindowInView, offer: Mapping[str, str]) -> None:
    """See that past offers have what is offered.

    Raises
    ------
    Problem
        No offer is known by such an attribute, or none that has this value.
    """
    placed, status = placed_or_status(study, window, _WHAT)
    if placed is None:
        raise Problem(status.words, 409)
    known = {attribute.name: set(attribute.values) for attribute in attributes_known(placed)}
    for name, value in offer.items():
        if name not in known:
            raise Problem(f"No past offer is described by “{label_of(name)}”.")
        if not value or value not in known[name]:
            raise Problem(f"No past offer has “{value}” as its {within(label_of(name))}.")


def expected_of(campaign: Campaign, written: NDArray[np.int64]) -> CampaignOffer | None:
    """What those written to can be expected to take up; None where nothing is said of the offer.

    ``written``: (m,) the segment of each.
    """
    if not campaign.offer:
        return None
    placed, _ = placed_or_status(campaign.study, window_of(campaign), _WHAT)
    expected = expected_by_segment(placed, campaign.offer) if placed else []
    customers = np.bincount(written, minlength=len(expected))
    whole = expected_of_all(expected, customers[: len(expected)].tolist())
    return CampaignOffer(
        attributes=[
            OfferedAttribute(label=label_of(name), value=value)
            for name, value in campaign.offer.items()
        ],
        share=whole.share if whole else None, low=whole.low if whole else None,
        high=whole.high if whole else None,
        like=max((each.like for each in expected), default=0),
        segments=[or_none(each.share) for each in expected],
        outside=int(customers[len(expected) :].sum()),
    )  # fmt: skip
