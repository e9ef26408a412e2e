"""Which column of a log plays which role, and how its cells are written."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import pyarrow as pa

from sortija.core.ledger.behaviour import behaviour_of
from sortija.core.ledger.parse_numbers import decimal_comma
from sortija.core.ledger.role_words import LineKind, kind_of

__all__ = [
    "AMOUNTS",
    "ASK_ORDER",
    "LOG_ROLES",
    "REQUIRED_ROLES",
    "Guess",
    "LogMapping",
    "MappingError",
]

LOG_ROLES = (
    "customer",
    "receipt",
    "moment",
    "time",
    "site",
    "channel",
    "item",
    "department",
    "quantity",
    "price",
    "money",
    "kind",
    "cost",
    "currency",
    "offer",
)
REQUIRED_ROLES = ("customer", "moment")
#: Roles whose cells are numbers with decimals.
AMOUNTS = ("money", "price", "quantity", "cost")

ASK_ORDER = (
    "Say whether its dates are written day first or month first: every one of them can be read "
    "either way."
)


class MappingError(ValueError):
    """A mapping that cannot be read by; the message says which role and what to do."""


@dataclass(frozen=True)
class Guess:
    """A role or type for one column, with the reason in words, and what may be wrong about it."""

    column: str
    role: str
    reason: str
    doubt: str = ""


@dataclass(frozen=True)
class LogMapping:
    """Role → column of a transaction log, and how its cells are written.

    ``month_first`` None: dates can be read either way, and somebody has to say which.
    """

    roles: dict[str, str]
    month_first: bool | None = False
    decimal_comma: bool = False
    kinds: dict[str, LineKind] = field(default_factory=dict)

    def fits(self, names: tuple[str, ...]) -> None:
        """Raise :class:`MappingError` unless every role is a column of the file's, each another."""
        for role, column in self.roles.items():
            if role not in LOG_ROLES:
                raise MappingError(f"There is no role called {role}.")
            if column not in names:
                raise MappingError(f"The file has no column called {column}.")
        if len(set(self.roles.values())) != len(self.roles):
            raise MappingError("One column plays two roles. Give each role a column of its own.")

    def check(self, names: tuple[str, ...]) -> None:
        """Raise :class:`MappingError` unless lines can be read by this mapping."""
        self.fits(names)
        for role in REQUIRED_ROLES:
            if role not in self.roles:
                words = {"customer": "the customer or card", "moment": "the date"}[role]
                raise MappingError(f"Say which column holds {words}.")
        if "money" not in self.roles and not {"quantity", "price"} <= set(self.roles):
            raise MappingError("Say which column holds the line total, or quantity and price.")

    @property
    def needs(self) -> list[tuple[str, str]]:
        """(what has to be said of the columns, the column that is said to be it, or nothing)."""
        by_pieces = {"quantity", "price"} <= set(self.roles) and "money" not in self.roles
        amount = "pieces and price" if by_pieces else "the line total, or pieces and price"
        column = self.roles["price"] if by_pieces else self.roles.get("money", "")
        return [
            ("the customer or card", self.roles.get("customer", "")),
            ("the date", self.roles.get("moment", "")), (amount, column),
        ]  # fmt: skip

    def read_anew(self, rows: pa.RecordBatch, before: LogMapping) -> LogMapping:
        """This mapping, with cells' ways of writing guessed anew where other columns play a part.

        Parameters
        ----------
        rows : batch of string columns, the file's first rows
        before : what the columns were read by until now; what was said about them since stays
        """

        def changed(*roles: str) -> bool:
            return any(self.roles.get(role) not in (None, before.roles.get(role)) for role in roles)

        new: dict[str, Any] = {}
        if changed("moment") and self.month_first == before.month_first:
            new["month_first"] = behaviour_of(rows.column(self.roles["moment"])).months_first
        if changed("kind"):
            words = behaviour_of(rows.column(self.roles["kind"])).values
            new["kinds"] = {**{word: kind_of(word) for word in words}, **self.kinds}
        if changed(*AMOUNTS) and self.decimal_comma == before.decimal_comma:
            new["decimal_comma"] = decimal_comma(rows, self._amounts())
        return replace(self, **new)

    def _amounts(self) -> list[str]:
        return [self.roles[role] for role in AMOUNTS if role in self.roles]

    def ready(self, names: tuple[str, ...]) -> None:
        """:meth:`check`, and nothing is left to ask."""
        self.check(names)
        if self.month_first is None:
            raise MappingError(ASK_ORDER)
