"""Offers: who took which, what those that a segment prefers share, and the next mailing."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from pydantic import BaseModel

from sortija.core.measures.intervals import wilson_of_all
from sortija.core.portraits.next_mailing import Expected, expected_take_up
from sortija.core.portraits.offers import (
    CLEAR,
    FEW,
    Attribute,
    Pattern,
    TakeUp,
    attributes_of,
    preferred,
    take_up,
)
from sortija.server.groups.yardsticks.assignments import AssignmentAt
from sortija.server.ledger.customers.traits import label_of
from sortija.server.ledger.models import Intake
from sortija.server.measures.everyone import base_from
from sortija.server.portraits.division import Against, ColumnHead, Division, divided, heads_of
from sortija.server.portraits.figures import or_none, plain
from sortija.server.portraits.placed import placed_or_status
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = ["OffersAsked", "OffersPage", "attributes_known", "expected_by_segment", "offers_page"]

_OFFER = "offer:"


@dataclass(frozen=True)
class OffersAsked:
    """``chosen``: attributes of the next mailing, by name."""

    against: Against = "segments"
    lens: str = ""
    chosen: Mapping[str, str] = field(default_factory=dict)


class OfferRow(BaseModel):
    """One past offer by column: who ``received`` and ``took`` it, the share with its Wilson
    interval; ``few``: rests on too few people; ``base_known``: whether it is known who received
    it, else shares are of the whole column; ``circular``: it made the columns."""

    name: str
    label: str
    attributes: list[str]
    all_received: int
    base_known: bool
    circular: bool
    received: list[int]
    took: list[int]
    shares: list[float | None]
    lows: list[float | None]
    highs: list[float | None]
    few: list[bool]


class OfferAttribute(BaseModel):
    """``values``: what more than one offer has of it, the commonest first."""

    name: str
    label: str
    values: list[str]


class PatternBody(BaseModel):
    """Offers with a value against those without; ``p`` counts everything that was looked at."""

    attribute: str
    value: str
    offers: int
    of: int
    with_it: float
    without: float
    p: float


class PreferredBody(BaseModel):
    """A column by its number: its clear pattern, if it has one; ``highest``: its highest
    take-up of any offer."""

    number: int
    pattern: PatternBody | None
    highest: float | None


class ExpectedBody(BaseModel):
    """A column's take-up of the next mailing with the 95% interval of one such offer."""

    number: int
    share: float | None
    low: float | None
    high: float | None
    like: int


class OffersPage(BaseModel):
    """``tried``: values that were looked at for a pattern, of every column."""

    status: Status
    made_from: str
    against: Against
    columns: list[ColumnHead]
    attributes: list[OfferAttribute]
    offers: list[OfferRow]
    preferred: list[PreferredBody]
    tried: int
    chosen: dict[str, str]
    expected: list[ExpectedBody]


@dataclass(frozen=True)
class _Told:
    names: tuple[str, ...]
    taken: TakeUp
    attributes: tuple[Attribute, ...]
    patterns: tuple[Pattern, ...]


def offers_page(study: Study, window: WindowInView | None, asked: OffersAsked) -> OffersPage:
    """The offers of the study by segment, or by lens and rest."""
    placed, status = placed_or_status(study, window, "Offers are told by adopted group.")
    if placed is None:
        return OffersPage(
            status=status, made_from="", against="segments", columns=[], attributes=[], offers=[],
            preferred=[], tried=0, chosen={}, expected=[],
        )  # fmt: skip
    division = divided(placed, asked.lens, asked.against)
    told = _told(placed, division)
    shown = range(division.shown)
    names = {attribute.name for attribute in told.attributes}
    chosen = {name: value for name, value in asked.chosen.items() if name in names and value}
    expected = expected_take_up(told.taken.rates, told.attributes, chosen)
    return OffersPage(
        status=status, made_from=placed.stamp,
        against="segments" if division.stamp == placed.stamp else asked.against,
        columns=heads_of(division, placed, base_from(placed.made).money),
        attributes=[_attribute(each) for each in told.attributes],
        offers=[_row(placed, division, told, n) for n in range(len(told.names))],
        preferred=[_preferred(told, n) for n in shown] if told.names else [],
        tried=len({(each.attribute, each.value) for each in told.patterns}), chosen=chosen,
        expected=[
            ExpectedBody(number=n + 1, share=or_none(expected[n].share),
                         low=or_none(expected[n].low), high=or_none(expected[n].high),
                         like=expected[n].like)
            for n in shown
        ] if told.names else [],
    )  # fmt: skip


