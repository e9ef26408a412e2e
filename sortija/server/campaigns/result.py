"""The result of a campaign: written to against held out, by intention to treat."""

from __future__ import annotations

import math
from datetime import date, timedelta
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from sortija.core.calendar import date_of
from sortija.core.campaigns.differences import Difference
from sortija.core.campaigns.effect import (
    Effect,
    Spend,
    came_anyway,
    effect_of,
    parts_of,
    versions_of,
)
from sortija.core.campaigns.money import Worth, worth
from sortija.core.campaigns.power import days_until_told
from sortija.core.campaigns.strata import Arms, arms_of
from sortija.core.campaigns.telling import Finding, Gap, Money, Spent, tell
from sortija.core.measures.intervals import wilson
from sortija.server.campaigns.balance import ArmsAlike, balance_of
from sortija.server.campaigns.costs import CostsBody, costs_of
from sortija.server.campaigns.drawn import VERSIONS
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.people import state_words
from sortija.server.campaigns.responses import Outcome, outcome_of
from sortija.server.portraits.figures import or_none
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.process_cache import remembered

__all__ = [
    "CampaignResult", "RiseBody", "SpendResult", "gap_of", "money_of", "result_of", "rise_body",
    "spend_body",
]  # fmt: skip

#: Of fewer customers in an arm of a segment no effect is told.
LEAST = 20
#: Points of the pace that are drawn.
POINTS = 60

#: What a read result says: more came back than would have, fewer, or one cannot tell.
Verdict = Literal["more", "fewer", "cannot tell"]
#: What is said of its worth then: whether the interval holds 0, and where it mostly lies.
NetVerdict = Literal["worth it", "likely", "hardly", "not worth it"]
#: Parts differ where p is under this.
SURE = 0.05


class ArmResult(BaseModel):
    """``came`` of ``customers`` bought; the share of it, with its 95% interval, each stratum
    weighted by the audience where both arms are there."""

    customers: int
    came: int
    share: float
    low: float
    high: float


class RiseBody(BaseModel):
    """Written to less held out; null intervals: an arm has too few buyers."""

    written: float
    held: float
    difference: float
    low: float | None
    high: float | None


class SpendResult(BaseModel):
    """Spend a head in the smallest unit of money; ``adjusted``: capped at ``cap`` and adjusted for
    earlier spend."""

    plain: RiseBody
    adjusted: RiseBody | None
    cap: float | None


class SegmentResult(BaseModel):
    """The effect in one segment, its interval widened for as many looks; null: an arm is so small
    that none is told."""

    segment: str
    mark: int | None
    written: int
    held: int
    difference: float | None
    low: float | None
    high: float | None


class VersionResult(BaseModel):
    """One version against all who are held out, its interval widened for as many looks."""

    version: str
    written: int
    share: float
    difference: float
    low: float
    high: float


class WorthBody(BaseModel):
    """Money in the smallest unit: margin ``won`` with its interval, ``cost`` of writing, discount
    ``given`` to those who would have come anyway, and ``net``; ``verdict``: null before the planned
    day, and without an interval."""

    won: float
    won_low: float | None
    won_high: float | None
    cost: float
    given: float
    net: float
    low: float | None
    high: float | None
    verdict: NetVerdict | None


class ResultWords(BaseModel):
    """The result in sentences; see ``core.campaigns.telling.Told``."""

    lead: str
    rest: str
    beside: str


class PacePoint(BaseModel):
    """The shares that had come so many days after the one of sending."""

    day: int
    written: float
    held: float | None


class CampaignResult(BaseModel):
    """``through``: the last day told of, ``days`` after the one of sending, of ``horizon`` planned;
    ``final``: it is read as planned; only then is there a ``verdict``, and ``by_luck``: of how many
    campaigns without any effect one would look like this or plainer.

    ``lacks``: why there is no result yet, or none at all. ``differ``: p that segments differ,
    ``versions_p``: that versions do, ``…_differ``: whether they can be told to; ``versions``: none
    of one alone; ``balance``: how alike the arms were when they were drawn; ``anyway``: of those
    who were written to and came, the share that would have come anyway; ``likely_on``: when the
    pace so far will tell, null: not within two years.
    """

    through: str
    days: int
    horizon: int
    final: bool
    lacks: str
    written: ArmResult | None
    held: ArmResult | None
    returned: RiseBody | None
    verdict: Verdict | None
    by_luck: float | None
    likely_on: str | None
    anyway: float | None
    spend: SpendResult | None
    segments: list[SegmentResult]
    differ: float | None
    segments_differ: bool
    versions: list[VersionResult]
    versions_p: float | None
    versions_differ: bool
    worth: WorthBody | None
    costs: CostsBody
    pace: list[PacePoint]
    balance: ArmsAlike | None = None
    told: ResultWords | None = None


