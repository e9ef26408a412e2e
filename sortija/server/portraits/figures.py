"""Figures on their way out: NaN becomes null."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any

__all__ = ["or_none", "plain"]


def plain(values: Iterable[Any]) -> list[float | None]:
    """A list of numbers; those that are not there are null.

    >>> plain([1, float("nan")])
    [1.0, None]
    """
    return [or_none(value) for value in values]


def or_none(value: Any) -> float | None:
    """A number, or null."""
    return float(value) if math.isfinite(value) else None
