"""Which column of a customer table is what: a guess with its reason, for a person to correct."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

import pyarrow as pa

from sortija.core.labels import within
from sortija.core.ledger.behaviour import Behaviour, behaviours_of
from sortija.core.ledger.level_order import order_of
from sortija.core.ledger.mapping import ASK_ORDER, Guess, MappingError
from sortija.core.ledger.parse_numbers import decimal_comma
from sortija.core.ledger.role_words import customer_named, folded

__all__ = ["ONCE", "TRAIT_TYPES", "MemberMapping", "guess_members"]

TRAIT_TYPES = (
    "key", "number", "category", "ordered", "yes/no", "date", "joined", "consent", "address",
    "offer", "id", "person", "out",
)  # fmt: skip
#: Types that one column can have, beside the key, and what a second such column is instead.
ONCE = {"joined": "date", "consent": "yes/no", "address": "out", "person": "category"}
#: Letters of what a row is called.
MOST_LETTERS = 30
#: Headings that do not say what is named.
_GENERIC = re.compile(
    r"id|no|nr|num|number|nummer|code|key|name|row|index|unnamed|column|\d+|[a-z]"
)
_YES_NO = {"yes", "no", "y", "n", "true", "false", "0", "1", "t", "f"}


@dataclass(frozen=True)
class MemberMapping:
    """Column → type of a customer table; exactly one is the ``key``.

    ``orders``: levels of ordered categories, lowest first; ``dated``: the day that the table
    speaks of, as 2026-06-30, or empty for the day it came in; ``unit``, ``units``: what a row is
    called, and several.
    """

    types: dict[str, str]
    month_first: bool | None = False
    decimal_comma: bool = False
    orders: dict[str, list[str]] = field(default_factory=dict)
    dated: str = ""
    unit: str = "customer"
    units: str = "customers"

    @property
    def key(self) -> str:
        return next(name for name, kind in self.types.items() if kind == "key")

    @property
    def needs(self) -> list[tuple[str, str]]:
        """(what has to be said of the columns, the column that is said to be it, or nothing)."""
        named = [name for name, kind in self.types.items() if kind == "key"]
        return [("what names each row", named[0] if named else "")]

    def fits(self, names: tuple[str, ...]) -> None:
        """Raise :class:`MappingError` unless every column is one of the file's, of a type there is,
        and none is there twice that can be there once."""
        for column, kind in self.types.items():
            if column not in names:
                raise MappingError(f"The file has no column called {column}.")
            if kind not in TRAIT_TYPES:
                raise MappingError(f"There is no type called {kind}.")
        for single in ("key", *ONCE):
            count = sum(kind == single for kind in self.types.values())
            if count > 1:
                raise MappingError(f"Exactly one column can be the {single}; here {count} are.")
        if self.dated and not re.fullmatch(r"(19|20)\d\d-\d\d-\d\d", self.dated):
            raise MappingError("Write the day that the table speaks of as 2026-06-30.")
        if any(not 1 <= len(word.strip()) <= MOST_LETTERS for word in (self.unit, self.units)):
            raise MappingError(f"Say what a row is called in at most {MOST_LETTERS} letters.")

    def check(self, names: tuple[str, ...]) -> None:
        """Raise :class:`MappingError` unless customers can be read by this mapping."""
        self.fits(names)
        if "key" not in self.types.values():
            raise MappingError("Say which column names the row: the customer or card.")

    def ready(self, names: tuple[str, ...]) -> None:
        """:meth:`check`, and nothing is left to ask."""
        self.check(names)
        if self.month_first is None:
            raise MappingError(ASK_ORDER)


def _trait(name: str, b: Behaviour, rows: int) -> tuple[str, str]:
    """Type of a trait and the reason."""
    words = {value.strip().lower() for value in b.values}
    if b.filled == 0:
        return "out", "it is empty"
    if any("@" in value for value in b.values):
        return "address", "its cells are e-mail addresses: used for lists, never for grouping"
    if words <= _YES_NO and b.distinct <= 2:
        consent = re.search(r"consent|permission|opt|mailing|newsletter", name, re.I)
        return ("consent", "yes or no, and its name speaks of consent") if consent else (
            "yes/no", "two values, yes or no")  # fmt: skip
    if b.dates > 0.9:
        joined = re.search(r"join|since|enrol|regist|start|opened", name, re.I)
        return ("joined", "dates, and its name says when they joined") if joined else (
            "date", "its cells read as dates")  # fmt: skip
    unique = rows >= 20 and b.distinct > 0.9 * b.filled
    person = re.search(r"person|same.?as|merged|belongs", name, re.I)
    if person and not b.decimals and b.distinct > 0.3 * b.filled:
        return "person", "its name says whose card it is: cards of one person are put together"
    # Ages such as 65+ read as numbers, bands such as 18-24 do not.
    if b.numbers > 0.95:
        if b.leading_zeros and unique:
            return "id", "leading zeros and hardly two alike, so it names and does not measure"
        if b.leading_zeros:
            return "category", "written with leading zeros, so a code and not an amount"
        if unique and re.search(r"(^|_)(id|nr|no|number|code)$|phone|mobile", name, re.I):
            return "id", "numbers, but hardly two alike and its name says they are codes"
        if re.search(
            r"district|post|zip|store|branch|region|code|area|(^|_)(id|nr|no)$", name, re.I
        ):
            return "category", "numbers, but its name says they are codes"
        return "number", "its cells are numbers"
    if b.distinct <= max(60, rows // 50):
        order = order_of(b.values) if b.distinct <= len(b.values) else None
        if order is not None:
            return "ordered", f"its values have an order: {', '.join(order[:4])}"
        told = f"{b.distinct} words that repeat" if b.distinct > 1 else "one word throughout"
        return "category", told
    if unique and not any(" " in value for value in b.values):
        return "id", f"{b.distinct} codes, hardly two alike: shown and found by, never grouped"
    return "out", f"{b.distinct} different texts: too many to group by"


def guess_members(rows: pa.RecordBatch) -> tuple[MemberMapping, list[Guess]]:
    """Guess the types of a customer table's columns from its first rows."""
    types: dict[str, str] = {}
    guesses = []
    orders: list[bool | None] = []
    rows, behaviours = behaviours_of(rows)
    for name, behaviour in behaviours.items():
        kind, reason = _trait(name, behaviour, rows.num_rows)
        types[name] = kind
        guesses.append(Guess(name, kind, reason))
        if kind in ("date", "joined"):
            orders.append(behaviour.months_first)

    def keyness(name: str) -> tuple[bool, float]:
        b = behaviours[name]
        unique = b.filled == rows.num_rows and b.distinct >= 0.98 * rows.num_rows
        return unique and types[name] != "address", customer_named(name)

    key = max(types, key=keyness)
    types[key] = "key"
    place = list(types).index(key)
    guesses[place] = Guess(key, "key", "every row has its own value, so it names the customer")
    for single, instead in ONCE.items():
        same = [name for name, kind in types.items() if kind == single]
        for name in same[1:]:
            types[name] = instead
            guesses[list(types).index(name)] = Guess(
                name, types[name], f"{same[0]} is the {single}"
            )
    numbers = [name for name, kind in types.items() if kind == "number"]
    plain = [order for order in orders if order is not None]
    # One column that can be read one way only settles the others of the same file.
    month_first = any(plain) if plain or not orders else None
    comma = decimal_comma(rows, numbers)
    return MemberMapping(
        types, month_first, comma, unit=(one := called(key)), units=several(one)
    ), (guesses)


def called(heading: str) -> str:
    """What a row is, by the heading of the column that names it: a customer unless it says more.

    >>> called("district_code"), called("Card no"), called("name"), called("PLZ")
    ('district', 'customer', 'customer', 'PLZ')
    """
    words = [w for w in re.split(r"[\W_]+", heading) if not _GENERIC.fullmatch(folded(w) or "id")]
    word = " ".join(words)
    if not word or customer_named(heading) or len(word) > MOST_LETTERS - 2:
        return "customer"
    return within(word)


def several(one: str) -> str:
    """The plural of an English noun as most form it.

    >>> several("district"), several("city"), several("branch"), several("day")
    ('districts', 'cities', 'branches', 'days')
    """
    if re.search(r"[^aeiou]y$", one):
        return f"{one[:-1]}ies"
    return f"{one}es" if re.search(r"(s|x|ch|sh)$", one) else f"{one}s"
