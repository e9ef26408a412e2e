"""Traits of customers from a customer table, column by column, batch by batch."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from sortija.core.ledger.codebook import Codebook
from sortija.core.ledger.level_order import order_of
from sortija.core.ledger.mapping import MappingError
from sortija.core.ledger.members import MemberMapping
from sortija.core.ledger.parse_datetimes import read_moments
from sortija.core.ledger.parse_numbers import BAD, GOOD, read_decimals
from sortija.core.table import Column

__all__ = ["TraitReader", "merge_levels"]

_MOST_LEVELS = 2_000
_DECIMALS = 4


def merge_levels(lists: Sequence[Sequence[str]]) -> tuple[str, ...]:
    """Levels of several tables as one list: the newest's order, what only others have after it.

    >>> merge_levels([["north", "old town"], ["south", "north"]])
    ('south', 'north', 'old town')
    """
    out: dict[str, None] = {}
    for levels in reversed(lists):
        out.update(dict.fromkeys(levels))
    return tuple(out)


class TraitReader:
    """Cells of one trait, batch by batch, under the customer's number."""

    def __init__(self, name: str, kind: str, mapping: MemberMapping) -> None:
        self.name, self.kind, self.mapping = name, kind, mapping
        self.parts: list[NDArray[Any]] = []
        self.texts: list[pa.Array] = []
        self.levels = Codebook()
        self.unread = 0

    def add(self, cells: pa.Array) -> None:
        """The next cells.

        Raises
        ------
        MappingError
            Too many different values for a category.
        """
        if self.kind == "number":
            values, state = read_decimals(cells, _DECIMALS, self.mapping.decimal_comma)
            self.unread += int((state == BAD).sum())
            self.parts.append(np.where(state == GOOD, values / 10**_DECIMALS, np.nan))
        elif self.kind in ("date", "joined"):
            days, _, state = read_moments(cells, bool(self.mapping.month_first))
            self.unread += int((state == BAD).sum())
            self.parts.append(np.where(state == GOOD, days, np.nan))
        elif self.kind == "id":
            self.texts.append(pc.utf8_trim_whitespace(cells))
        else:
            self.parts.append(self.levels.encode(cells))
            if self.kind != "person" and len(self.levels) > _MOST_LEVELS:
                raise MappingError(
                    f"{self.name} has more than {_MOST_LEVELS:,} different values: too many "
                    "for a category. Read it as an id, as a number, or leave it out."
                )

    def ids(self, customer: NDArray[np.int32]) -> dict[int, str]:
        """The id of each customer who has one; ``customer`` says whose each cell was."""
        texts = [text for part in self.texts for text in part.to_pylist()]
        return {n: text for n, text in zip(customer.tolist(), texts, strict=True) if text}

    def first_cards(self, customer: NDArray[np.int32]) -> list[tuple[int, int]]:
        """Pairs of cards of one person: each card with the first of the same person."""
        first: dict[int, int] = {}
        out = []
        codes = np.concatenate(self.parts).tolist() if self.parts else []
        for card, person in zip(customer.tolist(), codes, strict=True):
            if person >= 0 and first.setdefault(person, card) != card:
                out.append((card, first[person]))
        return out

    def column(self, customer: NDArray[np.int32], customers: int) -> Column:
        """The trait for ``customers`` customers; ``customer`` says whose each cell was."""
        values = np.concatenate(self.parts) if self.parts else np.zeros(0)
        if self.kind in ("number", "date", "joined"):
            out = np.full(customers, np.nan)
            out[customer] = values
            unit = "" if self.kind == "number" else "date"
            return Column(f"trait:{self.name}", "number", out, unit)
        levels = self._levels()
        place = np.zeros(len(levels) + 1, np.int32)  # the last, reached by −1, is missing
        number = {text: n for n, text in enumerate(levels, 1)}
        place[:-1] = [number[text] for text in self.levels.texts]
        codes = np.zeros(customers, np.int32)
        codes[customer] = place[values.astype(np.int64)]
        prefix = "offer" if self.kind == "offer" else "trait"
        return Column(f"{prefix}:{self.name}", "category", codes, "", levels)

    def _levels(self) -> tuple[str, ...]:
        """Levels as they are told: in the chosen order, in one of their own, or by name."""
        texts = self.levels.texts
        if self.kind != "ordered":
            return tuple(sorted(texts))
        chosen = [level for level in self.mapping.orders.get(self.name, ()) if level in texts]
        rest = [text for text in texts if text not in chosen]
        return (*chosen, *((order_of(rest) or sorted(rest)) if rest else ()))
