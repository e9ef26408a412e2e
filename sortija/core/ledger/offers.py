"""Offers, who received them, who took them; and districts: what the columns of such files are."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from sortija.core.ledger.behaviour import Behaviour, behaviours_of
from sortija.core.ledger.codebook import Codebook
from sortija.core.ledger.mapping import Guess, MappingError
from sortija.core.table import Column

__all__ = [
    "AreaMapping",
    "OfferMapping",
    "ResponseMapping",
    "ResponseReader",
    "guess_areas",
    "guess_offers",
    "guess_responses",
]

Guessed = list[Guess]
MOST_OFFERS = 500
_YES = {"yes", "y", "true", "t", "1", "used", "redeemed", "taken", "accepted", "x"}
_NO = {"no", "n", "false", "f", "0", "", "unused", "open", "declined", "not used"}
_NAMES = {
    "customer": r"card|customer|client|member|loyal|shopper|account",
    "offer": r"offer|campaign|promo|coupon|deal|mailing|action",
    "answer": r"used|took|taken|respon|redeem|answer|accept|bought|result",
    "area": r"district|area|region|post|zip|code|zone|name",
    "households": r"household|homes|dwelling|population|inhabitant|people",
}


@dataclass(frozen=True)
class _Roles:
    """Role → column of a file; ``needed`` ones have to be said."""

    roles: dict[str, str]
    all: ClassVar[tuple[str, ...]] = ()
    needed: ClassVar[dict[str, str]] = {}

    @property
    def needs(self) -> list[tuple[str, str]]:
        """(what has to be said of the columns, the column that is said to be it, or nothing)."""
        return [(words, self.roles.get(role, "")) for role, words in self.needed.items()]

    def fits(self, names: tuple[str, ...]) -> None:
        """Raise :class:`MappingError` unless every role is a column of the file's, each another."""
        for role, column in self.roles.items():
            if role not in self.all:
                raise MappingError(f"There is no role called {role}.")
            if column not in names:
                raise MappingError(f"The file has no column called {column}.")
        if len(set(self.roles.values())) != len(self.roles):
            raise MappingError("One column plays two roles. Give each role a column of its own.")

    def check(self, names: tuple[str, ...]) -> None:
        """Raise :class:`MappingError` unless the file can be read by this mapping."""
        self.fits(names)
        for role, words in self.needed.items():
            if role not in self.roles:
                raise MappingError(f"Say which column holds {words}.")

    def ready(self, names: tuple[str, ...]) -> None:
        """:meth:`check`; nothing else is ever asked of these files."""
        self.check(names)


class ResponseMapping(_Roles):
    """One row per offer that somebody received. Without an ``answer`` every row is one taken."""

    all = ("customer", "offer", "answer")
    needed: ClassVar[dict[str, str]] = {
        "customer": "the customer or card", "offer": "the offer",
    }  # fmt: skip


class OfferMapping(_Roles):
    """One row per offer; every column but ``offer`` describes it."""

    all = ("offer",)
    needed: ClassVar[dict[str, str]] = {"offer": "the offer"}


class AreaMapping(_Roles):
    """One row per district, called as customers' tables call it."""

    all = ("area", "households")
    needed: ClassVar[dict[str, str]] = {"area": "the district's code"}


def _named(role: str, column: str) -> bool:
    return bool(re.search(_NAMES[role], column, re.I))


def _told(roles: dict[str, str], reasons: dict[str, str], names: list[str]) -> Guessed:
    role_of = {column: role for role, column in roles.items()}
    return [
        Guess(n, role_of.get(n, "out"), reasons.get(n, "kept beside the others")) for n in names
    ]


def guess_responses(
    rows: pa.RecordBatch, known: Callable[[list[str]], float] | None = None
) -> tuple[ResponseMapping, Guessed] | None:
    """Guess a file of who received and took offers; None where it is none.

    It has a column of customers and one of offers, hardly any pair of them twice.
    """
    names = list(rows.schema.names)
    rows, seen = behaviours_of(rows)
    if len(names) > 8 or rows.num_rows == 0:
        return None
    roles: dict[str, str] = {}
    reasons: dict[str, str] = {}
    for name, b in seen.items():
        share = known([v for v in b.values if v]) if known else 0.0
        if "customer" not in roles and (share > 0.5 or _named("customer", name)):
            roles["customer"] = name
            reasons[name] = "its codes are customers" if share > 0.5 else "its name says so"
        elif "answer" not in roles and _answers(b):
            roles["answer"], reasons[name] = name, "yes or no: whether it was taken"
        elif "offer" not in roles and _named("offer", name) and 1 <= b.distinct <= MOST_OFFERS:
            roles["offer"], reasons[name] = name, f"{b.distinct} different offers, by its name"
    if not {"customer", "offer"} <= set(roles):
        return None
    pairs = pa.table({r: rows.column(c) for r, c in roles.items() if r != "answer"})
    if pairs.group_by(["customer", "offer"]).aggregate([]).num_rows < 0.98 * rows.num_rows:
        return None
    return ResponseMapping(roles), _told(roles, reasons, names)


