"""Live figures of a book: small keys that stand in a text, and what each of them says now."""

from __future__ import annotations

import math
import re
from collections.abc import Callable

from sortija.core.portraits.book.facts import (
    BookFacts,
    CampaignFact,
    CategoryFact,
    LevelFact,
    SegmentFacts,
)
from sortija.core.portraits.figures import in_words, percent

__all__ = ["KEY", "about", "read_back", "stored", "words_of"]

#: A figure in a text: {mean:frequency}, {has:garden=yard}; of another segment: {3.share}.
KEY = re.compile(r"\{(?:\d+\.)?[a-z_]+(?::[^{}]*)?\}")
_NAME = re.compile(r"(?:(\d+)\.)?([a-z_]+)(?::(.*))?", re.S)

#: What figures of a segment, and of the whole, are called where they are chosen.
_PLAIN: dict[str, tuple[str, Callable[[BookFacts, SegmentFacts], str | None]]] = {
    "customers": ("customers", lambda b, s: _count(s.customers, "customer")),
    "share": ("share of all customers", lambda b, s: percent(s.customers / max(b.customers, 1))),
    "money_share": ("share of the spend", lambda b, s: _share(s.money)),
    "border": ("customers on the border", lambda b, s: _count(s.border, "customer")),
    "towards": ("the nearest segment", lambda b, s: _named(b, s.towards)),
    "comes_back": (
        "overlap with itself when redrawn",
        lambda b, s: None if s.comes_back is None else f"{s.comes_back:.2f}",
    ),
    "rule": ("the rule", lambda b, s: s.rule.words if s.rule else None),
    "holds": ("share that the rule finds", lambda b, s: _share(s.rule.holds) if s.rule else None),
    "belongs": (
        "share of those found who belong",
        lambda b, s: _share(s.rule.belongs) if s.rule else None,
    ),
    "name": ("the name", lambda b, s: s.name),
    "then": ("the date before", lambda b, s: s.goes.then if s.goes else None),
    "stayed": (
        "share of those before who are here again",
        lambda b, s: _share(s.goes.stayed) if s.goes else None,
    ),
    "stays_by_chance": (
        "share that chance alone would keep",
        lambda b, s: _range(s.goes.stays_low, s.goes.stays_high, percent) if s.goes else None,
    ),
}
_WHOLE: dict[str, tuple[str, Callable[[BookFacts], str | None]]] = {
    "all": ("all customers", lambda b: _count(b.customers, "customer")),
    "segments": ("how many segments", lambda b: _count(len(b.segments), "segment")),
    "outside": ("customers in no segment", lambda b: _count(b.outside, "customer")),
    "window": ("the window", lambda b: b.window or None),
    "made": ("how the segments were made", lambda b: b.made or None),
    "same_again": (
        "share in the same segment, had the year happened again",
        lambda b: None if b.same_again is None else percent(b.same_again),
    ),
}
_NUMBERS = {"mean": "mean", "median": "median", "rest": "mean of everyone else"}
_LEVELS = {"has": "share", "others": "share of everyone else"}
#: Of a campaign, by its number.
_CAMPAIGNS: dict[str, tuple[str, Callable[[CampaignFact], str]]] = {
    "campaign": ("the name", lambda c: c.name),
    "came_back": ("how many more came back, in 100", lambda c: c.gap),
    "came_between": ("the interval of that", lambda c: c.between),
}
#: Of a way out of a segment, by the number of the segment that it leads to, or *left*.
_WAYS = {"went": "how many went", "moved_by_chance": "how many chance alone would move"}


def stored(book: BookFacts, segment: SegmentFacts | None, key: str) -> str | None:
    """What is kept of a figure to know later whether it changed: its words, and of a segment that
    is named its number, for a segment that is called otherwise is still the same."""
    found = _NAME.fullmatch(key)
    number, name, argument = found.groups() if found else (None, "", None)
    of = book.segment(int(number)) if number else segment
    if of is not None and argument is None and name in ("name", "towards"):
        named = of.number if name == "name" else of.towards
        return None if named is None else f"#{named}"
    return words_of(book, segment, key)


