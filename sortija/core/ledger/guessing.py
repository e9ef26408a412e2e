"""Which role each column of a log plays: by how it behaves, helped by what it is called."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from sortija.core.ledger.currencies import CODES
from sortija.core.ledger.mapping import AMOUNTS, LOG_ROLES, Guess, LogMapping, MappingError
from sortija.core.ledger.parse_numbers import decimal_comma
from sortija.core.ledger.role_words import LineKind, kind_of, name_speaks_for, of_selling
from sortija.core.ledger.sample import LogSample, Receipts

__all__ = ["guess_log"]

#: Columns compared each with each: a file of hundreds would take long otherwise.
MOST_COMPARED = 24
#: Rows from which on what cells do says more than what a heading says.
_TELLING = 30
#: Columns of a file that roles are guessed for.
MOST_COLUMNS = 2_000
#: What a heading can add to what cells tell.
_NAME = 0.8
#: Below this a column plays no role; below the second it plays it in doubt.
_LEAST, _SURE = 0.6, 1.0
#: Another column that is as near as this to a role is worth naming.
_NEAR = 0.25
_PHRASES = {
    "customer": "the customer", "receipt": "the receipt", "moment": "the date", "time": "the time",
    "money": "the line total", "price": "the price", "item": "the item",
    "quantity": "the number of pieces",
}  # fmt: skip

Known = Callable[[list[str]], float]


@dataclass(frozen=True)
class _Offer:
    """How well a column would play a role, and why."""

    score: float
    role: str
    column: str
    reason: str

    @property
    def rank(self) -> tuple[float, int]:
        """The better first; of equals the role that comes first in :data:`LOG_ROLES`."""
        return -round(self.score, 6), LOG_ROLES.index(self.role)


@dataclass
class _Guesser:
    """Finds the roles one after the other: each tells something about the next.

    ``notes``: why columns play no role.
    """

    sample: LogSample
    known: Known | None
    offers: list[_Offer] = field(default_factory=list)
    notes: dict[str, str] = field(default_factory=dict)
    receipts: Receipts = field(default_factory=lambda: Receipts.of(np.zeros(0, np.int64)))

    def offer(self, score: float, role: str, column: str, reason: str) -> None:
        """A column for a role; its heading helps where its cells do not speak against it."""
        named = name_speaks_for(role, column)
        if score > 0:
            words = f"its name says so, and {reason}" if named > 0.5 else reason
            self.offers.append(_Offer(score + _NAME * named, role, column, words))

    def run(self) -> list[_Offer]:
        """Every role's best column, no column twice."""
        self.dates()
        self.find_receipts()
        self.customers()
        self.amounts()
        self.goods()
        self.words()
        return list(self._chosen())

    def _chosen(self) -> Iterator[_Offer]:
        roles: set[str] = set()
        columns: set[str] = set()
        for offer in sorted(self.offers, key=lambda o: o.rank):
            if offer.score < _LEAST or offer.role in roles or offer.column in columns:
                continue
            roles.add(offer.role)
            columns.add(offer.column)
            yield offer

    def dates(self) -> None:
        """Dates, and times of the day where dates have none."""
        sample = self.sample
        timed = False
        for name, b in sample.behaviours.items():
            if b.dates >= 0.5:
                codes, _ = sample.codes(name)
                told = f"{b.dates:.0%} of its cells read as dates"
                onward = _goes_on(codes)
                self.offer(0.9 * b.dates + (0.15 if onward else 0.0), "moment", name, told)
                timed |= b.with_time and b.dates >= 0.9
        for name, b in sample.behaviours.items():
            if b.times and timed:
                self.notes[name] = "a time of the day; the dates have theirs already"
            elif b.times:
                self.offer(1.0, "time", name, "its cells are times of the day")

    def find_receipts(self) -> None:
        """The receipt: its lines stand together, or its numbers count up and begin anew."""
        sample, rows = self.sample, self.sample.rows.num_rows
        moments = sample.by_moment()
        found: list[tuple[float, str]] = []
        for name in sample.keys:
            b = sample.behaviours[name]
            if b.filled < 0.9 * rows:
                continue
            lines = sample.lines_each(name)
            named = name_speaks_for("receipt", name)
            within = sample.changes(name, moments)
            if lines > 1.2 and b.distinct > max(5, rows // 20):
                finer = 0.2 * b.distinct / max(rows / lines, 1)
                score, told = 0.9 + finer, f"{lines:.1f} lines per number, which stand together"
            elif sample.counts_up(name) and not within > 0.02 and b.distinct > 5:
                score, told = 0.85, "it counts the receipts, and begins anew now and then"
            elif lines == 1.0 and b.distinct == rows > 20:
                if sample.counts_up(name) and moments.same.sum() >= 5:
                    continue  # lines that are counted, not receipts
                score, told = 0.35, f"{b.distinct} different numbers, one on every row"
            elif named > 0.5 and not within > 0.05:
                score, told = 0.5, f"{b.distinct} different numbers among the first rows"
            else:
                continue
            self.offer(score, "receipt", name, told)
            found.append((score + _NAME * named, name))
        best = max(found, default=(0.0, ""))
        self.receipts = sample.by_number(best[1]) if best[0] >= _LEAST else moments

    def customers(self) -> None:
        """The customer: one on a receipt, back on several; the finest of those that are."""
        sample, rows = self.sample, self.sample.rows.num_rows
        able: dict[str, tuple[float, str]] = {}
        returning: set[str] = set()
        for name in self._likely("customer", sample.keys):
            b = sample.behaviours[name]
            named = name_speaks_for("customer", name)
            share = self.known([v for v in b.values if v]) if self.known else 0.0
            if share > 0.5:
                words = f"{share:.0%} of its codes are customers who are known here"
                self.offers.append(_Offer(2.5, "customer", name, words))
                continue
            few = b.distinct <= max(5, rows // 200)
            if (few and named < 0.5) or (sample.counts_up(name) and rows >= _TELLING):
                continue
            if sample.of_lines(name, self.receipts):
                if named > 0.5:
                    self.offer(0.1, "customer", name, "it changes within receipts")
                continue
            if b.filled < 0.05 * rows:
                continue
            back, each = sample.visits(name, self.receipts)
            comes_back = back > max(5, 0.02 * b.distinct) and each < 0.1 * self.receipts.count
            score = 0.2
            told = f"{b.distinct} different codes among the first rows"
            if comes_back:
                returning.add(name)
                score = 0.75
                told = (
                    f"{back} of its codes come back on several receipts, and each receipt has one"
                )
            score += 0.1 * (b.filled < rows) + 0.15 * sample.of_head(name, self.receipts)
            score += 0.2 * min(b.distinct / self.receipts.count, 1.0)
            score -= 0.15 * any(" " in value.strip() for value in b.values[:20])
            able[name] = score, told
        for name, (score, told) in able.items():
            coarser = any(
                other != name
                and sample.determines(other, name)
                and not sample.determines(name, other)
                for other in returning
            )
            if coarser:
                self.notes[name] = "each customer has one of it, so it tells of customers"
            self.offer(score - 0.6 * coarser, "customer", name, told)

    def _likely(self, role: str, names: list[str]) -> list[str]:
        """Columns that are likeliest to play a role, in the order of the file: by their headings,
        then as many codes as can be."""
        if len(names) <= MOST_COMPARED:
            return names
        behaviours = self.sample.behaviours
        order = sorted(
            names, key=lambda n: (name_speaks_for(role, n) < 0.5, -behaviours[n].distinct)
        )
        chosen = set(order[:MOST_COMPARED])
        return [name for name in names if name in chosen]

    def amounts(self) -> None:
        """Line total, pieces and price: by pieces times price, else by decimals and by name."""
        sample = self.sample
        products = sample.products()
        for share, pieces, price, amount in products:
            costs = name_speaks_for("cost", price) > 0.5
            told = f"times {price} it is {amount}"
            self.offer(0.55 + 0.5 * share, "quantity", pieces, told)
            if not costs:
                self.offer(0.55 + 0.5 * share, "price", price, f"times {pieces} it is {amount}")
                told = f"in {share:.0%} of the rows it is {pieces} times {price}"
                self.offer(0.6 + 0.6 * share, "money", amount, told)
        for name in sample.amounts:
            b = sample.behaviours[name]
            if name_speaks_for("cost", name) > 0.5:
                self.offer(0.5, "cost", name, "its cells are amounts")
                continue
            total = self._total_of(name)
            if total:
                self.notes[name] = (
                    f"the receipt’s total: it is on every line, {total} adds up to it"
                )
                continue
            alike = sample.of_head(name, self.receipts) and self.receipts.same.mean() > 0.2
            if alike and b.distinct > 1:  # one amount throughout tells nothing of receipts
                self.notes.setdefault(name, "the same on every line of a receipt")
                continue
            if b.decimals:
                wide = 0.15 * min(b.distinct / 50, 1.0)
                back = 0.05 * bool(np.nanmin(sample.values(name)) < 0)
                self.offer(0.45 + wide + back, "money", name, "its cells are amounts with decimals")
                for role in ("price", "quantity"):
                    if name_speaks_for(role, name) > 0.5:
                        self.offer(0.4, role, name, "its cells are amounts with decimals")
            else:
                self._whole(name)

    def _whole(self, name: str) -> None:
        """Whole numbers: pieces where most are one, else money by name alone."""
        sample = self.sample
        values = sample.values(name)
        if sample.counts_up(name):
            return
        ones = float(np.mean(np.abs(values) == 1))
        if ones > 0.3 and np.nanmax(np.abs(values)) < 1000 and sample.behaviours[name].distinct > 2:
            told = f"small whole numbers, {ones:.0%} of them 1"
            self.offer(0.65 if ones > 0.4 else 0.4, "quantity", name, told)
        elif name_speaks_for("quantity", name) > 0.5 and np.nanmax(np.abs(values)) < 10_000:
            self.offer(0.3, "quantity", name, "whole numbers")
        for role in ("money", "price"):
            if name_speaks_for(role, name) > 0.5 and sample.behaviours[name].distinct > 2:
                self.offer(0.3, role, name, "its cells are amounts")

    def _total_of(self, name: str) -> str:
        """What a column is the sum of over each receipt, where it stands on every line of it."""
        if not self.sample.of_head(name, self.receipts):
            return ""
        return self.sample.sums_over(name, self.receipts)

    def goods(self) -> None:
        """Items and departments: they change from line to line, and each item has one of them."""
        sample, rows = self.sample, self.sample.rows.num_rows
        lines = {}
        for name, b in sample.behaviours.items():
            code = b.dates < 0.5 and not b.times and not b.decimals and b.distinct
            if code and not sample.of_head(name, self.receipts) and not sample.counts_up(name):
                lines[name] = b.distinct
        for name, distinct in lines.items():
            named = name_speaks_for("item", name)
            moving = sample.of_lines(name, self.receipts)
            if name in sample.amounts and not named and sample.values(name).max() < 1000:
                continue  # pieces, points, rates
            if distinct > 0.5 * rows and named < 0.5:
                continue
            if (distinct > 60 and moving) or named > 0.5:
                spaces = any(" " in v for v in sample.behaviours[name].values[:20])
                score = (0.65 if moving and distinct > 20 else 0.35) - 0.1 * spaces
                self.offer(score, "item", name, f"{distinct} different codes")
        fine = self._likely("item", list(lines))
        for name in self._likely("department", [n for n in lines if lines[n] <= 60]):
            named, distinct = name_speaks_for("department", name), lines[name]
            if (distinct < 2 and named < 0.5) or (name in sample.amounts and named < 0.5):
                continue
            finer = any(
                lines[other] > 3 * distinct and sample.determines(other, name) for other in fine
            )
            if named > 0.5 or (finer and sample.of_lines(name, self.receipts)):
                score = 0.7 if finer else 0.4
                self.offer(score, "department", name, f"{distinct} names that repeat")

    def words(self) -> None:
        """What a line is, where and how it was sold, its currency, its offer: few words each."""
        for name, b in self.sample.behaviours.items():
            texts = [value for value in b.values if value]
            if b.filled and {v.strip() for v in texts} <= CODES:
                self.offer(1.3, "currency", name, "each of its words is a currency")
            elif b.distinct <= 12 and b.numbers < 0.5 and name_speaks_for("currency", name) > 0.5:
                self.offer(0.4, "currency", name, f"{b.distinct} words that repeat")
            if b.dates >= 0.5 or b.times:
                continue
            if 2 <= b.distinct <= 12 and b.numbers < 0.5:
                telling = [w for w in texts if of_selling(w) or kind_of(w) != "sale"]
                if len(telling) > 0.6 * len(texts):
                    told = f"its words say what a line is: {', '.join(telling[:3])}"
                    self.offer(1.1, "kind", name, told)
            if 1 <= b.distinct <= 60 and not b.decimals:
                told = (
                    f"{b.distinct} names that repeat" if b.distinct > 1 else "one word throughout"
                )
                for role in ("site", "channel", "kind"):
                    if name_speaks_for(role, name) > 0.5:
                        self._place(role, name, told)
            if b.filled and name_speaks_for("offer", name) > 0.5:
                told = f"it is filled in {b.filled} of the first {self.sample.rows.num_rows} rows"
                self.offer(0.4, "offer", name, told)

    def _place(self, role: str, name: str, told: str) -> None:
        """A receipt is rung up in one place: what changes from line to line is none."""
        if role != "kind" and self.sample.changes(name, self.receipts) > 0.05:
            self.notes[name] = f"it changes within a receipt, so it is no {role}"
            return
        self.offer(0.5, role, name, told)


def _goes_on(codes: NDArray[np.int64]) -> bool:
    """Whether new values come one after the other and hardly any comes back, as dates do."""
    runs = 1 + int((codes[1:] != codes[:-1]).sum())
    return len(codes) > 1 and len(np.unique(codes)) >= 0.9 * runs


def _doubt(offer: _Offer, offers: list[_Offer], taken: set[str]) -> str:
    """What is to be looked at where a guess may be wrong; nothing where it is sure."""
    rivals = [
        other.column
        for other in sorted(offers, key=lambda o: o.rank)
        if other.role == offer.role and other.column != offer.column
        and other.score >= max(offer.score - _NEAR, _LEAST) and other.column not in taken
    ]  # fmt: skip
    phrase = _PHRASES.get(offer.role, f"the {offer.role}")
    if rivals:
        return f"{rivals[0]} may be {phrase} just as well."
    if offer.score < _SURE:
        named = name_speaks_for(offer.role, offer.column) > 0.5
        return f"Only its {'name tells' if named else 'values tell'} that this is {phrase}."
    return ""


def guess_log(rows: pa.RecordBatch, known: Known | None = None) -> tuple[LogMapping, list[Guess]]:
    """Guess the roles of a log's columns from its first rows.

    A role goes to the column that behaves like it; headings in six languages help, and never
    decide against the cells. Where another column is about as likely, or little tells at all, the
    guess says so in its ``doubt``.

    Parameters
    ----------
    rows : batch of string columns
    known : function, optional
        Share of some texts that are cards of the study already.

    Raises
    ------
    MappingError
        The file has more columns than are looked at.

    >>> rows = pa.RecordBatch.from_pydict({
    ...     "Kunde": ["A", "B", "A"], "Datum": ["1.2.2026", "2.2.2026", "13.2.2026"],
    ...     "Betrag": ["3,50", "12,00", "7,25"]})
    >>> mapping, guesses = guess_log(rows)
    >>> mapping.roles, mapping.decimal_comma
    ({'customer': 'Kunde', 'moment': 'Datum', 'money': 'Betrag'}, True)
    """
    if rows.num_columns > MOST_COLUMNS:
        raise MappingError(
            f"The file has {rows.num_columns:,} columns, more than the {MOST_COLUMNS:,} that are "
            "looked at. Export it with the columns that tell of customers and their purchases."
        )
    guesser = _Guesser(LogSample.of(rows), known)
    chosen = guesser.run()
    sample = guesser.sample
    roles = {o.role: o.column for o in sorted(chosen, key=lambda o: LOG_ROLES.index(o.role))}
    by_column = {offer.column: offer for offer in chosen}
    taken = set(by_column)
    nothing = "nothing tells what it is; it stays in the file"
    guesses = [
        Guess(name, by_column[name].role, by_column[name].reason,
              _doubt(by_column[name], guesser.offers, taken))
        if name in by_column
        else Guess(name, "out", guesser.notes.get(name, nothing))
        for name in sample.behaviours
    ]  # fmt: skip
    kinds: dict[str, LineKind] = {}
    if "kind" in roles:
        kinds = {value: kind_of(value) for value in sample.behaviours[roles["kind"]].values}
    month_first = sample.behaviours[roles["moment"]].months_first if "moment" in roles else False
    comma = decimal_comma(sample.rows, [roles[r] for r in AMOUNTS if r in roles])
    return LogMapping(roles, month_first, comma, kinds), guesses
