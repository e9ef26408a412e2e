"""Which column of a file plays which role: a guess with its reason, for a person to correct."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal

import pyarrow as pa
import pyarrow.compute as pc

from sortija.core.ledger.behaviour import (
    Behaviour,
    behaviour_of,
    changes_within,
    come_back,
    stand_together,
)
from sortija.core.ledger.levels import order_of

__all__ = [
    "LOG_ROLES",
    "REQUIRED_ROLES",
    "TRAIT_TYPES",
    "Guess",
    "LogMapping",
    "MappingError",
    "MemberMapping",
    "guess_log",
    "guess_members",
    "kind_of",
]

LOG_ROLES = (
    "customer",
    "receipt",
    "moment",
    "site",
    "channel",
    "item",
    "department",
    "quantity",
    "price",
    "total",
    "kind",
    "cost",
    "currency",
)
REQUIRED_ROLES = ("customer", "moment")
TRAIT_TYPES = (
    "key", "number", "category", "ordered", "yes/no", "date", "joined", "consent", "address",
    "offer", "id", "person", "out",
)  # fmt: skip
LineKind = Literal["sale", "return", "void", "other"]

_NAMES = {
    "customer": r"card|customer|client|member|loyal|shopper|account",
    "receipt": r"receipt|ticket|transaction|order|invoice|basket|bon\b|doc",
    "moment": r"date|time|sold|stamp|when|day",
    "site": r"site|store|shop|branch|outlet|location|place",
    "channel": r"channel|till|web|online|medium",
    "item": r"item|article|product|sku|ean|plu",
    "department": r"department|dept|category|group|family|section",
    "quantity": r"qty|quantity|pieces|units|count",
    "price": r"price|each",
    "total": r"total|amount|value|net|gross|sum|revenue|paid|spend",
    "kind": r"kind|type|status|void|action",
    "cost": r"cost|purchase.?price|cogs|buying",
    "currency": r"currency|curr\b|ccy",
}
_RETURN = re.compile(r"ret|refund|credit|back", re.I)
_VOID = re.compile(r"void|cancel|abort|test|deleted", re.I)
_OTHER = re.compile(r"gift|voucher|deposit|deliver|shipping|fee\b|donation|top.?up", re.I)
_SELLING = re.compile(r"sale|sold|purchase|buy|normal", re.I)
_YES_NO = {"yes", "no", "y", "n", "true", "false", "0", "1", "t", "f"}


ASK_ORDER = (
    "Say whether its dates are written day first or month first: every one of them can be read "
    "either way."
)


def kind_of(word: str) -> LineKind:
    """What a line is by the word that its file has for it; *sale* where the word tells nothing."""
    if _VOID.search(word):
        return "void"
    if _OTHER.search(word):
        return "other"
    return "return" if _RETURN.search(word) else "sale"


class MappingError(ValueError):
    """A mapping that cannot be read by; the message says which role and what to do."""


@dataclass(frozen=True)
class Guess:
    """A role or type for one column, with the reason in words."""

    column: str
    role: str
    reason: str


@dataclass(frozen=True)
class LogMapping:
    """Role → column of a transaction log, and how its cells are written.

    ``month_first`` None: dates can be read either way, and somebody has to say which.
    """

    roles: dict[str, str]
    month_first: bool | None = False
    decimal_comma: bool = False
    kinds: dict[str, LineKind] = field(default_factory=dict)

    def check(self, names: tuple[str, ...]) -> None:
        """Raise :class:`MappingError` unless lines can be read by this mapping."""
        for role, column in self.roles.items():
            if role not in LOG_ROLES:
                raise MappingError(f"There is no role called {role}.")
            if column not in names:
                raise MappingError(f"The file has no column called {column}.")
        if len(set(self.roles.values())) != len(self.roles):
            raise MappingError("One column plays two roles. Give each role a column of its own.")
        for role in REQUIRED_ROLES:
            if role not in self.roles:
                words = {"customer": "the customer or card", "moment": "the date"}[role]
                raise MappingError(f"Say which column holds {words}.")
        if "total" not in self.roles and not {"quantity", "price"} <= set(self.roles):
            raise MappingError("Say which column holds the line total, or quantity and price.")

    def ready(self, names: tuple[str, ...]) -> None:
        """:meth:`check`, and nothing is left to ask."""
        self.check(names)
        if self.month_first is None:
            raise MappingError(ASK_ORDER)


@dataclass(frozen=True)
class MemberMapping:
    """Column → type of a customer table; exactly one is the ``key``.

    ``orders``: levels of ordered categories, lowest first; ``dated``: the day that the table
    speaks of, as 2026-06-30, or empty for the day it came in.
    """

    types: dict[str, str]
    month_first: bool | None = False
    decimal_comma: bool = False
    orders: dict[str, list[str]] = field(default_factory=dict)
    dated: str = ""

    @property
    def key(self) -> str:
        return next(name for name, kind in self.types.items() if kind == "key")

    def check(self, names: tuple[str, ...]) -> None:
        """Raise :class:`MappingError` unless customers can be read by this mapping."""
        for column, kind in self.types.items():
            if column not in names:
                raise MappingError(f"The file has no column called {column}.")
            if kind not in TRAIT_TYPES:
                raise MappingError(f"There is no type called {kind}.")
        for single in ("key", "joined", "consent", "address", "person"):
            count = sum(kind == single for kind in self.types.values())
            if count > 1 or (single == "key" and count == 0):
                raise MappingError(f"Exactly one column can be the {single}; here {count} are.")
        if self.dated and not re.fullmatch(r"(19|20)\d\d-\d\d-\d\d", self.dated):
            raise MappingError("Write the day that the table speaks of as 2026-06-30.")

    def ready(self, names: tuple[str, ...]) -> None:
        """:meth:`check`, and nothing is left to ask."""
        self.check(names)
        if self.month_first is None:
            raise MappingError(ASK_ORDER)


def _log_fits() -> dict[str, Callable[[Behaviour, int], tuple[float, str]]]:
    """For each role: how well a behaviour fits (0..1), and why."""

    def code(low: float, high: float, words: str) -> Callable[[Behaviour, int], tuple[float, str]]:
        def fit(b: Behaviour, rows: int) -> tuple[float, str]:
            share = b.distinct / max(rows, 1)
            good = low <= share <= high and b.dates < 0.5 and not b.decimals
            return (0.6 if good else 0.1), words.format(b.distinct)

        return fit

    def few(words: str) -> Callable[[Behaviour, int], tuple[float, str]]:
        def fit(b: Behaviour, rows: int) -> tuple[float, str]:
            good = 1 <= b.distinct <= 60 and b.numbers < 0.9
            return (0.6 if good else 0.1), words.format(b.distinct)

        return fit

    def numeric(words: str, decimals: bool) -> Callable[[Behaviour, int], tuple[float, str]]:
        def fit(b: Behaviour, rows: int) -> tuple[float, str]:
            if b.numbers < 0.8 or b.dates > 0.5 or b.leading_zeros:
                return 0.0, ""
            return (0.6 if b.decimals == decimals else 0.3), words

        return fit

    def moment(b: Behaviour, rows: int) -> tuple[float, str]:
        return b.dates, f"{b.dates:.0%} of its cells read as dates"

    return {
        "moment": moment,
        "customer": code(0.01, 0.98, "{} different codes, which come back on other receipts"),
        "receipt": code(0.1, 1.0, "{} different numbers among the first rows"),
        "total": numeric("numbers with decimals, some of them negative or large", True),
        "price": numeric("numbers with decimals", True),
        "quantity": numeric("small whole numbers", False),
        "kind": few("{} words that say what a line is"),
        "department": few("{} names that repeat"),
        "site": few("{} names that repeat"),
        "channel": few("{} words that repeat"),
        "item": code(0.0, 1.0, "{} different codes"),
        "cost": numeric("numbers with decimals", True),
        "currency": few("{} words, each a currency"),
    }


def _customers(
    rows: pa.RecordBatch,
    behaviours: dict[str, Behaviour],
    known: Callable[[list[str]], float] | None,
) -> list[tuple[float, int, str, str, str]]:
    """Offers for the customer by behaviour: known here, or back on several receipts."""
    place = -LOG_ROLES.index("customer")
    codes = {
        name: b for name, b in behaviours.items()
        if b.dates < 0.5 and not b.decimals and b.distinct > 1
    }  # fmt: skip
    offers = []
    for name, behaviour in codes.items():
        share = known([value for value in behaviour.values if value]) if known else 0.0
        if share > 0.5:
            words = f"{share:.0%} of its codes are customers who are known here"
            offers.append((2.5, place, "customer", name, words))
            continue
        if behaviour.distinct <= max(5, rows.num_rows // 200):
            continue  # as few as these are shops
        named = 0.5 if re.search(_NAMES["customer"], name, re.I) else 0.0
        receipts = [n for n in codes if n != name and codes[n].distinct > behaviour.distinct]
        most = max((come_back(rows, receipt, name) for receipt in receipts), default=0)
        if most > max(5, 0.02 * behaviour.distinct):
            words = f"{most} of its codes come back on several receipts, and each receipt has one"
            offers.append((1.2 + named, place, "customer", name, words))
    return offers


def _receipts(
    rows: pa.RecordBatch, behaviours: dict[str, Behaviour]
) -> list[tuple[float, int, str, str, str]]:
    """Offers for the receipt by behaviour: several lines a number, and they stand together."""
    offers = []
    for name, behaviour in behaviours.items():
        lines = stand_together(rows.column(name))
        code = behaviour.dates < 0.5 and not behaviour.decimals
        if code and lines > 1.2 and behaviour.distinct > max(5, rows.num_rows // 20):
            named = 0.5 if re.search(_NAMES["receipt"], name, re.I) else 0.0
            words = f"{lines:.1f} lines a number, and they stand together"
            offers.append((1.0 + named, -LOG_ROLES.index("receipt"), "receipt", name, words))
    return offers


def _kinds(behaviours: dict[str, Behaviour]) -> list[tuple[float, int, str, str, str]]:
    """Offers for what a line is by its words: few, and most of them speak of selling."""
    offers = []
    for name, behaviour in behaviours.items():
        words = [value for value in behaviour.values if value]
        telling = [word for word in words if _SELLING.search(word) or kind_of(word) != "sale"]
        if 2 <= behaviour.distinct <= 12 and len(telling) > 0.6 * len(words):
            reason = f"its words say what a line is: {', '.join(telling[:3])}"
            offers.append((1.3, -LOG_ROLES.index("kind"), "kind", name, reason))
    return offers


_CURRENCIES = {
    "EUR", "USD", "GBP", "CHF", "SEK", "NOK", "DKK", "PLN", "CZK", "HUF", "RON", "BGN", "ISK",
    "TRY", "JPY", "CNY", "INR", "CAD", "AUD", "NZD", "ZAR",
}  # fmt: skip


def _currencies(behaviours: dict[str, Behaviour]) -> list[tuple[float, int, str, str, str]]:
    """Offers for the currency by its words: codes of currencies and nothing else."""
    return [
        (1.3, -LOG_ROLES.index("currency"), "currency", name, "each of its words is a currency")
        for name, behaviour in behaviours.items()
        if {v.strip() for v in behaviour.values} <= _CURRENCIES and behaviour.filled
    ]


def guess_log(
    rows: pa.RecordBatch, known: Callable[[list[str]], float] | None = None
) -> tuple[LogMapping, list[Guess]]:
    """Guess the roles of a log's columns from its first rows.

    A role goes to the column that fits best by name and by what its cells look like; a column
    whose cells cannot play the role is never taken for its name alone.

    Parameters
    ----------
    rows : batch of string columns
    known : function, optional
        Share of some texts that are cards of the study already.
    """
    behaviours = {name: behaviour_of(rows.column(i)) for i, name in enumerate(rows.schema.names)}
    fits = _log_fits()
    offers = []
    for role, pattern in _NAMES.items():
        for name, behaviour in behaviours.items():
            fit, reason = fits[role](behaviour, rows.num_rows)
            named = bool(re.search(pattern, name, re.I))
            exact = named and re.fullmatch(
                f"({pattern})(_?(id|no|nr|code|number|at|on))?", name, re.I
            )
            score = fit + (0.8 if named else 0.0) + (0.2 if exact else 0.0)
            if fit > 0 and (named or role in REQUIRED_ROLES) and score >= 0.6:
                words = f"its name says so, and {reason}" if named else reason
                offers.append((score, -LOG_ROLES.index(role), role, name, words))
    offers += _customers(rows, behaviours, known)
    offers += _receipts(rows, behaviours)
    offers += _kinds(behaviours)
    offers += _currencies(behaviours)
    roles: dict[str, str] = {}
    guesses = []
    for _, _, role, name, reason in sorted(offers, reverse=True):
        if role not in roles and name not in roles.values():
            roles[role] = name
            guesses.append(Guess(name, role, reason))
    _one_place(rows, roles, guesses)
    for name in behaviours:
        if name not in {guess.column for guess in guesses}:
            guesses.append(Guess(name, "out", "not needed for the measures; it stays in the file"))
    kinds: dict[str, LineKind] = {}
    if "kind" in roles:
        kinds = {value: kind_of(value) for value in behaviours[roles["kind"]].values}
    month_first = behaviours[roles["moment"]].months_first if "moment" in roles else False
    comma = _decimal_comma(rows, [roles[r] for r in ("total", "price", "quantity") if r in roles])
    order = {name: place for place, name in enumerate(rows.schema.names)}
    guesses.sort(key=lambda g: order[g.column])
    return LogMapping(roles, month_first, comma, kinds), guesses


def _one_place(rows: pa.RecordBatch, roles: dict[str, str], guesses: list[Guess]) -> None:
    """A receipt is rung up in one place: what changes from line to line is no site or channel."""
    if "receipt" not in roles:
        return
    same = [rows.column(roles[r]) for r in ("receipt", "moment", "customer") if r in roles]
    for role in ("site", "channel"):
        if role in roles and changes_within(rows.column(roles[role]), same):
            name = roles.pop(role)
            place = next(n for n, guess in enumerate(guesses) if guess.column == name)
            words = f"it changes within a receipt, so it is no {role}; it stays in the file"
            guesses[place] = Guess(name, "out", words)


def _decimal_comma(rows: pa.RecordBatch, columns: list[str]) -> bool:
    commas = dots = 0
    for name in columns:
        cells = rows.column(name)
        commas += pc.sum(pc.match_substring_regex(cells, r",\d{1,2}\D*$")).as_py() or 0
        dots += pc.sum(pc.match_substring_regex(cells, r"\.\d{1,2}\D*$")).as_py() or 0
    return bool(commas > dots)


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
        return "category", f"{b.distinct} words that repeat"
    if unique and not any(" " in value for value in b.values):
        return "id", f"{b.distinct} codes, hardly two alike: shown and found by, never grouped"
    return "out", f"{b.distinct} different texts: too many to group by"


def guess_members(rows: pa.RecordBatch) -> tuple[MemberMapping, list[Guess]]:
    """Guess the types of a customer table's columns from its first rows."""
    types: dict[str, str] = {}
    guesses = []
    orders: list[bool | None] = []
    behaviours = {name: behaviour_of(rows.column(i)) for i, name in enumerate(rows.schema.names)}
    for name, behaviour in behaviours.items():
        kind, reason = _trait(name, behaviour, rows.num_rows)
        types[name] = kind
        guesses.append(Guess(name, kind, reason))
        if kind in ("date", "joined"):
            orders.append(behaviour.months_first)

    def keyness(name: str) -> tuple[bool, float]:
        b = behaviours[name]
        unique = b.filled == rows.num_rows and b.distinct >= 0.98 * rows.num_rows
        return unique and types[name] != "address", bool(re.search(_NAMES["customer"], name, re.I))

    key = max(types, key=keyness)
    types[key] = "key"
    place = list(types).index(key)
    guesses[place] = Guess(key, "key", "every row has its own value, so it names the customer")
    for single in ("joined", "consent", "address"):  # a second one is kept as a plain trait
        same = [name for name, kind in types.items() if kind == single]
        for name in same[1:]:
            types[name] = {"joined": "date", "consent": "yes/no", "address": "out"}[single]
            guesses[list(types).index(name)] = Guess(
                name, types[name], f"{same[0]} is the {single}"
            )
    numbers = [name for name, kind in types.items() if kind == "number"]
    plain = [order for order in orders if order is not None]
    # One column that can be read one way only settles the others of the same file.
    month_first = any(plain) if plain or not orders else None
    return MemberMapping(types, month_first, _decimal_comma(rows, numbers)), guesses
