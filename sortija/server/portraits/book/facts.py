"""What the book of a study can speak of, at a window."""

from __future__ import annotations

import re
from collections.abc import Iterable

import numpy as np

from sortija.core.calendar import date_of
from sortija.core.labels import within
from sortija.core.portraits.book.facts import (
    BookFacts,
    RuleFact,
    SegmentFacts,
    ThreadFact,
    category_facts,
    number_facts,
)
from sortija.server.groups.models import Yardstick
from sortija.server.groups.yardsticks.assignments import AssignmentAt, frozen
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.measures.everyone import base_from
from sortija.server.portraits.book.movement import movement_of
from sortija.server.portraits.book.read_campaigns import campaigns_read
from sortija.server.portraits.heads import segment_heads
from sortija.server.portraits.places.ground import place_traits
from sortija.server.portraits.rules import rules_of
from sortija.server.portraits.sheet import NumericRow, sheet_of
from sortija.server.portraits.spent_on import FAMILIES, parts_of

__all__ = ["facts_of"]


def facts_of(placed: AssignmentAt) -> BookFacts:
    """Everything that a book of these segments can speak of."""
    made, yardstick = placed.made, placed.yardstick
    spent = [name for family in FAMILIES for name in parts_of(made, family)]
    sheet = sheet_of(placed, None, tuple(spent))
    base = base_from(made)
    heads = segment_heads(placed, base.money, None)
    money = sum(head.money for head in heads)
    numbers = number_facts(sheet.numeric, sheet.k)
    categories = category_facts(sheet.categories, sheet.k)
    rules, again = _rules(placed), _comes_back(yardstick)
    aside = set(spent) - set(frozen(yardstick).names)
    state = np.asarray(placed.placement.state)[base.known]
    goes, same_again = movement_of(placed)
    return BookFacts(
        study=yardstick.study.name, window=_window(placed), currency=yardstick.study.currency,
        segments=tuple(
            SegmentFacts(
                number=head.number, name=head.name, mark=head.mark, customers=head.customers,
                money=head.money / money if money > 0 else float("nan"),
                numbers=numbers[place], categories=categories[place],
                rule=rules.get(head.number), border=head.border, towards=head.border_towards,
                comes_back=again[place] if again else None, notes=head.notes.strip(),
                goes=goes.get(head.number),
            )
            for place, head in enumerate(heads)
        ),
        threads={row.name: _thread(row) for row in sheet.numeric if row.name not in aside},
        outside=int((state >= placed.placement.k).sum()), made=_made(placed),
        clear=_clear(yardstick), places=place_traits(placed),
        same_again=same_again, campaigns=campaigns_read(yardstick.study),
    )  # fmt: skip


def _thread(row: NumericRow) -> ThreadFact:
    low, _, high = row.profile.quartiles
    means = tuple(float(mean) for mean in row.profile.means)
    return ThreadFact(row.label, row.unit, row.axis, (float(low), float(high)), means)


def _rules(placed: AssignmentAt) -> dict[int, RuleFact]:
    """The rules from what shaped the segments, three questions deep."""
    return {
        rule.segment: RuleFact(
            "; or ".join(way.words for way in rule.ways),
            rule.holds.share if rule.holds.share is not None else float("nan"),
            rule.belongs.share if rule.belongs.share is not None else float("nan"),
        )
        for rule in rules_of(placed)
    }


def _comes_back(yardstick: Yardstick) -> list[float] | None:
    return yardstick.grouping.outcome.comes_back if yardstick.grouping else None


def _clear(yardstick: Yardstick) -> str:
    verdict = yardstick.grouping.verdict if yardstick.grouping else None
    return verdict.level if verdict else ""


def _window(placed: AssignmentAt) -> str:
    """The first day that the window and the log have in common, and the last."""
    ledger = ledger_of(placed.yardstick.study)
    if not placed.made.rows or ledger is None:
        return ""
    begins, window = max(ledger.first_day(), 0), placed.window.window
    first, last = date_of(max(window.first_day(begins), begins)), window.last_day
    return f"{first.day} {first:%b %Y} to {last.day} {last:%b %Y}"


def _made(placed: AssignmentAt) -> str:
    """The method, what it was given, and when it was adopted."""
    yardstick = placed.yardstick
    day = f"{yardstick.adopted_at.day} {yardstick.adopted_at:%b %Y}"
    names = [_label(placed, name) for name in frozen(yardstick).names]
    if yardstick.grouping is None:
        return f"the ladder of tiers kept on {day}, by {_and(names)}"
    method = yardstick.grouping.recipe["method"]
    method = "hierarchical clustering" if method == "hierarchical" else method
    return f"{method} on {_and(names)}, adopted on {day}"


def _label(placed: AssignmentAt, name: str) -> str:
    if name not in placed.made.sources:
        return name.removeprefix("trait:").replace("_", " ")
    label = re.sub(r", (\w+)$", r" (\1)", placed.made.about(name).label)
    return within(label)


def _and(words: Iterable[str]) -> str:
    *first, last = words
    return f"{', '.join(first)} and {last}" if first else last
