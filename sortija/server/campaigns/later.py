"""What became of the arms 3, 6 and 12 months after a campaign: spend, purchases, segments."""

from __future__ import annotations

from datetime import date

import numpy as np
from pydantic import BaseModel

from sortija.core.calendar import day_number, months_before
from sortija.core.campaigns.differences import share_difference
from sortija.core.campaigns.effect import spend_effect
from sortija.core.campaigns.later import states_apart
from sortija.core.campaigns.responses import responses_of
from sortija.core.campaigns.strata import Arms, arms_of
from sortija.core.campaigns.telling import day_words
from sortija.server.campaigns.audience import window_of
from sortija.server.campaigns.drawn import Drawn, drawn_of
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.people import state_words
from sortija.server.campaigns.result import RiseBody, SpendResult, rise_body, spend_body
from sortija.server.groups.actions import yardstick_of
from sortija.server.groups.models import Yardstick
from sortija.server.groups.yardsticks.assignments import (
    AssignmentAt,
    assignment_at,
)
from sortija.server.ledger.store.coverage import covered
from sortija.server.ledger.store.ledger import Ledger, ledger_of
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.fingerprints import fingerprint
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = ["CampaignLater", "later_of"]

#: Months after the day of sending at which one looks again.
MONTHS = (3, 6, 12)


class LaterState(BaseModel):
    """The share of each arm that is in a segment, or in none; null: too few to tell."""

    state: str
    mark: int | None
    customers: int
    written: float | None
    held: float | None
    difference: float | None
    low: float | None
    high: float | None


class LaterOn(BaseModel):
    """So many ``months`` after sending, on the day ``on``; ``lacks``: why nothing is told yet.

    ``bought``: who bought since the day of sending; ``spend``: since then; ``states``: where both
    arms are, intervals widened for as many looks, empty without adopted groups, or where
    ``states_lack`` says why.
    """

    months: int
    on: str
    lacks: str
    bought: RiseBody | None
    spend: SpendResult | None
    states: list[LaterState]
    states_lack: str


class CampaignLater(BaseModel):
    """``free_from``: until this day those held out were kept from every other campaign."""

    later: list[LaterOn]
    free_from: str


def later_of(campaign: Campaign) -> CampaignLater:
    """The arms at 3, 6 and 12 months, as far as the log reaches."""
    drawn, ledger = drawn_of(campaign), ledger_of(campaign.study)
    rows = []
    for months in MONTHS:
        on = months_before(campaign.send_on, -months)
        row = LaterOn(
            months=months, on=on.isoformat(), lacks=_lacks(drawn, ledger, on), bought=None,
            spend=None, states=[], states_lack="",
        )  # fmt: skip
        if not row.lacks and ledger is not None:
            row = _told(campaign, drawn, ledger, on, row)
        rows.append(row)
    return CampaignLater(later=rows, free_from=campaign.read_on.isoformat())


def _lacks(drawn: Drawn, ledger: Ledger | None, on: date) -> str:
    if not len(drawn.customers):
        return "Nothing is drawn yet."
    if drawn.held.all() or not drawn.held.any():
        return "Nobody was held out, so that nothing can be told."
    last = ledger.last_day() if ledger else None
    if last is None or last < on:
        return f"The log does not reach {day_words(on)} yet."
    return ""


def _told(campaign: Campaign, drawn: Drawn, ledger: Ledger, on: date, row: LaterOn) -> LaterOn:
    assert campaign.arms is not None
    stamp = fingerprint("later", ledger.made_from, campaign.arms.fingerprint, str(on))
    row = row.model_copy()
    row.bought, row.spend = _bought(Keyed((stamp, campaign.pk), (campaign, drawn, ledger, on)))
    yardstick = yardstick_of(campaign.study)
    if yardstick is None:
        return row
    window = WindowInView(on, "12")
    if words := covered(campaign.study, window):
        row.states_lack = words
        return row
    placed = assignment_at(campaign.study, yardstick, window)
    if placed is None:
        row.states_lack = "the segments of that day are being worked out"
        return row
    labels = state_words(yardstick)
    key = (placed.stamp, stamp, labels)
    row.states = _states(Keyed(key, (drawn, placed, yardstick)))
    return row


@remembered
def _bought(
    key: Keyed[tuple[Campaign, Drawn, Ledger, date]],
) -> tuple[RiseBody, SpendResult]:
    campaign, drawn, ledger, on = key.value
    known = drawn.customers < ledger.customers
    found = responses_of(
        ledger.lines().log.arrays(), ledger.mask, drawn.customers[known],
        day_number(campaign.send_on), day_number(on),
        window_of(campaign).window.first_day(ledger.first_day()),
    )  # fmt: skip
    came, spent, before = (np.zeros(len(known)) for _ in range(3))
    came[known], spent[known], before[known] = found.came, found.spent, found.before
    arms = arms_of(drawn.held, drawn.stratum)
    return (
        rise_body(share_difference(came > 0, arms)),
        spend_body(spend_effect(spent, arms, before)),
    )


@remembered
def _states(key: Keyed[tuple[Drawn, AssignmentAt, Yardstick]]) -> list[LaterState]:
    drawn, placed, yardstick = key.value
    state = np.asarray(placed.placement.state)
    known = drawn.customers < len(state)
    arms: Arms = arms_of(drawn.held[known], drawn.stratum[known])
    labels = state_words(yardstick)
    marks = [segment.mark for segment in yardstick.segments.all()]
    out = []
    for each in states_apart(state[drawn.customers[known]], arms):
        name, gap = labels[each.number], each.gap
        out.append(LaterState(
            state=name,
            mark=marks[each.number] if each.number < len(marks) else None,
            customers=each.customers, written=gap.written if gap else None,
            held=gap.held if gap else None, difference=gap.difference if gap else None,
            low=gap.low if gap else None, high=gap.high if gap else None,
        ))  # fmt: skip
    return out
