"""Own rules: lines with these words in a column, or with an amount in this range."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.calendar import day_number
from sortija.core.ledger.counting import KINDS
from sortija.core.ledger.flags import meant_by
from sortija.core.ledger.lines import NO_COST
from sortija.core.ledger.rules import Rule

__all__ = [
    "DATE_COLUMNS",
    "MOST_OWN",
    "NUMBER_COLUMNS",
    "WORD_COLUMNS",
    "CustomRule",
    "CustomRuleError",
    "ReadyRule",
    "ready_rules",
]

MOST_OWN = 8
_FIRST_BIT = 1 << 20
WORD_COLUMNS = ("department", "item", "site", "channel", "kind", "customer", "weekday")
NUMBER_COLUMNS = ("money", "quantity", "cost", "hour")
DATE_COLUMNS = ("date",)
_WORDS = {"money": "amount", "hour": "hour of the day", "customer": "customer or card"}
_WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
#: Where a batch of lines has the numbers of a column's words, if not by its name.
_NUMBERS = {"customer": "card"}


class CustomRuleError(ValueError):
    """A rule that cannot be asked; the message says what to change."""


@dataclass(frozen=True)
class CustomRule:
    """A rule by column and value.

    ``slot``: 0 to 7, its own among the study's; ``words``: for a column of words, texts or
    patterns (``*``, ``?``); ``low`` and ``high``: for a column of numbers, from and up to and
    including, either open; ``first`` and ``last``: likewise for dates, as 2026-06-30. Money in
    major units, quantity in pieces, hour 0 to 23.
    """

    slot: int
    name: str
    column: str
    words: tuple[str, ...] = ()
    low: float | None = None
    high: float | None = None
    first: str = ""
    last: str = ""

    @property
    def rule(self) -> Rule:
        """The rule as any other."""
        return Rule(
            f"own{self.slot + 1}", _FIRST_BIT << self.slot, self.name, self.explanation,
            default=False, own=True,
        )  # fmt: skip

    @property
    def explanation(self) -> str:
        """What it sets aside, in words."""
        what = _WORDS.get(self.column, self.column)
        if self.column in DATE_COLUMNS:
            first = f" from {self.first}" if self.first else ""
            last = f" up to {self.last}" if self.last else ""
            return f"Lines dated{first}{last}."
        if self.column in WORD_COLUMNS:
            return f"Lines whose {what} is {' or '.join(self.words)}."
        low = "" if self.low is None else f" from {self.low:g}"
        high = "" if self.high is None else f" up to {self.high:g}"
        return f"Lines whose {what} goes{low}{high}."

    def to_json(self) -> dict[str, Any]:
        """As kept."""
        kept = {**asdict(self), "words": list(self.words)}
        return {name: value for name, value in kept.items() if value or name not in _DATES}

    @staticmethod
    def from_json(kept: Mapping[str, Any]) -> CustomRule:
        """As :meth:`to_json` wrote it.

        Raises
        ------
        CustomRuleError
            It names no column, no value, or an impossible range.
        """
        name = str(kept.get("name", "")).strip()
        words = tuple(dict.fromkeys(w.strip() for w in kept.get("words") or () if w.strip()))
        column, low, high = kept.get("column", ""), kept.get("low"), kept.get("high")
        slot = int(kept.get("slot", 0))
        if not 0 <= slot < MOST_OWN:
            raise CustomRuleError(f"A study has at most {MOST_OWN} rules of its own.")
        if not 1 <= len(name) <= 40:
            raise CustomRuleError("Give the rule a name of at most 40 letters.")
        if column in WORD_COLUMNS:
            if not 1 <= len(words) <= 200 or any(len(word) > 120 for word in words):
                raise CustomRuleError("Say which words of the column are set aside, one per line.")
            return CustomRule(slot, name, column, words)
        if column in DATE_COLUMNS:
            first, last = (_a_day(kept.get(end)) for end in _DATES)
            if not first and not last:
                raise CustomRuleError("Say from which day on, or up to which.")
            if first and last and first > last:
                raise CustomRuleError("The range ends before it begins.")
            return CustomRule(slot, name, column, first=first, last=last)
        if column not in NUMBER_COLUMNS:
            raise CustomRuleError(f"Lines have no column called {column}.")
        if low is None and high is None:
            raise CustomRuleError("Say from which number on, or up to which.")
        if low is not None and high is not None and low > high:
            raise CustomRuleError("The range ends before it begins.")
        return CustomRule(slot, name, column, (), low, high)


_DATES = ("first", "last")


def _a_day(text: Any) -> str:
    """A day as 2026-06-30, or nothing."""
    try:
        return date.fromisoformat(text).isoformat() if text else ""
    except (TypeError, ValueError):
        raise CustomRuleError("Write a day as 2026-06-30.") from None


@dataclass(frozen=True)
class ReadyRule:
    """A rule ready to be asked of lines: numbers of words, or a range in the column's own units."""

    column: str
    bit: int
    wanted: NDArray[np.bool_] | None
    low: float
    high: float

    def meets(self, lines: Mapping[str, NDArray[Any]]) -> NDArray[np.bool_]:
        """Which of these lines it sets aside; columns as in a batch of lines."""
        day = lines["day"]
        if self.wanted is not None:
            # 1970-01-01 was a Thursday; a line without a date has no day of the week.
            numbers = (
                np.where(day < 0, -1, (day + 3) % 7) if self.column == "weekday"
                else lines[_NUMBERS.get(self.column, self.column)]
            )  # fmt: skip
            found: NDArray[np.bool_] = np.append(self.wanted, False)[numbers]
            return found
        if self.column == "date":
            values = day
        else:
            values = lines["second"] // 3600 if self.column == "hour" else lines[self.column]
        inside: NDArray[np.bool_] = (values >= self.low) & (values <= self.high)
        if self.column in ("hour", "date"):
            return inside & (day >= 0)
        return inside & (values != NO_COST) if self.column == "cost" else inside


def ready_rules(
    rules: Sequence[CustomRule], texts: Mapping[str, Sequence[str]], scale: int
) -> list[ReadyRule]:
    """Rules ready to be asked of lines.

    Parameters
    ----------
    texts : names of departments, items, sites, channels, and codes of customers, by number
    scale : decimals of the study's money
    """
    units = {"money": 10.0**scale, "cost": 10.0**scale, "quantity": 1000.0}
    always = {"kind": KINDS, "weekday": _WEEKDAYS}
    out = []
    for own in rules:
        named = always.get(own.column) or texts.get(own.column, ())
        words = own.column in WORD_COLUMNS
        unit = units.get(own.column, 1.0)
        low = -np.inf if own.low is None else round(own.low * unit)
        high = np.inf if own.high is None else round(own.high * unit)
        if own.column in DATE_COLUMNS:
            low = day_number(date.fromisoformat(own.first)) if own.first else -np.inf
            high = day_number(date.fromisoformat(own.last)) if own.last else np.inf
        out.append(ReadyRule(
            own.column, own.rule.bit, meant_by(named, own.words) if words else None, low, high
        ))  # fmt: skip
    return out