def _answers(b: Behaviour) -> bool:
    words = {value.strip().lower() for value in b.values}
    return b.filled > 0 and words <= _YES | _NO and b.distinct <= 3


def guess_offers(rows: pa.RecordBatch) -> tuple[OfferMapping, Guessed] | None:
    """Guess a table of offers and what describes each; None where it is none."""
    names = list(rows.schema.names)
    if not 1 <= rows.num_rows <= MOST_OFFERS or _named("customer", " ".join(names)):
        return None
    for name in names:
        alone = pc.count_distinct(rows.column(name)).as_py() == rows.num_rows
        if alone and _named("offer", name):
            reasons = {name: "its name says so, and each is there once"}
            return OfferMapping({"offer": name}), _told({"offer": name}, reasons, names)
    return None


def guess_areas(
    rows: pa.RecordBatch, known: Callable[[list[str]], float] | None = None
) -> tuple[AreaMapping, Guessed]:
    """Guess which property names a district, and which counts its households.

    Parameters
    ----------
    known : function, optional
        Share of some texts that are values of a trait of the study's customers.
    """
    names = list(rows.schema.names)
    roles: dict[str, str] = {}
    reasons: dict[str, str] = {}
    best = -1.0
    for name in names:
        b = behaviours_of(rows)[1][name]
        share = known([v for v in b.values if v]) if known else 0.0
        score = 2 * share + _named("area", name) + (b.distinct == rows.num_rows)
        if b.distinct > 0.9 * rows.num_rows and score > best:
            best, roles["area"] = score, name
            words = "customers' tables have these values" if share > 0.5 else "one per district"
            reasons = {name: words}
    for name in names:
        b = behaviours_of(rows)[1][name]
        if name != roles.get("area") and b.numbers > 0.9 and _named("households", name):
            roles["households"] = name
            reasons[name] = "numbers, and its name speaks of people who live there"
            break
    return AreaMapping(roles), _told(roles, reasons, names)


class ResponseReader:
    """Answers batch by batch, under the customer's number."""

    def __init__(self, mapping: ResponseMapping) -> None:
        self.mapping = mapping
        self.offers = Codebook()
        self.unread = 0
        self._parts: list[tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.int32]]] = []

    def add(self, batch: pa.RecordBatch, customer: NDArray[np.int32]) -> None:
        """The next rows; ``customer`` −1 where none is named.

        Raises
        ------
        MappingError
            Too many different offers.
        """
        offer = self.offers.encode(batch.column(self.mapping.roles["offer"]))
        if len(self.offers) > MOST_OFFERS:
            raise MappingError(
                f"There are more than {MOST_OFFERS} different offers, so this is hardly the offer. "
                "Choose another column for it."
            )
        answer = np.full(len(offer), 2, np.int32)
        if "answer" in self.mapping.roles:
            coded = pc.dictionary_encode(batch.column(self.mapping.roles["answer"]))
            words = [text.strip().lower() for text in coded.dictionary.to_pylist()]
            table = np.array([2 if w in _YES else 1 if w in _NO else 0 for w in words], np.int32)
            answer = table[coded.indices.to_numpy(zero_copy_only=False)]
            self.unread += int((answer == 0).sum())
        there = (customer >= 0) & (offer >= 0)
        self._parts.append((customer[there], offer[there], answer[there]))

    def columns(self, customers: int) -> list[Column]:
        """One a offer: yes or no for whoever received it; of two answers the yes holds."""
        values = np.zeros((len(self.offers), customers), np.int32)
        for customer, offer, answer in self._parts:
            np.maximum.at(values, (offer, customer), answer)
        return [
            Column(f"offer:{text}", "category", values[n], "", ("no", "yes"))
            for n, text in enumerate(self.offers.texts)
        ]