def attributes_known(placed: AssignmentAt) -> tuple[Attribute, ...]:
    """What is told of the study's offers, as it can be chosen for a mailing."""
    return _told(placed, divided(placed, "", "segments")).attributes


def expected_by_segment(placed: AssignmentAt, chosen: Mapping[str, str]) -> list[Expected]:
    """What a mailing with the chosen attributes can be expected to be taken by, segment by
    segment; of no segment where no offer is known."""
    told = _told(placed, divided(placed, "", "segments"))
    if not told.names:
        return []
    return expected_take_up(told.taken.rates, told.attributes, chosen)


def _told(placed: AssignmentAt, division: Division) -> _Told:
    names = tuple(name for name in placed.made.others if name.startswith(_OFFER))
    descriptions = _descriptions(placed.yardstick.study)
    content = tuple(sorted((n, tuple(sorted(d.items()))) for n, d in descriptions.items()))
    key = (division.stamp, placed.made.content(names), content)
    return _counted(Keyed(key, (placed, division, names)))


def _descriptions(study: Study) -> dict[str, dict[str, str]]:
    """What the offers' files tell of each, by its name; the newest file counts."""
    found: dict[str, dict[str, str]] = {}
    files = Intake.objects.filter(study=study, role=Intake.OFFERS, state=Intake.COUNTED)
    for intake in files.order_by("id"):
        found.update(intake.came.told)
    return found


@remembered
def _counted(key: Keyed[tuple[AssignmentAt, Division, tuple[str, ...]]]) -> _Told:
    placed, division, names = key.value
    answers = [np.asarray(placed.made.column(name).values, np.float64) for name in names]
    taken = take_up(answers, division.groups, division.k)
    descriptions = _descriptions(placed.yardstick.study)
    attributes = attributes_of([descriptions.get(n.removeprefix(_OFFER), {}) for n in names])
    rates = taken.rates[:, : division.shown]
    return _Told(names, taken, tuple(attributes), tuple(preferred(rates, attributes)))


def _attribute(attribute: Attribute) -> OfferAttribute:
    given = Counter(value for value in attribute.values if value)
    values = [value for value, many in given.most_common() if many > 1]
    return OfferAttribute(name=attribute.name, label=label_of(attribute.name), values=values)


def _row(placed: AssignmentAt, division: Division, told: _Told, place: int) -> OfferRow:
    shown, name = division.shown, told.names[place]
    received, took = told.taken.received[place], told.taken.took[place]
    lows, highs = wilson_of_all(took[:shown], received[:shown])
    return OfferRow(
        name=name, label=placed.made.about(name).label,
        attributes=[attribute.values[place] for attribute in told.attributes],
        all_received=int(received.sum()), base_known=bool(told.taken.known[place]),
        circular=name in division.shaping or "offers_used" in division.shaping,
        received=received[:shown].tolist(), took=took[:shown].tolist(),
        shares=plain(told.taken.rates[place, :shown]), lows=plain(lows), highs=plain(highs),
        few=(received[:shown] < FEW).tolist(),
    )  # fmt: skip


def _preferred(told: _Told, column: int) -> PreferredBody:
    """A column's clearest pattern among what it takes more of, if chance does not make it."""
    mine = [p for p in told.patterns if p.group == column and p.with_it > p.without]
    best = mine[0] if mine and mine[0].p < CLEAR else None
    rates = told.taken.rates[:, column]
    known = rates[~np.isnan(rates)]
    return PreferredBody(
        number=column + 1, highest=float(known.max()) if len(known) else None,
        pattern=None if best is None else PatternBody(
            attribute=best.attribute, value=best.value, offers=best.offers, of=best.of,
            with_it=best.with_it, without=best.without, p=best.p,
        ),
    )  # fmt: skip