def read_back(book: BookFacts, key: str, kept: str) -> str:
    """What a kept figure reads as: its words; a segment as it is called now.

    >>> from sortija.core.portraits.book.facts import BookFacts
    >>> read_back(BookFacts("", "", "", (), {}), "share", "28%")
    '28%'
    """
    if key.rpartition(".")[2] not in ("name", "towards") or not kept.startswith("#"):
        return kept
    segment = book.segment(int(kept[1:]))
    return segment.name if segment else "another segment"


def words_of(book: BookFacts, segment: SegmentFacts | None, key: str) -> str | None:
    """What a figure says now; None where nothing is known any more.

    ``segment``: whose page it stands on, None on the cover.
    """
    found = _NAME.fullmatch(key)
    if found is None:
        return None
    number, name, argument = found.groups()
    if number is not None:
        segment = book.segment(int(number))
    if name in _WHOLE and argument is None:
        return _WHOLE[name][1](book)
    if name in _CAMPAIGNS:
        campaign = book.campaign(int(argument)) if argument and argument.isdigit() else None
        return _CAMPAIGNS[name][1](campaign) if campaign else None
    if segment is None:
        return None
    if name in _PLAIN and argument is None:
        return _PLAIN[name][1](book, segment)
    if argument is None:
        return None
    if name in _NUMBERS:
        return _number(book, segment, name, argument)
    if name in _WAYS:
        return _way(segment, name, argument)
    return _level(segment, name, argument) if name in _LEVELS else None


def _number(book: BookFacts, segment: SegmentFacts, name: str, measure: str) -> str | None:
    fact = segment.numbers.get(measure)
    value = getattr(fact, name) if fact else math.nan
    return in_words(value, fact.unit, book.currency) if fact and math.isfinite(value) else None


def _way(segment: SegmentFacts, name: str, target: str) -> str | None:
    ways = segment.goes.ways if segment.goes else ()
    way = next((w for w in ways if str(w.target or "left") == target), None)
    if way is None:
        return None
    if name == "went":
        return _count(way.went, "customer")
    return _range(math.floor(way.low), math.ceil(way.high), lambda v: f"{v:,.0f}")


def _range(low: float, high: float, words: Callable[[float], str]) -> str:
    one, other = words(low), words(high)
    return one if one == other else f"{one} to {other}"


def _level(segment: SegmentFacts, name: str, argument: str) -> str | None:
    column, _, level = argument.partition("=")
    found = _fact_of(segment.categories.get(column), level)
    if found is None:
        return None
    return _share(found.share if name == "has" else found.rest)


def _fact_of(category: CategoryFact | None, level: str) -> LevelFact | None:
    levels = category.levels if category else ()
    return next((fact for fact in levels if fact.level == level), None)


def about(book: BookFacts, segment: SegmentFacts | None, key: str) -> str:
    """What a figure is, in words: "Visits, mean of everyone else"."""
    found = _NAME.fullmatch(key)
    number, name, argument = found.groups() if found else (None, key, None)
    if number is not None:
        other = book.segment(int(number))
        return f"{about(book, other, key.partition('.')[2])}, {other.name}" if other else key
    if argument is None:
        plain = _PLAIN.get(name) or _WHOLE.get(name)
        return plain[0] if plain else name
    if name in _CAMPAIGNS:
        campaign = book.campaign(int(argument)) if argument.isdigit() else None
        return f"{campaign.name if campaign else 'a campaign'}, {_CAMPAIGNS[name][0]}"
    column, _, level = argument.partition("=")
    if name in _NUMBERS:
        fact = segment.numbers.get(argument) if segment else None
        return f"{fact.label if fact else argument}, {_NUMBERS[name]}"
    if name in _WAYS:
        to = book.segment(int(argument)) if argument.isdigit() else None
        return f"{_WAYS[name]} to {to.name if to else argument}"
    category = segment.categories.get(column) if segment else None
    known = _fact_of(category, level)
    said = known.words if known else level
    return f"{category.label if category else column} {said}, {_LEVELS.get(name, name)}"


def _count(count: int, noun: str) -> str:
    return f"{count:,} {noun}{'' if count == 1 else 's'}"


def _share(share: float) -> str | None:
    return percent(share) if math.isfinite(share) else None


def _named(book: BookFacts, number: int | None) -> str | None:
    found = book.segment(number) if number is not None else None
    return found.name if found else None
