"""Rules that retell the segments: the tree as it is drawn, a sentence a segment, where it errs."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Literal, get_args

import numpy as np
from pydantic import BaseModel

from sortija.core.engine import Engine
from sortija.core.labels import within
from sortija.core.lens.clauses import MISSING
from sortija.core.portraits.bins import MOST_LEVELS
from sortija.core.portraits.conditions import Condition, conditions_of
from sortija.core.portraits.rules import Retelling, Rule, Share, retell, steadiness
from sortija.core.portraits.sentences import answer_words, in_unit, way_words
from sortija.core.table import Column
from sortija.server.groups.yardsticks.assignments import AssignmentAt
from sortija.server.ledger.customers.traits import trait_column, traits_of, words_of_values
from sortija.server.lens.requests import ClauseBody
from sortija.server.measures.actions import plan_of
from sortija.server.measures.everyone import base_from
from sortija.server.measures.plan import role_of
from sortija.server.portraits.division import (
    Against,
    ColumnHead,
    Division,
    divided,
    heads_of,
)
from sortija.server.portraits.placed import placed_or_status
from sortija.server.studies.cache_key import Keyed
from sortija.server.studies.http import Status
from sortija.server.studies.models import Study
from sortija.server.studies.process_cache import remembered
from sortija.server.studies.windows import WindowInView

__all__ = ["FROM", "USUAL_DEPTH", "From", "RulesAsked", "RulesPage", "rules_of", "rules_page"]

ENGINE = Engine()
#: What the questions may be about: what shaped the groups, everything else, or both.
From = Literal["shaping", "others", "both"]
FROM: tuple[From, ...] = get_args(From)
#: Questions in a row, where nobody asks for another number.
USUAL_DEPTH = 3


class ShareBody(BaseModel):
    """``count`` of ``of`` customers held back, with the 95% interval."""

    count: int
    of: int
    share: float | None
    low: float | None
    high: float | None


class RuleNode(BaseModel):
    """A bar of the tree: ``counts`` of each segment among everybody who comes here.

    ``answer``: what leads here; ``asks``: what is asked next, empty at a leaf; ``told``: the
    segment that a leaf takes everybody for; ``clauses``: the same customers as a lens.
    """

    id: int
    parent: int | None
    counts: list[int]
    answer: str
    asks: str
    told: int | None
    clauses: list[ClauseBody]


class RuleWay(BaseModel):
    """Conditions that hold together, in words and as a lens."""

    words: str
    clauses: list[ClauseBody]


class SegmentRule(BaseModel):
    """A column in one line, by its number; ``ways``: one or two, either will do; ``leaves``: its
    bars."""

    segment: int
    holds: ShareBody
    belongs: ShareBody
    ways: list[RuleWay]
    leaves: list[int]


class RulesPage(BaseModel):
    """``right``: customers held back whom the tree tells rightly; ``usual``: those it would by
    calling everybody the largest segment; ``steady``: how often a redrawn table asks about the
    same first; ``errs``: column by told column; ``in_order``: what had too many values to try
    every way to part them; ``too_many``: traits left out for having nearly one for everybody."""

    status: Status
    made_from: str
    depth: int
    about: From
    against: Against
    columns: list[ColumnHead]
    customers: int
    nodes: list[RuleNode]
    rules: list[SegmentRule]
    right: ShareBody
    usual: ShareBody
    steady: float | None
    errs: list[list[int]]
    in_order: list[str]
    too_many: list[str]


@dataclass(frozen=True)
class _Asked:
    """Columns that may be asked about, at the customers who are in a segment."""

    columns: tuple[Column, ...]
    labels: dict[str, str]
    units: dict[str, str]
    words: dict[str, dict[str, str]]
    too_many: tuple[str, ...]

    def said(self, column: Column) -> Column:
        """A column whose levels read as they are called."""
        words = self.words.get(column.name, {})
        levels = tuple(words.get(level, level) for level in column.levels)
        return Column(column.name, column.kind, column.values, column.unit, levels)

    def in_words(self, condition: Condition) -> Condition:
        """The same of a condition."""
        words = self.words.get(condition.column, {})

        def read(levels: tuple[str, ...]) -> tuple[str, ...]:
            return tuple(words.get(level, level) for level in levels)

        return replace(condition, levels=read(condition.levels), others=read(condition.others))


@dataclass(frozen=True)
class _Told:
    asked: _Asked
    told: Retelling
    steady: float


@dataclass(frozen=True)
class RulesAsked:
    """How many questions in a row, about what, and whom they tell apart."""

    depth: int = USUAL_DEPTH
    about: From = "shaping"
    against: Against = "segments"
    lens: str = ""


def rules_page(study: Study, window: WindowInView | None, asked: RulesAsked) -> RulesPage:
    """The rules of the adopted segments at a window, or of the customers of the lens.

    Beside everyone or beside the rest, the questions part those of the lens from all others.
    """
    placed, status = placed_or_status(study, window, "Rules retell adopted groups.")
    if placed is None:
        return _nothing(status, asked)
    against = "rest" if asked.against == "everyone" else asked.against
    division = divided(placed, asked.lens, against)
    found = _told_of(placed, division, asked)
    k = placed.placement.k
    return RulesPage(
        status=status, made_from=placed.stamp, depth=asked.depth, about=asked.about,
        against="segments" if division.stamp == placed.stamp else asked.against,
        columns=heads_of(division, placed, base_from(placed.made).money),
        customers=int(found.told.counts[0].sum()), nodes=_nodes(found, study.currency, k),
        rules=[_rule(rule, found, study.currency, k) for rule in found.told.rules],
        right=_share(found.told.right), usual=_share(found.told.usual),
        steady=found.steady if math.isfinite(found.steady) else None,
        errs=found.told.errs.tolist(), in_order=_in_order(found),
        too_many=list(found.asked.too_many),
    )  # fmt: skip


def rules_of(placed: AssignmentAt) -> list[SegmentRule]:
    """The rules of the segments from what shaped them."""
    found = _told_of(placed, divided(placed, "", "segments"), RulesAsked())
    currency, k = placed.yardstick.study.currency, placed.placement.k
    return [_rule(rule, found, currency, k) for rule in found.told.rules]


def _nothing(status: Status, asked: RulesAsked) -> RulesPage:
    none = _share(Share(0, 0))
    return RulesPage(
        status=status, made_from="", depth=asked.depth, about=asked.about, against="segments",
        columns=[], customers=0, nodes=[], rules=[], right=none, usual=none, steady=None, errs=[],
        in_order=[], too_many=[],
    )  # fmt: skip


def _names(placed: AssignmentAt, division: Division, about: From) -> tuple[list[str], list[str]]:
    """Measures and traits that may be asked about."""
    study = placed.yardstick.study
    plan, _ = plan_of(study)

    def wanted(name: str, in_use: bool) -> bool:
        shaped = name in division.shaping
        return (shaped and about != "others") or (not shaped and in_use and about != "shaping")

    measures = [
        n for n in placed.made.names if wanted(n, role_of(placed.made, plan, n) != "out")
    ]  # fmt: skip
    there = {f"trait:{t.name}" for t in traits_of(study, placed.made.window.to)}
    traits = [name for name in sorted(there - set(measures)) if wanted(name, True)]
    return measures, traits


def _stamps(
    placed: AssignmentAt, measures: Sequence[str], traits: Sequence[str]
) -> tuple[object, ...]:
    study = placed.yardstick.study
    known = {f"trait:{t.name}": t.stamp for t in traits_of(study, placed.made.window.to)}
    return placed.made.content(measures), tuple(
        (name, known[name], tuple(words_of_values(study, name).items())) for name in traits
    )


def _told_of(placed: AssignmentAt, division: Division, asked: RulesAsked) -> _Told:
    names = _names(placed, division, asked.about)
    key = (division.stamp, _stamps(placed, *names), asked.depth)
    return _told(Keyed(key, (placed, division, names)), asked.depth)


@remembered
def _told(
    key: Keyed[tuple[AssignmentAt, Division, tuple[list[str], list[str]]]], depth: int
) -> _Told:
    placed, division, names = key.value
    rows = np.flatnonzero((division.groups >= 0) & (division.groups < division.k))
    asked, groups, k = _asked(placed, *names, rows), division.groups[rows], division.k
    told = retell(asked.columns, groups, k, depth, engine=ENGINE)
    return _Told(asked, told, steadiness(asked.columns, groups, k, engine=ENGINE))


def _asked(
    placed: AssignmentAt, measures: Sequence[str], traits: Sequence[str], rows: np.ndarray
) -> _Asked:
    study, made = placed.yardstick.study, placed.made
    columns: list[Column] = []
    labels: dict[str, str] = {}
    units: dict[str, str] = {}
    too_many: list[str] = []
    for name in measures:
        about_it = made.about(name)
        columns.append(_at(made.column(name), name, rows))
        labels[name], units[name] = about_it.label, about_it.unit
    for trait in traits_of(study, made.window.to):
        name = f"trait:{trait.name}"
        if name not in traits:
            continue
        if len(trait.levels) > MOST_LEVELS:
            too_many.append(trait.label)
            continue
        columns.append(_at(trait_column(study, trait, made.size), name, rows))
        labels[name], units[name] = trait.label, trait.unit
    words = {name: words_of_values(study, name) for name in traits}
    return _Asked(tuple(columns), labels, units, words, tuple(too_many))


def _at(column: Column, name: str, rows: np.ndarray) -> Column:
    return Column(
        name, column.kind, np.asarray(column.values)[rows], column.unit, column.levels
    )  # fmt: skip


def _nodes(found: _Told, currency: str, k: int) -> list[RuleNode]:
    tree, columns = found.told.tree, found.asked.columns

    def number(name: str, value: float) -> str:
        return in_unit(value, found.asked.units[name], currency)

    nodes = []
    for place, node in enumerate(tree.nodes):
        path = tree.path(place)
        parent = next((p for p, n in enumerate(tree.nodes) if n.sides and place in n.sides), None)
        question, yes = path[-1] if path else (None, False)
        asks = found.asked.labels[columns[node.question.column].name] if node.question else ""
        nodes.append(
            RuleNode(
                id=place, parent=parent, counts=found.told.counts[place].tolist(),
                answer=answer_words(
                    question, yes, found.asked.said(columns[question.column]), number
                ) if question else "",
                asks=asks, told=None if node.question else node.told + 1,
                clauses=_clauses(conditions_of(path, columns), found.asked, k),
            )
        )  # fmt: skip
    return nodes


def _rule(rule: Rule, found: _Told, currency: str, k: int) -> SegmentRule:
    def label(name: str) -> str:
        words = found.asked.labels[name]
        return within(words)

    def number(name: str, value: float) -> str:
        return in_unit(value, found.asked.units[name], currency)

    ways = [
        RuleWay(
            words=way_words([found.asked.in_words(c) for c in way], label, number),
            clauses=_clauses(way, found.asked, k),
        )
        for way in rule.ways
    ]
    ways[0].words = ways[0].words[:1].upper() + ways[0].words[1:]
    return SegmentRule(
        segment=rule.segment + 1, holds=_share(rule.holds), belongs=_share(rule.belongs),
        leaves=list(rule.leaves), ways=ways,
    )  # fmt: skip


def _clauses(conditions: Sequence[Condition], asked: _Asked, k: int) -> list[ClauseBody]:
    """The conditions as a lens; who is in no segment is kept out where they would let them in."""
    clauses = [_clause(condition, asked) for condition in conditions if not condition.free]
    measured = any(c.field.startswith("measure:") and MISSING not in c.values for c in clauses)
    if not measured:
        everybody = [str(number) for number in range(1, k + 1)]
        clauses.append(ClauseBody(field="segment:now", values=everybody))
    return clauses


def _clause(condition: Condition, asked: _Asked) -> ClauseBody:
    name = condition.column
    field = name if name.startswith("trait:") else f"measure:{name}"
    gone = [MISSING] if condition.missing and condition.gaps else []
    if condition.of_category:
        return ClauseBody(field=field, values=[*condition.levels, *gone])
    return ClauseBody(field=field, values=gone, ranges=[(condition.low, condition.high)])


def _in_order(found: _Told) -> list[str]:
    questions = [node.question for node in found.told.tree.nodes if node.question]
    return _labels((q.column for q in questions if q.in_order), found)


def _labels(columns: Iterable[int], found: _Told) -> list[str]:
    names = (found.asked.columns[column].name for column in columns)
    return list(dict.fromkeys(found.asked.labels[name] for name in names))


def _share(share: Share) -> ShareBody:
    low, high = share.interval

    def plain(value: float) -> float | None:
        return value if math.isfinite(value) else None

    return ShareBody(
        count=share.count, of=share.of, share=plain(share.value), low=plain(low), high=plain(high)
    )
