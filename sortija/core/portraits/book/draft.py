"""Sentences of a book, drafted from facts; what chance may have made is not spoken of."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from sortija.core.measures.catalogue import span_of
from sortija.core.portraits.book.facts import (
    ENOUGH,
    BookFacts,
    CategoryFact,
    NumberFact,
    SegmentFacts,
)

__all__ = ["COVER", "PARTS", "Part", "distinct", "draft_cover", "draft_segment", "telling_numbers"]

#: The parts of a segment's page and of the cover, in their order, with their headings.
PARTS = {
    "lead": "In short",
    "who": "Who they are",
    "buys": "What they buy",
    "where": "Where and when",
    "goes": "Where they go",
    "find": "To find them",
    "do": "What to do",
    "sure": "How sure we are",
}
COVER = {
    "intro": "In short", "campaigns": "What campaigns did", "method": "How they were found",
}  # fmt: skip

#: Measure → what they do, with the mean for "{}".
_DO = {
    "recency": "were last seen {} ago", "frequency": "make {}", "visit_days": "come on {}",
    "monetary": "spend {}", "basket_mean": "fill a basket of {}",
    "basket_median": "fill a typical basket of {}", "tenure": "have been customers for {}",
    "silence": "have been silent for {} their usual gap", "gap_mean": "let {} pass between visits",
    "breadth": "buy from {}", "weekend": "spend {} of their money on weekends",
    "returned": "bring back {} of their lines", "on_offer": "spend {} of their money on offers",
    "margin": "leave a margin of {}", "expected": "are expected to make {} in the next 3 months",
    "offers_used": "use {} of the offers they receive",
}  # fmt: skip
#: Two ways of telling one thing: of these only the first that stands out is spoken of.
_ALIKE = (
    ("monetary", "margin"), ("basket_mean", "basket_median"), ("frequency", "visit_days"),
    ("breadth", "evenness"), ("recency", "silence"),
)  # fmt: skip
_BUYS = ("department",)
_WHERE = ("channel", "site", "season", "weekday")
_MOST = 3
#: Campaigns that a cover tells of.
_CAMPAIGNS = 5
_FEW = 100


@dataclass(frozen=True)
class Part:
    """A part of a page and its text, with figures in it."""

    key: str
    text: str


def telling_numbers(segment: SegmentFacts, most: int = _MOST) -> list[NumberFact]:
    """What sets a segment apart most, of what shaped it and of how it behaves. What its money
    goes to, and traits, have parts of their own."""
    facts = [
        fact for fact in segment.numbers.values()
        if fact.told and fact.family not in (*_BUYS, *_WHERE)
        and (fact.shaped or fact.family != "traits")
    ]  # fmt: skip
    return distinct(sorted(facts, key=lambda f: -abs(f.deviation)))[:most]


def distinct(facts: Iterable[NumberFact]) -> list[NumberFact]:
    """The same without what tells one thing a second time."""
    found: list[NumberFact] = []
    for fact in facts:
        said = {f.name for f in found}
        if not any(fact.name in pair and said & set(pair) for pair in _ALIKE):
            found.append(fact)
    return found


def draft_segment(book: BookFacts, segment: SegmentFacts) -> list[Part]:
    """The parts of a segment's page; those about which nothing is known are left out."""
    texts = {
        "lead": _lead(segment),
        "who": _who(book, segment),
        "buys": _spent(segment, _BUYS, "What they buy is what everyone buys, as far as chance "
                                       "lets one tell."),
        "where": _where(book, segment),
        "goes": _goes_to(segment),
        "find": _find(segment),
        "do": _typed(segment.notes),
        "sure": _sure(segment),
    }  # fmt: skip
    return [Part(key, texts[key]) for key in PARTS if texts[key] or key == "do"]


def draft_cover(book: BookFacts) -> list[Part]:
    """The parts of the cover."""
    return [
        Part("intro", _intro(book)), Part("campaigns", _campaigns(book)),
        Part("method", _method(book)),
    ]  # fmt: skip


