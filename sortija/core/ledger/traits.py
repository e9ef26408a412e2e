"""Traits of customers from a customer table, column by column, batch by batch."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from sortija.core.ledger.cells import BAD, GOOD, read_decimals
from sortija.core.ledger.codebook import Codebook
from sortija.core.ledger.mapping import MappingError, MemberMapping
from sortija.core.ledger.moments import read_moments
from sortija.core.table import Column

__all__ = ["TraitReader"]

_MOST_LEVELS = 2_000
_DECIMALS = 4


class TraitReader:
    """Cells of one trait, batch by batch, under the customer's number."""

    def __init__(self, name: str, kind: str, mapping: MemberMapping) -> None:
        self.name, self.kind, self.mapping = name, kind, mapping
        self.parts: list[NDArray[Any]] = []
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
        else:
            self.parts.append(self.levels.encode(cells))
            if len(self.levels) > _MOST_LEVELS:
                raise MappingError(
                    f"{self.name} has more than {_MOST_LEVELS:,} different values: too many "
                    "for a category. Leave it out, or read it as a number."
                )

    def column(self, customer: NDArray[np.int32], customers: int) -> Column:
        """The trait for ``customers`` customers; ``customer`` says whose each cell was."""
        values = np.concatenate(self.parts) if self.parts else np.zeros(0)
        if self.kind in ("number", "date", "joined"):
            out = np.full(customers, np.nan)
            out[customer] = values
            unit = "" if self.kind == "number" else "date"
            return Column(f"trait:{self.name}", "number", out, unit)
        order = sorted(range(len(self.levels)), key=lambda i: self.levels.texts[i])
        place = np.zeros(len(order) + 1, np.int32)  # the last, reached by −1, is missing
        place[order] = np.arange(1, len(order) + 1)
        codes = np.zeros(customers, np.int32)
        codes[customer] = place[values.astype(np.int64)]
        levels = tuple(self.levels.texts[i] for i in order)
        return Column(f"trait:{self.name}", "category", codes, "", levels)
