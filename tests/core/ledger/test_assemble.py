"""A whole log put together: every bit of every line against a plain reading of the same text."""

import unittest
from collections import defaultdict
from datetime import date
from itertools import pairwise

import numpy as np
import pyarrow as pa
from hypothesis import given, settings
from hypothesis import strategies as st

from sortija.core.ledger.assemble import assemble
from sortija.core.ledger.flags import meant_by
from sortija.core.ledger.lines import LineReader
from sortija.core.ledger.mapping import LogMapping
from sortija.core.ledger.rules import BIT, RULES

NAMES = ("receipt", "card", "day", "item", "qty", "total", "kind", "currency")
ROLES = {
    "receipt": "receipt", "customer": "card", "moment": "day", "item": "item", "quantity": "qty",
    "money": "total", "kind": "kind", "currency": "currency",
}  # fmt: skip
TODAY = date(2026, 6, 30)
LINE = st.tuples(
    st.sampled_from(["1", "2", "3"]),
    st.sampled_from(["A", "B", "staff 1", ""]),
    st.sampled_from(["2026-03-01", "2026-03-02", "2026-05-09", "2027-01-01", "soon", ""]),
    st.sampled_from(["x", "y", ""]),
    st.sampled_from(["1", "2", "-1"]),
    st.sampled_from(["5.00", "10.00", "0", "-5.00", "n/a"]),
    st.sampled_from(["sale", "", "return", "void", "gift card"]),
    st.sampled_from(["EUR", "EUR", "", "USD"]),
)


def batch_of(lines):
    columns = zip(*lines, strict=True) if lines else [()] * len(NAMES)
    arrays = [pa.array(column, pa.string()) for column in columns]
    return pa.RecordBatch.from_arrays(arrays, names=NAMES)


def assembled(lines, cuts=(), on_sale_day=False):
    reader = LineReader(LogMapping(ROLES), 2, (TODAY - date(1970, 1, 1)).days, currency="EUR")
    edges = [0, *sorted(cuts), len(lines)]
    parts = [batch_of(lines[a:b]) for a, b in pairwise(edges) if b > a]
    batches = list(reader.read(iter(parts)))
    staff = meant_by(reader.cards.texts, ["staff*"])
    log = assemble(batches, len(reader.cards), staff=staff, on_sale_day=on_sale_day)
    return log, reader


def number(text):
    return None if text == "n/a" else round(float(text) * 100)


def kind_of(line):
    *_, quantity, total, word, _ = line
    money = number(total)
    bare = (money or 0) < 0 < int(quantity) and word in ("", "sale")
    if word in ("void", "gift card"):
        return {"void": "void", "gift card": "other"}[word], False
    negative = int(quantity) < 0 or (money or 0) < 0
    return ("return" if word == "return" or negative else "sale"), bare


def plain_bits(line):
    """The rules that a line meets by itself."""
    _, card, day, _, _, total, _, currency = line
    kind, bare = kind_of(line)
    met = set()
    if day in ("soon", ""):
        met.add("no_date")
    elif day > TODAY.isoformat():
        met.add("future")
    if number(total) is None:
        met.add("no_amount")
    elif number(total) == 0:
        met.add("zero")
    for rule, meets in (
        ("void", kind == "void"), ("not_sale", kind == "other"), ("returns", kind == "return"),
        ("negative", bare), ("no_customer", not card), ("staff", card.startswith("staff")),
        ("currency", currency == "USD"),
    ):  # fmt: skip
        if meets:
            met.add(rule)
    return met


def plain_twice(lines):
    """Which lines belong to a run that came before with the same lines."""
    runs, seen, out = [], set(), []
    for line in lines:
        key = (line[2] if line[2] not in ("soon", "") else "", line[0])
        if runs and runs[-1][0] == key:
            runs[-1][1].append(line)
        else:
            runs.append((key, [line]))
    for key, mine in runs:
        mark = (key, tuple(sorted(mine)))
        out += [mark in seen] * len(mine)
        seen.add(mark)
    return out


FOUND_LATER = {"returned", "unmatched", "extreme"}


class Bits(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(st.lists(LINE, min_size=1, max_size=24), st.sets(st.integers(1, 23), max_size=3))
    def test_every_line_by_itself(self, lines, cuts):
        log, _ = assembled(lines, [cut for cut in cuts if cut < len(lines)])
        wanted = defaultdict(int)
        for line, again in zip(lines, plain_twice(lines), strict=True):
            met = plain_bits(line) | ({"twice"} if again else set())
            wanted[frozenset(met), number(line[5]) or 0] += 1
        got = defaultdict(int)
        for bits, money in zip(log.bits.tolist(), log.money.tolist(), strict=True):
            met = {rule.key for rule in RULES if rule.bit & bits} - FOUND_LATER
            got[frozenset(met), money] += 1
        self.assertEqual(got, wanted)

    @settings(max_examples=60, deadline=None)
    @given(st.lists(LINE, min_size=1, max_size=24), st.booleans())
    def test_order_and_sums(self, lines, on_sale_day):
        log, reader = assembled(lines, on_sale_day=on_sale_day)
        self.assertEqual(int(log.start[-1]), len(lines))
        for customer, code in enumerate(reader.cards.texts):
            mine = slice(int(log.start[customer]), int(log.start[customer + 1]))
            self.assertEqual(mine.stop - mine.start, sum(line[1] == code for line in lines))
            day = log.day[mine]
            self.assertTrue((np.diff(day) >= 0).all())
            same = np.diff(day) == 0
            self.assertTrue((np.diff(log.receipt[mine].astype(object))[same] >= 0).all())
        self.assertEqual(int(log.money.sum()), sum(number(line[5]) or 0 for line in lines))

    @settings(max_examples=60, deadline=None)
    @given(st.lists(LINE, min_size=2, max_size=24))
    def test_cut_into_batches_as_at_once(self, lines):
        whole, _ = assembled(lines)
        parts, _ = assembled(lines, range(1, len(lines)))
        for name in ("start", "day", "receipt", "money", "bits", "quantity", "kind"):
            np.testing.assert_array_equal(getattr(parts, name), getattr(whole, name), name)

    def test_on_the_day_of_the_sale(self):
        lines = [
            ("1", "A", "2026-03-01", "x", "1", "10.00", "sale", ""),
            ("2", "A", "2026-05-09", "x", "-1", "-10.00", "", ""),
            ("3", "", "2026-05-09", "x", "-1", "-10.00", "", ""),
        ]
        own, _ = assembled(lines)
        sale, _ = assembled(lines, on_sale_day=True)
        days = [(date.fromisoformat(line[2]) - date(1970, 1, 1)).days for line in lines]
        self.assertEqual(own.day.tolist(), days)
        self.assertEqual(sale.day.tolist(), [days[0], days[0], days[2]])
        back = BIT["returned"]
        self.assertEqual([bits & back for bits in own.bits.tolist()], [back, back, 0])


if __name__ == "__main__":
    unittest.main()
