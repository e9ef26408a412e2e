"""Orders that the levels of a category tell by themselves."""

from __future__ import annotations

import re
from collections.abc import Sequence

__all__ = ["order_of"]

#: Scales that people write in words, lowest first.
_SCALES = (
    ("none", "low", "medium", "high"),
    ("never", "rarely", "sometimes", "often", "always"),
    ("xs", "s", "m", "l", "xl", "xxl"),
    ("small", "medium", "large"),
    ("poor", "fair", "good", "very good", "excellent"),
    ("bronze", "silver", "gold", "platinum"),
    ("new", "regular", "loyal"),
)


def order_of(levels: Sequence[str]) -> tuple[str, ...] | None:
    """An order that levels tell by themselves, lowest first; None where they tell none.

    By the number that each begins with (``18–24``, ``under 18`` before it), or as a scale that
    is written in words.

    >>> order_of(["high", "low", "medium"])
    ('low', 'medium', 'high')
    """
    plain = {level.strip().lower(): level for level in levels}
    for scale in _SCALES:
        if len(plain) >= 2 and set(plain) <= set(scale):
            return tuple(plain[word] for word in scale if word in plain)
    keys = []
    for level in levels:
        found = re.match(r"\s*(under|below|up to|less than|<)?\s*(\d+(?:[.,]\d+)?)", level.lower())
        if found is None or re.fullmatch(r"\s*\d+\s*", level):
            return None
        keys.append((float(found[2].replace(",", ".")), found[1] is None, level))
    return tuple(level for *_, level in sorted(keys)) if len(keys) >= 2 else None
