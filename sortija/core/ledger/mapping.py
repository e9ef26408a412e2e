"""Which column of a file plays which role: a guess with its reason, for a person to correct."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import pyarrow as pa
import pyarrow.compute as pc

from sortija.core.ledger.behaviour import (
    Behaviour,
    behaviour_of,
    behaviours_of,
    changes_within,
    come_back,
    stand_together,
)

__all__ = [
    "ASK_ORDER",
    "LOG_ROLES",
    "REQUIRED_ROLES",
    "Guess",
    "LineKind",
    "LogMapping",
    "MappingError",
    "customer_named",
    "decimal_comma",
    "guess_log",
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
    "money",
    "kind",
    "cost",
    "currency",
    "offer",
)
REQUIRED_ROLES = ("customer", "moment")
#: Roles whose cells are numbers with decimals.
_AMOUNTS = ("money", "price", "quantity", "cost")
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
    "money": r"total|amount|value|net|gross|sum|revenue|paid|spend",
    "kind": r"kind|type|status|void|action",
    "cost": r"cost|purchase.?price|cogs|buying",
    "currency": r"currency|curr\b|ccy",
    "offer": r"offer|promo|discount|coupon|campaign|deal",
}
_RETURN = re.compile(r"ret|refund|credit|back", re.I)
_VOID = re.compile(r"void|cancel|abort|test|deleted", re.I)
_OTHER = re.compile(r"gift|voucher|deposit|deliver|shipping|fee\b|donation|top.?up", re.I)
_SELLING = re.compile(r"sale|sold|purchase|buy|normal", re.I)


ASK_ORDER = (
    "Say whether its dates are written day first or month first: every one of them can be read "
    "either way."
)


def kind_of(word: str) -> LineKind:
    """What a line is by the word that its file has for it; *sale* where the word tells nothing.

    >>> kind_of("Refund"), kind_of("sale")
    ('return', 'sale')
    """
    if _VOID.search(word):
        return "void"
    if _OTHER.search(word):
        return "other"
    return "return" if _RETURN.search(word) else "sale"


def customer_named(column: str) -> bool:
    """Whether a column's name speaks of customers or cards.

    >>> customer_named("card_no"), customer_named("total")
    (True, False)
    """
    return bool(re.search(_NAMES["customer"], column, re.I))


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
        if changed(*_AMOUNTS) and self.decimal_comma == before.decimal_comma:
            new["decimal_comma"] = decimal_comma(rows, self._amounts())
        return replace(self, **new)

    def _amounts(self) -> list[str]:
        return [self.roles[role] for role in _AMOUNTS if role in self.roles]

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
            told = words.format(b.distinct) if b.distinct != 1 else "one word throughout"
            return (0.6 if good else 0.1), told

        return fit

    def numeric(words: str, decimals: bool) -> Callable[[Behaviour, int], tuple[float, str]]:
        def fit(b: Behaviour, rows: int) -> tuple[float, str]:
            if b.numbers < 0.8 or b.dates > 0.5 or b.leading_zeros:
                return 0.0, ""
            return (0.6 if b.decimals == decimals else 0.3), words

        return fit

    def told(b: Behaviour, rows: int) -> tuple[float, str]:
        some = b.filled > 0 and b.dates < 0.5
        return (0.6 if some else 0.0), f"it is filled in {b.filled} of the first {rows} rows"

    def moment(b: Behaviour, rows: int) -> tuple[float, str]:
        return b.dates, f"{b.dates:.0%} of its cells read as dates"

    return {
        "moment": moment,
        "customer": code(0.01, 0.98, "{} different codes among the first rows"),
        "receipt": code(0.1, 1.0, "{} different numbers among the first rows"),
        "money": numeric("numbers with decimals, some of them negative or large", True),
        "price": numeric("numbers with decimals", True),
        "quantity": numeric("small whole numbers", False),
        "kind": few("{} words that say what a line is"),
        "department": few("{} names that repeat"),
        "site": few("{} names that repeat"),
        "channel": few("{} words that repeat"),
        "item": code(0.0, 1.0, "{} different codes"),
        "cost": numeric("numbers with decimals", True),
        "currency": few("{} words, each a currency"),
        "offer": told,
    }


#: Columns that are tried as customers and, for each of them, as receipts: a file of hundreds of
#: columns would be compared with itself otherwise.
MOST_CUSTOMERS, MOST_RECEIPTS = 24, 6
#: Columns of a file that roles are guessed for.
MOST_COLUMNS = 2_000


def _likely(columns: dict[str, Behaviour], role: str, most: int) -> list[str]:
    """The columns that are likeliest to play a role: by their names, then as many codes as can
    be, in the order of the file."""
    if len(columns) <= most:
        return list(columns)
    named = {n: bool(re.search(_NAMES[role], n, re.I)) for n in columns}
    order = sorted(columns, key=lambda n: (not named[n], -columns[n].distinct))
    chosen = set(order[:most])
    return [name for name in columns if name in chosen]


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
    likely = _likely(codes, "customer", MOST_CUSTOMERS)
    for name in likely:
        behaviour = codes[name]
        share = known([value for value in behaviour.values if value]) if known else 0.0
        if share > 0.5:
            words = f"{share:.0%} of its codes are customers who are known here"
            offers.append((2.5, place, "customer", name, words))
            continue
        if behaviour.distinct <= max(5, rows.num_rows // 200):
            continue  # as few as these are shops
        named = 0.5 if re.search(_NAMES["customer"], name, re.I) else 0.0
        more = {n: b for n, b in codes.items() if n != name and b.distinct > behaviour.distinct}
        receipts = _likely(more, "receipt", MOST_RECEIPTS)
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
        if not 2 <= behaviour.distinct <= 12:
            continue
        words = [value for value in behaviour.values if value]
        telling = [word for word in words if _SELLING.search(word) or kind_of(word) != "sale"]
        if len(telling) > 0.6 * len(words):
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
    names = rows.schema.names
    if len(names) > MOST_COLUMNS:
        raise MappingError(
            f"The file has {len(names):,} columns, more than the {MOST_COLUMNS:,} that are looked "
            "at. Export it with the columns that tell of customers and their purchases."
        )
    rows, behaviours = behaviours_of(rows)
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
    told = {guess.column for guess in guesses}
    for name in behaviours:
        if name not in told:
            guesses.append(Guess(name, "out", "nothing tells what it is; it stays in the file"))
    kinds: dict[str, LineKind] = {}
    if "kind" in roles:
        kinds = {value: kind_of(value) for value in behaviours[roles["kind"]].values}
    month_first = behaviours[roles["moment"]].months_first if "moment" in roles else False
    comma = decimal_comma(rows, [roles[r] for r in _AMOUNTS if r in roles])
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


def decimal_comma(rows: pa.RecordBatch, columns: list[str]) -> bool:
    """Whether amounts are rather written with a comma than with a point."""
    commas = dots = 0
    for name in columns:
        cells = rows.column(name)
        commas += pc.sum(pc.match_substring_regex(cells, r",\d{1,2}\D*$")).as_py() or 0
        dots += pc.sum(pc.match_substring_regex(cells, r"\.\d{1,2}\D*$")).as_py() or 0
    return bool(commas > dots)