def result_of(campaign: Campaign) -> CampaignResult:
    """What a campaign did, as far as the log reaches."""
    found = outcome_of(campaign)
    if found is None:
        result = _nothing(campaign, _why_not(campaign))
        result.balance = balance_of(campaign)
        return result
    names = state_words(found.yardstick)
    key = Keyed((found.stamp, campaign.pk, names), (campaign, found))
    result = _read(key).model_copy()
    result.balance = balance_of(campaign)
    result.costs = CostsBody.kept(campaign.costs)
    result.worth = _worth(campaign, result)
    result.told = _words(campaign, result)
    return result


def _why_not(campaign: Campaign) -> str:
    if campaign.state == Campaign.DRAFT:
        return "Nothing is drawn yet."
    return (
        f"No purchase after {campaign.send_on:%d %b %Y} is in the log yet. Bring in the next "
        "file at the Ledger; responses are found in it."
    )


def _nothing(campaign: Campaign, lacks: str) -> CampaignResult:
    return CampaignResult(
        through="", days=0, horizon=(campaign.read_on - campaign.send_on).days, final=False,
        lacks=lacks, written=None, held=None, returned=None, verdict=None, by_luck=None,
        likely_on=None, anyway=None, spend=None, segments=[], differ=None,
        segments_differ=False, versions=[], versions_p=None, versions_differ=False, worth=None,
        costs=CostsBody.kept(campaign.costs), pace=[],
    )  # fmt: skip


@remembered
def _read(key: Keyed[tuple[Campaign, Outcome]]) -> CampaignResult:
    campaign, outcome = key.value
    held = outcome.drawn.held
    result = _nothing(campaign, "")
    result.through, result.days = date_of(outcome.through).isoformat(), outcome.days
    result.final, result.pace = outcome.final, _pace(outcome)
    came = outcome.responses.came
    result.written = _arm(came[~held]) if (~held).any() else None
    result.held = _arm(came[held]) if held.any() else None
    if result.written is None or result.held is None:
        result.lacks = "Nobody was held out, so that nothing can be told of its effect."
        return result
    arms = arms_of(held, outcome.drawn.stratum)
    effect = effect_of(
        came, arms, outcome.responses.spent.astype(np.float64),
        outcome.responses.before.astype(np.float64),
    )  # fmt: skip
    _tell(campaign, outcome, effect, result)
    _tell_segments(outcome, arms, result)
    _tell_versions(outcome, arms, result)
    return result


def _tell(campaign: Campaign, outcome: Outcome, effect: Effect, result: CampaignResult) -> None:
    returned, sizes = effect.returned, effect.arms.sizes.sum(axis=1)
    result.returned, result.anyway = rise_body(returned), or_none(came_anyway(returned))
    for arm, share, between in (
        (result.written, returned.written, returned.written_between),
        (result.held, returned.held, returned.held_between),
    ):
        if arm is not None:
            arm.share, (arm.low, arm.high) = share, between
    if effect.spend is not None:
        result.spend = spend_body(effect.spend)
    told = returned.low > 0 or returned.high < 0
    if outcome.final:
        result.by_luck = returned.by_luck
        result.verdict = "cannot tell" if not told else "more" if returned.low > 0 else "fewer"
    if not told or not outcome.final:
        days = days_until_told(
            returned.written, returned.held, int(sizes[0]), int(sizes[1]), outcome.days
        )
        result.likely_on = (
            None if days is None else (campaign.send_on + timedelta(days=days)).isoformat()
        )


def _tell_segments(outcome: Outcome, arms: Arms, result: CampaignResult) -> None:
    yardstick = outcome.yardstick
    labels = state_words(yardstick)
    marks = [segment.mark for segment in yardstick.segments.all()] if yardstick else []
    segment = outcome.drawn.segment
    there = np.unique(segment)
    least = [
        min(int((~arms.held[segment == n]).sum()), int(arms.held[segment == n].sum()))
        for n in there
    ]
    large = there[np.array(least) >= LEAST]
    among = np.isin(segment, large)
    parts = None
    if len(large) > 1:
        parts = parts_of(outcome.responses.came[among], arms.of(among), segment[among])
        result.differ, result.segments_differ = or_none(parts.differ), parts.differ < SURE
    for number in there.tolist():
        who = segment == number
        place = parts.numbers.index(number) if parts and number in parts.numbers else None
        found = parts.returned[place] if parts and place is not None else None
        result.segments.append(SegmentResult(
            segment=labels[number] if number < len(labels) else "no segment" if labels else "all",
            mark=marks[number] if number < len(marks) else None,
            written=int((who & ~arms.held).sum()), held=int((who & arms.held).sum()),
            difference=found.difference if found else None, low=found.low if found else None,
            high=found.high if found else None,
        ))  # fmt: skip