def _campaigns(book: BookFacts) -> str:
    """A sentence for each campaign that was read lately; whoever is not told apart from chance is
    not said to have done anything."""
    said = []
    for campaign in book.campaigns[:_CAMPAIGNS]:
        n = campaign.number
        begins = f"{{campaign:{n}}}, read on {campaign.read_on}: "
        if campaign.told:
            said.append(
                f"{begins}{{came_back:{n}}} in 100 came back than would have unasked "
                f"({{came_between:{n}}}, 95%)."
            )
        else:
            said.append(
                f"{begins}whether more came back than would have unasked cannot be told "
                f"({{came_between:{n}}} in 100, 95%)."
            )
    return " ".join(said)


def _lead(segment: SegmentFacts) -> str:
    if segment.customers < ENOUGH:
        return "They are too few to say more than their size: {customers}."
    told = telling_numbers(segment)
    return " ".join(_averages(told)) or "Nothing sets them far apart from everyone else."


def _averages(told: Sequence[NumberFact]) -> Iterable[str]:
    doing = [fact for fact in told if fact.name in _DO]
    pieces: list[str] = []
    for fact in doing:
        beside = "{rest:" + fact.name + "}"
        others = f"everyone else: {beside}" if not pieces else beside
        pieces.append(f"{_DO[fact.name].format('{mean:' + fact.name + '}')} ({others})")
    if pieces:
        yield f"On average they {_and(pieces)}."
    for fact in told:
        if fact.name not in _DO:
            yield _plainly(fact)


def _plainly(fact: NumberFact) -> str:
    return f"{_first(fact.label)}: {{mean:{fact.name}}} (everyone else: {{rest:{fact.name}}})."


def _who(book: BookFacts, segment: SegmentFacts) -> str:
    """Traits, values of categories first."""
    traits = [f for f in segment.numbers.values() if f.family == "traits"]
    kinds = [c for name, c in segment.categories.items() if name not in book.places]
    if (not traits and not kinds) or segment.customers < ENOUGH:
        return ""
    said = _values(kinds)
    numbers = sorted((f for f in traits if f.told), key=lambda f: -abs(f.deviation))
    already = {fact.name for fact in telling_numbers(segment)}
    said += [_plainly(fact) for fact in numbers if fact.name not in already][:_MOST]
    return " ".join(said) or "Nothing that is known of them sets them apart beyond chance."


def _values(categories: Iterable[CategoryFact]) -> list[str]:
    """The values that a segment has most above everyone else, one a category."""
    found = []
    for category in categories:
        told = [f for f in category.levels if f.told and "{" not in f.level and "}" not in f.level]
        if told:
            best = max(told, key=lambda f: f.share - f.rest)
            found.append((best.share - best.rest, category, best))
    found.sort(key=lambda each: -each[0])
    return [
        f"{_first(category.label)} {_typed(best.words)}: {{has:{category.name}={best.level}}} "
        f"(everyone else: {{others:{category.name}={best.level}}})."
        for _, category, best in found[:_MOST]
    ]


def _spent(segment: SegmentFacts, families: Sequence[str], nothing: str) -> str:
    """What more of their money goes to than of everyone else's, and then less."""
    facts = [f for f in segment.numbers.values() if f.family in families]
    if not facts or segment.customers < ENOUGH:
        return ""
    told = sorted((f for f in facts if f.told), key=lambda f: -abs(f.deviation))
    more = [f for f in told if f.deviation > 0][:_MOST]
    less = [f for f in told if f.deviation < 0][: _MOST - len(more)]
    said = [
        f"{{mean:{f.name}}} of their spend {_goes(f)} (everyone else: {{rest:{f.name}}})."
        for f in more
    ]
    said += [f"Only {{mean:{f.name}}} {_goes(f)} (everyone else: {{rest:{f.name}}})." for f in less]
    return " ".join(said) or nothing


