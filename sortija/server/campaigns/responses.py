"""What those of a draw bought since it was sent, as far as the log reaches."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from sortija.core.calendar import date_of, day_number
from sortija.core.campaigns.responses import Responses, responses_of
from sortija.server.campaigns.audience import window_of
from sortija.server.campaigns.drawn import Drawn, drawn_of
from sortija.server.campaigns.models import Campaign
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.process_cache import remembered

__all__ = ["Outcome", "outcome_of", "reaches"]


@dataclass(frozen=True)
class Outcome:
    """``through``: the last day that is told of, a day number, at most the planned day of reading;
    ``final``: it is that day. ``stamp``: what it was made from."""

    drawn: Drawn
    responses: Responses
    sent: int
    through: int
    final: bool
    stamp: str

    @property
    def days(self) -> int:
        """Days since the one of sending."""
        return self.through - self.sent

    def came_by(self, day: int) -> NDArray[np.bool_]:
        """(m,) who had bought by this day."""
        return self.responses.came & (self.responses.day <= day)


def reaches(campaign: Campaign) -> int | None:
    """The last day that its result can be told of, at most the planned one; None before there is
    a purchase after the day of sending that the log could hold."""
    ledger = ledger_of(campaign.study)
    last = ledger.last_day() if ledger else None
    if last is None or last <= campaign.send_on:
        return None
    return day_number(min(last, campaign.read_on))


def outcome_of(campaign: Campaign) -> Outcome | None:
    """What came back by now; None while nothing can have, or nothing is drawn."""
    ledger, through = ledger_of(campaign.study), reaches(campaign)
    if ledger is None or through is None or campaign.arms is None:
        return None
    stamp = fingerprint(
        "responses", ledger.made_from, campaign.arms.fingerprint, str(campaign.send_on), through
    )
    return _made(Keyed((stamp, campaign.pk), (campaign, through, stamp)))


@remembered
def _made(key: Keyed[tuple[Campaign, int, str]]) -> Outcome:
    campaign, through, stamp = key.value
    ledger = ledger_of(campaign.study)
    assert ledger is not None
    drawn, sent = drawn_of(campaign), day_number(campaign.send_on)
    known = drawn.customers < ledger.customers
    since = window_of(campaign).window.first_day(ledger.first_day())
    lines = ledger.lines().log.arrays()
    told = responses_of(lines, ledger.mask, drawn.customers[known], sent, through, since)
    whole = Responses(*(
        _filled(values, known, nothing)
        for values, nothing in ((told.day, -1), (told.spent, 0), (told.before, 0))
    ))  # fmt: skip
    final = date_of(through) >= campaign.read_on
    return Outcome(drawn, whole, sent, through, final, stamp)


def _filled(values: NDArray[np.int64], known: NDArray[np.bool_], nothing: int) -> NDArray[np.int64]:
    """Who is in no log of today has bought nothing."""
    out = np.full(len(known), nothing, np.int64)
    out[known] = values
    return out
