"""Own rules: lines with these words in a column, or with an amount in this range."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from sortija.core.ledger.counting import KINDS
from sortija.core.ledger.flags import meant_by
from sortija.core.ledger.rules import Rule

__all__ = [
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
WORD_COLUMNS = ("department", "item", "site", "channel", "kind")
NUMBER_COLUMNS = ("money", "quantity", "hour")


class CustomRuleError(ValueError):
    """A rule that cannot be asked; the message says what to change."""


@dataclass(frozen=True)
class CustomRule:
    """A rule by column and value.

    ``slot``: 0 to 7, its own among the study's; ``words``: for a column of words, texts or
    patterns (``*``, ``?``); ``low`` and ``high``: for a column of numbers, from and up to and
    including, either open. Money in major units, quantity in pieces, hour 0 to 23.
    """

    slot: int
    name: str
    column: str
    words: tuple[str, ...] = ()
    low: float | None = None
    high: float | None = None

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
        what = {"money": "amount", "hour": "hour of the day"}.get(self.column, self.column)
        if self.column in WORD_COLUMNS:
            return f"Lines whose {what} is {' or '.join(self.words)}."
        low = "" if self.low is None else f" from {self.low:g}"
        high = "" if self.high is None else f" up to {self.high:g}"
        return f"Lines whose {what} goes{low}{high}."

    def to_json(self) -> dict[str, Any]:
        """As kept."""
        return {**asdict(self), "words": list(self.words)}

    @staticmethod
    def from_json(kept: Mapping[str, Any]) -> CustomRule:
        """As :meth:`to_json` wrote it.

        Raises
        ------
        OwnRuleError
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
        if column not in NUMBER_COLUMNS:
            raise CustomRuleError(f"Lines have no column called {column}.")
        if low is None and high is None:
            raise CustomRuleError("Say from which number on, or up to which.")
        if low is not None and high is not None and low > high:
            raise CustomRuleError("The range ends before it begins.")
        return CustomRule(slot, name, column, (), low, high)


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
        if self.wanted is not None:
            found: NDArray[np.bool_] = np.append(self.wanted, False)[lines[self.column]]
            return found
        values = lines["second"] // 3600 if self.column == "hour" else lines[self.column]
        inside: NDArray[np.bool_] = (values >= self.low) & (values <= self.high)
        # A line without a date has no hour either.
        return inside & (lines["day"] >= 0) if self.column == "hour" else inside


def ready_rules(
    rules: Sequence[CustomRule], texts: Mapping[str, Sequence[str]], scale: int
) -> list[ReadyRule]:
    """Rules ready to be asked of lines.

    Parameters
    ----------
    texts : names of departments, items, sites and channels, by number
    scale : decimals of the study's money
    """
    units = {"money": 10.0**scale, "quantity": 1000.0, "hour": 1.0}
    out = []
    for own in rules:
        named = KINDS if own.column == "kind" else texts.get(own.column, ())
        words = own.column in WORD_COLUMNS
        unit = units.get(own.column, 1.0)
        low = -np.inf if own.low is None else round(own.low * unit)
        high = np.inf if own.high is None else round(own.high * unit)
        out.append(ReadyRule(
            own.column, own.rule.bit, meant_by(named, own.words) if words else None, low, high
        ))  # fmt: skip
    return out
