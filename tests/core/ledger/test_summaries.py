"""Looks at the counted lines, against plain loops over the same lines."""

import unittest
from collections import defaultdict

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from sortija.core.ledger.log import Log, order_lines
from sortija.core.ledger.summaries import Gap, balance, gaps, spent_between, visits

LINES = st.lists(
    st.tuples(
        st.integers(-1, 3), st.integers(0, 20), st.integers(1, 3), st.integers(-2, 3),
        st.integers(-900, 900), st.sampled_from([0, 0, 1]), st.sampled_from([0, 0, 8]),
    ),
    max_size=50,
)  # fmt: skip
CUSTOMERS = 5


def log_of(lines):
    names = ("owner", "day", "receipt", "quantity", "money", "kind", "bits")
    kinds = ("i4", "i4", "u8", "i8", "i8", "i1", "i4")
    parts = zip(*lines, strict=True) if lines else [()] * 7
    got = {n: np.array(v, k) for n, k, v in zip(names, kinds, parts, strict=True)}
    order, start = order_lines(got.pop("owner"), got["day"], got["receipt"], CUSTOMERS)
    none = np.full(len(order), -1, np.int16)
    return Log(start, **{n: v[order] for n, v in got.items()}, department=none, site=none,
               channel=none)  # fmt: skip


def receipts(lines):
    out = defaultdict(list)
    for owner, day, receipt, quantity, money, kind, bits in lines:
        if owner >= 0 and not bits:
            out[owner, day, receipt].append((quantity, money, kind))
    return {
        key: sum(m for _, m, _ in group)
        for key, group in out.items()
        if any(k == 0 and q > 0 for q, _, k in group)
    }


class Visiting(unittest.TestCase):
    @given(LINES)
    def test_every_purchase_once(self, lines):
        found = visits(log_of(lines), 8)
        wanted = receipts(lines)
        self.assertEqual(
            sorted(zip(found.day.tolist(), found.money.tolist(), strict=True)),
            sorted((day, net) for (_, day, _), net in wanted.items()),
        )
        for customer in range(CUSTOMERS):
            first = min((day for owner, day, _ in wanted if owner == customer), default=-1)
            self.assertEqual(found.first[customer], first)


class Spending(unittest.TestCase):
    @given(LINES, st.integers(-500, 500), st.integers(0, 900))
    def test_any_purchase_within(self, lines, low, more):
        wanted = {who for (who, _, _), net in receipts(lines).items() if low <= net < low + more}
        found = spent_between(log_of(lines), 8, low, low + more)
        self.assertEqual(set(np.flatnonzero(found).tolist()), wanted)


class Balances(unittest.TestCase):
    @given(LINES, st.integers(0, 10), st.integers(5, 22))
    def test_every_line_is_in_one_part(self, lines, first, as_of):
        told = balance(log_of(lines), 8, first, as_of)
        inside = [line for line in lines if first <= line[1] < as_of and not line[6]]
        buyers = {line[0] for line in inside if line[5] == 0 and line[3] > 0} - {-1}
        self.assertEqual(told.ledger, sum(line[4] for line in inside))
        self.assertEqual(told.with_purchase, sum(m for c, *_, m, _, _ in inside if c in buyers))
        self.assertEqual(told.without_customer, sum(line[4] for line in inside if line[0] < 0))
        self.assertEqual(
            told.with_purchase + told.without_purchase + told.without_customer, told.ledger
        )
        self.assertEqual(told.customers, len(buyers))
        others = {line[0] for line in inside} - buyers - {-1}
        self.assertEqual(told.customers_without, len(others))


class Gaps(unittest.TestCase):
    def test_a_week_without_data_but_not_the_sundays(self):
        open_days = [d for d in range(200) if d % 7 != 3 and not 100 <= d <= 107]
        self.assertEqual(gaps(np.array(open_days)), [Gap(100, 108)])  # day 108 is a Sunday

    def test_a_log_without_pauses(self):
        self.assertEqual(gaps(np.arange(50)), [])
        self.assertEqual(gaps(np.array([7])), [])
        self.assertEqual(gaps(np.zeros(0, np.int64)), [])

    def test_one_missing_day_is_no_gap(self):
        self.assertEqual(gaps(np.array([1, 2, 3, 5, 6, 7])), [])


if __name__ == "__main__":
    unittest.main()
