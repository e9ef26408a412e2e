"""Figures and conditions as text: one grammar for screen, book and command line."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from datetime import date, timedelta

from sortija.core.portraits.conditions import Condition
from sortija.core.portraits.questions import Question
from sortija.core.table import Column

__all__ = [
    "Label",
    "Number",
    "answer_words",
    "condition_words",
    "either",
    "in_unit",
    "plain_number",
    "rule_words",
    "way_words",
]

#: A column's name → how it is called; a column's name and a number → how it is written.
Label = Callable[[str], str]
Number = Callable[[str, float], str]


def plain_number(_: str, value: float) -> str:
    """A number as short as it can be written.

    >>> plain_number("", 1200.0), plain_number("", 0.25)
    ('1,200', '0.25')
    """
    return f"{value:,.0f}" if value == round(value) and abs(value) < 1e15 else f"{value:,.12g}"


def in_unit(value: float, unit: str, currency: str = "£") -> str:
    """A number as its unit is written.

    >>> in_unit(0.62, "share"), in_unit(160.0, "money", "€"), in_unit(20454, "date")
    ('62%', '€160', '1 Jan 2026')
    >>> in_unit(51.4, "money")
    '£51.40'
    """
    if unit == "share":
        return f"{plain_number('', round(100 * value, 10))}%"
    if unit == "money" or unit.startswith("money/"):
        size = abs(value)
        cents = size != round(size) and size == round(size, 2)
        told = f"{size:,.2f}" if cents else plain_number("", size)
        return f"{'−' if value < 0 else ''}{currency}{told}"
    if unit == "year":
        return f"{value:.0f}"
    if unit == "date":
        day = date(1970, 1, 1) + timedelta(days=round(value))
        return f"{day.day} {day:%b %Y}"
    return plain_number("", value).replace("-", "−")


def either(words: Sequence[str]) -> str:
    """A list of which any will do.

    >>> either(["till", "web", "post"])
    'till, web or post'
    """
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} or {words[-1]}"


def condition_words(condition: Condition, label: Label, number: Number = plain_number) -> str:
    """A condition in words.

    >>> condition_words(Condition("visits", low=3.0), str)
    'visits 3 and more'
    >>> condition_words(Condition("plan", levels=("plus",), others=("card", "none")), str)
    'plan plus'
    >>> condition_words(Condition("plan", levels=("card", "none"), others=("plus",)), str)
    'plan not plus (but given)'
    """
    name = label(condition.column)
    if condition.of_category:
        few = len(condition.levels) <= max(len(condition.others), 1)
        if few:
            words = f"{name} {either(condition.levels)}"
            return f"{words} (or not given)" if condition.missing and condition.gaps else words
        words = f"{name} not {either(condition.others)}" if condition.others else f"{name} given"
        shut_out = condition.gaps and not condition.missing and condition.others
        return f"{words} (but given)" if shut_out else words
    low, high = condition.low, condition.high
    if low is None and high is None:
        return f"{name} known"
    if low is None:
        assert high is not None
        words = f"{name} under {number(condition.column, high)}"
    elif high is None:
        words = f"{name} {number(condition.column, low)} and more"
    else:
        words = f"{name} {number(condition.column, low)} to under {number(condition.column, high)}"
    return f"{words} (or not known)" if condition.missing and condition.gaps else words


def answer_words(
    question: Question, yes: bool, column: Column, number: Number = plain_number
) -> str:
    """One answer to a question, as it stands at a branch.

    >>> import numpy as np
    >>> column = Column("plan", "category", np.ones(3, np.int32), "", ("plus", "card", "none"))
    >>> question = Question(0, None, (1,), False)
    >>> answer_words(question, True, column), answer_words(question, False, column)
    ('plus', 'not plus')
    """
    if question.cut is not None:
        told = number(column.name, question.cut)
        return f"under {told}" if yes else f"{told} and more"
    asked = [level for code, level in enumerate(column.levels, 1) if code in question.levels]
    others = [level for level in column.levels if level not in asked]
    mine, rest = (asked, others) if yes else (others, asked)
    return either(mine) if len(mine) <= len(rest) else f"not {either(rest)}"


def way_words(conditions: Iterable[Condition], label: Label, number: Number = plain_number) -> str:
    """Conditions that hold together.

    >>> way_words([], str)
    'everyone'
    """
    told = [condition_words(condition, label, number) for condition in conditions]
    return ", ".join(told) or "everyone"


def rule_words(
    ways: Iterable[Sequence[Condition]], label: Label, number: Number = plain_number
) -> str:
    """A rule in words: conditions that hold together, and ways of which either will do.

    >>> rule_words([[Condition("visits", high=3.0), Condition("silence", low=98.0)]], str)
    'visits under 3, silence 98 and more'
    """
    return "; or ".join(way_words(way, label, number) for way in ways)