def _tell_versions(outcome: Outcome, arms: Arms, result: CampaignResult) -> None:
    version, came = outcome.drawn.version, outcome.responses.came
    if version.max(initial=0) < 2:
        return
    found = versions_of(came, arms, version)
    result.versions_p, result.versions_differ = or_none(found.differ), found.differ < SURE
    result.versions = [
        VersionResult(
            version=VERSIONS[number - 1], written=size[0],
            share=float(came[version == number].mean()), difference=each.difference,
            low=each.low, high=each.high,
        )
        for number, size, each in zip(found.numbers, found.sizes, found.returned, strict=True)
    ]  # fmt: skip


def _arm(came: NDArray[np.bool_]) -> ArmResult:
    count, of = int(came.sum()), len(came)
    low, high = wilson(count, of)
    return ArmResult(customers=of, came=count, share=count / of, low=low, high=high)


def rise_body(found: Difference) -> RiseBody:
    """A difference for the wire."""
    return RiseBody(
        written=found.written, held=found.held, difference=found.difference,
        low=or_none(found.low), high=or_none(found.high),
    )  # fmt: skip


def spend_body(found: Spend) -> SpendResult:
    """Spend a head for the wire."""
    return SpendResult(
        plain=rise_body(found.plain),
        adjusted=rise_body(found.adjusted) if found.adjusted else None,
        cap=or_none(found.cap),
    )  # fmt: skip


def money_of(campaign: Campaign) -> Money:
    """How the study's money is written."""
    return Money(campaign.study.currency, campaign.study.scale)


def gap_of(body: RiseBody) -> Gap:
    """A difference with its interval, NaN where it has none."""
    nan = float("nan")
    low, high = body.low, body.high
    return Gap(body.difference, nan if low is None else low, nan if high is None else high)


def _words(campaign: Campaign, result: CampaignResult) -> ResultWords | None:
    if result.returned is None:
        return None
    spend, likely = result.spend, result.likely_on
    told = tell(Finding(
        returned=gap_of(result.returned), days=result.days, horizon=result.horizon,
        read_on=campaign.read_on, final=result.final, verdict=result.verdict,
        by_luck=result.by_luck, likely_on=date.fromisoformat(likely) if likely else None,
        anyway=result.anyway, money=money_of(campaign),
        spent=Spent(
            gap_of(spend.plain), gap_of(spend.adjusted) if spend.adjusted else None, spend.cap
        ) if spend else None,
    ))  # fmt: skip
    return ResultWords(lead=told.lead, rest=told.rest, beside=told.beside)


def _worth(campaign: Campaign, result: CampaignResult) -> WorthBody | None:
    """Net money, from adjusted spend where there is such; None without a margin."""
    costs = costs_of(campaign)
    if costs is None or result.spend is None or result.held is None or result.written is None:
        return None
    told = result.spend.adjusted or result.spend.plain
    nan = float("nan")
    spend = Difference(
        told.written, told.held, told.difference, nan if told.low is None else told.low,
        nan if told.high is None else told.high, nan, nan,
    )  # fmt: skip
    unasked = result.returned.held if result.returned else result.held.share
    found = worth(spend, unasked, result.written.customers, costs)
    rise = result.written.customers * costs.margin
    return WorthBody(
        won=found.won, won_low=or_none(spend.low * rise), won_high=or_none(spend.high * rise),
        cost=found.cost, given=found.given, net=found.net, low=or_none(found.low),
        high=or_none(found.high), verdict=_net_verdict(found) if result.final else None,
    )  # fmt: skip


def _net_verdict(found: Worth) -> NetVerdict | None:
    if math.isnan(found.low):
        return None
    if found.low > 0 or found.high < 0:
        return "worth it" if found.low > 0 else "not worth it"
    return "likely" if found.net > 0 else "hardly"


def _pace(outcome: Outcome) -> list[PacePoint]:
    held, days = outcome.drawn.held, outcome.days
    step = max(1, -(-days // POINTS))
    points = []
    for day in sorted({*range(0, days, step), days}):
        came = outcome.came_by(outcome.sent + day)
        points.append(PacePoint(
            day=day, written=float(came[~held].mean()) if (~held).any() else 0.0,
            held=float(came[held].mean()) if held.any() else None,
        ))  # fmt: skip
    return points
