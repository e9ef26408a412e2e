"""A drawn audience: who is written to, who is held out, kept as columns of the customers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.campaigns.holdout import Holdout
from sortija.core.table import Column
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.people import REASONS, Audience
from sortija.server.studies.columns import blank, drop_column, read_column, write_columns
from sortija.server.studies.erasure_hooks import forgets_people
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.models import Population, Study
from sortija.server.studies.tokens import new_token

__all__ = [
    "DRAWN",
    "LEVELS",
    "VERSIONS",
    "Drawn",
    "drawn_of",
    "in_lens",
    "keep_drawn",
    "let_go",
    "levels_of",
]

_ARMS = ("written to", "held out")
#: What a draw says of everybody in its lens.
LEVELS = (*_ARMS, *REASONS)
#: What a draft says of whoever is not fallen away.
LEFT = "left to write to"
#: The columns that a draw is kept in.
DRAWN = ("arms", "strata", "segments", "versions")
#: What versions are called, in their order.
VERSIONS = ("A", "B", "C", "D")


@dataclass(frozen=True)
class Drawn:
    """Whom a campaign was drawn for, all (m,).

    ``customers``: row numbers, ascending; ``held``: who is not written to; ``stratum``: of each
    draw's own numbers; ``segment``: state by the yardstick of that day, 0 without one; ``version``:
    which one is sent, from 1, 0 for those who are held out.
    """

    customers: NDArray[np.int64]
    held: NDArray[np.bool_]
    stratum: NDArray[np.int64]
    segment: NDArray[np.int64]
    version: NDArray[np.int64]


def keep_drawn(
    campaign: Campaign, audience: Audience, drawn: Holdout, version: NDArray[np.int64] | None = None
) -> None:
    """Keep a draw; the caller saves the campaign, in the same transaction. ``version``: which one
    each of the audience is sent, from 1, where there are several."""
    population = Population.objects.get(study=campaign.study, name="customers")
    strata, stratum = np.unique(drawn.stratum, return_inverse=True)
    segments = range(int(audience.segment.max(initial=0)) + 1)
    told = (
        (drawn.held, LEVELS),
        (stratum, tuple(str(number) for number in strata.tolist())),
        (audience.segment, tuple(str(number) for number in segments)),
    )
    columns = []
    for field, (places, levels) in zip(DRAWN[: len(told)], told, strict=True):
        codes = np.zeros(population.size, np.int32)
        if field == "arms":
            codes[: len(audience.fell)] = np.where(audience.fell, audience.fell + len(_ARMS), 0)
        codes[audience.customers] = places.astype(np.int32) + 1
        columns.append((Column(f"campaign {field}", "category", codes, "", levels), None))
    if version is not None:
        codes = np.zeros(population.size, np.int32)
        codes[audience.customers] = version
        columns.append((Column("campaign versions", "category", codes, "", VERSIONS), None))
    # Another draw is another decision, however alike.
    stamp = fingerprint("drawn", campaign.pk, new_token())
    rows = write_columns(population, columns, campaign.window, stamp)
    for field, row in zip(DRAWN, rows, strict=False):
        setattr(campaign, field, row)
    campaign.yardstick = audience.yardstick


def drawn_of(campaign: Campaign) -> Drawn:
    """The draw of a campaign; of nobody while it is a draft."""
    if campaign.arms is None or campaign.strata is None or campaign.segments is None:
        none = np.zeros(0, np.int64)
        return Drawn(none, np.zeros(0, np.bool_), none, none, none)
    arms, strata, segments = (
        np.asarray(read_column(row).values)
        for row in (campaign.arms, campaign.strata, campaign.segments)
    )
    customers = np.flatnonzero((arms > 0) & (arms <= len(_ARMS)))
    held = arms[customers] == 2
    version = (~held).astype(np.int64)
    if campaign.versions is not None:
        version = np.asarray(read_column(campaign.versions).values, np.int64)[customers]
    return Drawn(customers, held, strata[customers] - 1, segments[customers] - 1, version)


def levels_of(state: str) -> tuple[str, ...]:
    """What a campaign's field says of everybody in its lens: of a draft, who is left."""
    return (LEFT, *LEVELS[1:]) if state == Campaign.DRAFT else LEVELS


def in_lens(campaign: Campaign) -> NDArray[np.bool_]:
    """(n,) who is in the lens of a drawn campaign, those who fell away included."""
    if campaign.arms is None:
        return np.zeros(0, np.bool_)
    return np.asarray(read_column(campaign.arms).values) > 0


def let_go(campaign: Campaign) -> None:
    """Undo a draw; the campaign is saved."""
    rows = [getattr(campaign, field) for field in DRAWN]
    campaign.arms = campaign.strata = campaign.segments = campaign.versions = None
    campaign.yardstick = None
    campaign.save()
    for row in rows:
        if row is not None:
            drop_column(row)


@forgets_people
def _forget(study: Study, numbers: list[int]) -> None:
    """An erased person is on no list, sent or held out."""
    drawn = Campaign.objects.filter(study=study).exclude(arms=None)
    for campaign in drawn.select_related(*DRAWN):
        for field in DRAWN:
            if (row := getattr(campaign, field)) is not None:
                blank(row, numbers)