def _goes(fact: NumberFact) -> str:
    what = fact.label.removesuffix(", share")
    return {
        "department": f"goes to {what}", "channel": f"goes through {what}",
        "site": f"is spent at {what}", "season": f"falls in {span_of(what)}",
        "weekday": f"falls on {what}s",
    }[fact.family]  # fmt: skip


def _where(book: BookFacts, segment: SegmentFacts) -> str:
    spent = _spent(segment, _WHERE, "")
    places = [c for name, c in segment.categories.items() if name in book.places]
    known = places or any(f.family in _WHERE for f in segment.numbers.values())
    if not known or segment.customers < ENOUGH:
        return ""
    said = " ".join([*([spent] if spent else []), *_values(places)])
    return said or "They come where and when everyone comes, as far as chance lets one tell."


def _goes_to(segment: SegmentFacts) -> str:
    """Where those of a year before are, and how much of that is chance."""
    if segment.goes is None or segment.customers < ENOUGH:
        return ""
    said = [
        "Of those who were here on {then}, {stayed} are here again; had nobody changed, chance "
        "alone would keep {stays_by_chance}."
    ]
    for way in segment.goes.ways[:_MOST]:
        to = "left" if way.target is None else str(way.target)
        went = f"{{went:{to}}} have left" if way.target is None else (
            f"{{went:{to}}} went to {{{to}.name}}"
        )  # fmt: skip
        said.append(f"{went}, where chance alone would move {{moved_by_chance:{to}}}.")
    if not segment.goes.ways:
        said.append("No more of them went elsewhere than chance moves.")
    return " ".join(said)


def _find(segment: SegmentFacts) -> str:
    if segment.rule is None:
        return ""
    return "{rule}. This rule finds {holds} of them, and {belongs} of those it finds belong here."


def _sure(segment: SegmentFacts) -> str:
    said = []
    if segment.comes_back is not None:
        said.append(
            "When the customers are drawn anew, the segment found again overlaps with this one by "
            "{comes_back} (1 is the very same)."
        )
    if segment.border and segment.towards is not None:
        said.append("{border} stand almost as close to another segment, most of them to {towards}.")
    if segment.customers < _FEW:
        said.append("They are few, so that every figure about them is rough.")
    return " ".join(said)


def _intro(book: BookFacts) -> str:
    who = "{all} who bought in the window ({window})" if book.window else "{all}"
    said = [f"{who} stand in {{segments}}."]
    paying = [s for s in book.segments if s.money == s.money]
    if paying:
        first = max(paying, key=lambda s: s.money).number
        said.append(
            f"Most of the spend comes from {{{first}.name}}: {{{first}.money_share}} of it, with "
            f"{{{first}.share}} of the customers."
        )
    if book.outside:
        said.append("Of those who are known, {outside} are in none of them.")
    return " ".join(said)


#: How clearly the segments stand out against made-up customers who have none.
_CLEAR = {
    "holds": "They stand out against made-up customers among whom there are no segments.",
    "barely": "They hardly stand out against made-up customers among whom there are no segments: "
    "read them as useful cuts rather than as kinds of people.",
    "none": "They do not stand out against made-up customers among whom there are no segments: "
    "customers differ by degree, and the segments cut that range into handy pieces.",
}


def _method(book: BookFacts) -> str:
    said = ["The segments come from {made}."] if book.made else []
    if book.clear in _CLEAR:
        said.append(_CLEAR[book.clear])
    if book.same_again is not None:
        said.append(
            "Had the year happened again with nothing changed, {same_again} of the customers would "
            "stand in the same segment."
        )
    said.append(
        "Differences are told only where chance alone does not make them; what the segments were "
        "made by differs by itself and proves nothing."
    )
    return " ".join(said)


def _typed(words: str) -> str:
    """Words of people, in which no braces can be taken for a figure."""
    return words.replace("{", "(").replace("}", ")")


def _first(label: str) -> str:
    """A label where a sentence begins."""
    return label[:1].upper() + label[1:]


def _and(pieces: Sequence[str]) -> str:
    return pieces[0] if len(pieces) == 1 else f"{', '.join(pieces[:-1])} and {pieces[-1]}"
