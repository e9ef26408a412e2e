"""What those of a draw bought since it was sent, as far as the log reaches."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from sortija.core.calendar import date_of, day_number
from sortija.core.campaigns.responses import Responses, responses_of
from sortija.server.campaigns.audience import window_of
from sortija.server.campaigns.drawn import Drawn, drawn_of
from sortija.server.campaigns.models import Campaign
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.models import Yardstick
from sortija.server.groups.yardsticks.assignments import assignment_at
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = ["Outcome", "outcome_of", "reaches", "with_segments"]


@dataclass(frozen=True)
class Outcome:
    """``yardstick``: whose segments those of ``drawn`` are; ``through``: the last day that is told
    of, a day number, at most the planned day of reading; ``final``: it is that day; ``stamp``: what
    it was made from."""

    drawn: Drawn
    yardstick: Yardstick | None
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


def with_segments(campaign: Campaign) -> tuple[Drawn, Yardstick | None, str]:
    """A draw with the segments that its result is told by, their yardstick, and a stamp of both.

    A list that was drawn elsewhere knows no segments: it has those of the yardstick in use, as
    they were on the day of sending, as soon as they are worked out. The strata stay as they are,
    so that adopting other groups never changes an effect.
    """
    drawn, study = drawn_of(campaign), campaign.study
    if not campaign.brought_in or campaign.yardstick is not None:
        return drawn, campaign.yardstick, ""
    yardstick = yardstick_of(study)
    window = WindowInView(campaign.send_on, "12")
    placed = assignment_at(study, yardstick, window) if yardstick else None
    if yardstick is None or placed is None:
        return drawn, None, ""
    state = np.asarray(placed.placement.state)
    segment = np.full(len(drawn.customers), placed.placement.k, np.int64)  # not there yet
    known = drawn.customers < len(state)
    segment[known] = state[drawn.customers[known]]
    return replace(drawn, segment=segment), yardstick, placed.stamp


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
    drawn, yardstick, by = with_segments(campaign)
    stamp = fingerprint(
        "responses", ledger.made_from, campaign.arms.fingerprint, str(campaign.send_on), through, by
    )
    return _made(Keyed((stamp, campaign.pk), (campaign, drawn, yardstick, through, stamp)))


@remembered
def _made(key: Keyed[tuple[Campaign, Drawn, Yardstick | None, int, str]]) -> Outcome:
    campaign, drawn, yardstick, through, stamp = key.value
    ledger = ledger_of(campaign.study)
    assert ledger is not None
    sent = day_number(campaign.send_on)
    known = drawn.customers < ledger.customers
    since = window_of(campaign).window.first_day(ledger.first_day())
    lines = ledger.lines().log.arrays()
    told = responses_of(lines, ledger.mask, drawn.customers[known], sent, through, since)
    whole = Responses(*(
        _filled(values, known, nothing)
        for values, nothing in ((told.day, -1), (told.spent, 0), (told.before, 0))
    ))  # fmt: skip
    final = date_of(through) >= campaign.read_on
    return Outcome(drawn, yardstick, whole, sent, through, final, stamp)


def _filled(values: NDArray[np.int64], known: NDArray[np.bool_], nothing: int) -> NDArray[np.int64]:
    """Who is in no log of today has bought nothing."""
    out = np.full(len(known), nothing, np.int64)
    out[known] = values
    return out
