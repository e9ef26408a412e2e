"""Arguments that a cache knows by a short key instead of by all that they hold."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, field
from typing import Generic, TypeVar

__all__ = ["Keyed"]

Value = TypeVar("Value")


@dataclass(frozen=True)
class Keyed(Generic[Value]):
    """A value for a function that is remembered: two are equal when their keys are.

    The key says what the value was made from, so that equal keys mean equal values.
    """

    key: Hashable
    value: Value = field(compare=False)
