"""The report of a campaign: one page of what its result says."""

from __future__ import annotations

from datetime import date

from pydantic import BaseModel

from sortija.core.campaigns.report import (
    ArmShown,
    PartShown,
    Report,
    ReportFacts,
    report_of,
)
from sortija.core.campaigns.telling import Gap, Told, worth_words
from sortija.core.formats.report.web_page import pictures_of
from sortija.core.lens.clauses import Clause, included
from sortija.core.portraits.figures import in_words
from sortija.server.campaigns.audience import window_of
from sortija.server.campaigns.delivery.events import counts_of
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.people import REASONS
from sortija.server.campaigns.result import (
    ArmResult,
    CampaignResult,
    money_of,
    result_of,
)
from sortija.server.lens.fields import field
from sortija.server.studies.models import Study
from sortija.server.studies.problems import Problem
from sortija.server.studies.windows import WindowInView

__all__ = ["ReportPage", "report_at", "report_page"]


class ReportPart(BaseModel):
    """A part of the page; ``picture``: a drawing (SVG), empty without one."""

    title: str
    strong: str
    text: str
    picture: str
    heads: list[str]
    rows: list[list[str]]


class ReportPage(BaseModel):
    title: str
    subtitle: str
    parts: list[ReportPart]
    foot: str


def report_at(campaign: Campaign) -> Report:
    """The report as it is now.

    Raises
    ------
    Problem
        Nothing is drawn yet, so that there is nothing to tell.
    """
    if campaign.arms is None:
        raise Problem("Nothing is drawn yet, so that there is nothing to report.", 409)
    result = result_of(campaign)
    fell = dict(campaign.fell_away)
    lens = fell.pop("lens", 0)
    told, held = result.told, result.held.customers if result.held else 0
    return report_of(ReportFacts(
        study=campaign.study.name, name=campaign.name, whom=_whom(campaign), lens=lens,
        fell_away={why: fell[why] for why in REASONS if fell.get(why)},
        sent_on=campaign.send_on, read_on=campaign.read_on,
        through=date.fromisoformat(result.through) if result.through else None,
        final=result.final, written=_arm("written to", result.written),
        held=_arm("held out", result.held),
        told=Told(told.lead, told.rest, told.beside) if told else None,
        lacks=result.lacks, worth=_worth(campaign, result),
        segments=[
            PartShown(s.segment, s.written, s.held, s.difference, s.low, s.high, s.mark)
            for s in result.segments
        ],
        differ=None if result.differ is None else result.segments_differ,
        versions=[
            PartShown(f"version {v.version}", v.written, held, v.difference, v.low, v.high)
            for v in result.versions
        ],
        letters={
            c.kind: c.customers
            for c in counts_of(campaign, result.written.customers if result.written else 0)
        },
        alike=result.balance.words if result.balance else "", brought_in=campaign.brought_in,
    ))  # fmt: skip


def _arm(words: str, arm: ArmResult | None) -> ArmShown | None:
    return ArmShown(words, arm.customers, arm.share, arm.low, arm.high) if arm else None


def _worth(campaign: Campaign, result: CampaignResult) -> str:
    worth = result.worth
    if worth is None:
        return ""
    nan = float("nan")
    net = Gap(
        worth.net, nan if worth.low is None else worth.low,
        nan if worth.high is None else worth.high,
    )  # fmt: skip
    won = Gap(worth.won, nan, nan)
    said = worth_words(won, worth.cost, worth.given, net, money_of(campaign))
    verdicts = {
        "worth it": " It was worth it.", "not worth it": " It was not worth it.",
        "likely": " It was likely worth it; that cannot be told for sure.",
        "hardly": " It was hardly worth it; that cannot be told for sure.",
    }  # fmt: skip
    return said + (verdicts[worth.verdict] if worth.verdict else "")


def _whom(campaign: Campaign) -> str:
    """The lens in words."""
    clauses = [Clause.from_json(each) for each in campaign.clauses]
    if not clauses:
        return "Everyone"
    said = "; ".join(_clause(campaign.study, window_of(campaign), each) for each in clauses)
    return said[:1].upper() + said[1:]


def _clause(study: Study, window: WindowInView, clause: Clause) -> str:
    try:
        found = field(study, window, clause.field)
    except Problem:
        return clause.field.partition(":")[2]
    names = dict(zip(found.column.levels, found.labels or found.column.levels, strict=False))
    picks = [names.get(value, value) for value in clause.values]
    for low, high in clause.ranges:
        with_it = included(high) if high is not None else None
        top = in_words(with_it or high or 0, found.unit, study.currency)
        if low is None:
            picks.append(f"at most {top}" if with_it is not None else f"under {top}")
        elif high is None:
            picks.append(f"{in_words(low, found.unit, study.currency)} and up")
        else:
            picks.append(f"{in_words(low, found.unit, study.currency)} to {top}")
    return f"{found.label} {'not ' if clause.negated else ''}{' or '.join(picks)}"


def report_page(campaign: Campaign) -> ReportPage:
    """The report for the screen."""
    report = report_at(campaign)
    pictures = pictures_of(report)
    return ReportPage(
        title=report.title, subtitle=report.subtitle, foot=report.foot,
        parts=[
            ReportPart(
                title=s.title, strong=s.strong, text=s.text, picture=pictures.get(s.key, ""),
                heads=list(s.heads), rows=[list(row) for row in s.rows],
            )
            for s in report.sections
        ],
    )  # fmt: skip
