"""Measures of another population: each level has the purchases of its customers."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from sortija.core.measures.derive import Names, derive
from sortija.core.measures.rollup import roll_up
from sortija.core.measures.window import Window
from sortija.core.table import Column
from tests.core.measures.test_derive import CUSTOMERS, LAST, LINE, by_hand, log_of


def trait(codes):
    return Column("trait:district", "category", np.array(codes, np.int32), "", ("north", "south"))


class RollingUp(unittest.TestCase):
    @settings(max_examples=100, deadline=None)
    @given(
        st.lists(LINE, min_size=1, max_size=60),
        st.lists(st.integers(0, 2), min_size=CUSTOMERS, max_size=CUSTOMERS),
    )
    def test_as_if_the_levels_were_customers(self, lines, codes):
        # Receipts of two customers never share a number here, as keys of a log never do.
        lines = [(who, day, receipt + 10 * (who + 1), *rest) for who, day, receipt, *rest in lines]
        derived = derive(roll_up(log_of(lines), trait(codes)), Window(LAST, 12), 8, 2,
                         Names(("a", "b", "c")))  # fmt: skip
        owner = {who: code - 1 for who, code in enumerate(codes)}
        moved = [(owner.get(who, -1), *rest) for who, *rest in lines]
        wanted = by_hand(moved, 8, Window(LAST, 12).first_day(0))
        for level in range(2):
            figures = wanted[level]
            self.assertEqual(bool(derived.present[level]), figures is not None)
            for name, value in (figures or {}).items():
                got = float(derived.table[name].values[level])
                np.testing.assert_allclose(got, value, rtol=1e-9, err_msg=name)
        self.assertTrue(derived.reconciliation.balances)
        whole = derive(log_of(lines), Window(LAST, 12), 8, 2).reconciliation
        self.assertEqual(derived.reconciliation.ledger, whole.ledger)

    def test_customers_who_came_after_the_trait_have_no_level(self):
        log = log_of([(0, -1, 0, 1, 100, 0, 0), (3, -1, 1, 1, 900, 0, 0)])
        derived = derive(roll_up(log, trait([1, 2])), Window(LAST), 0, 2)
        self.assertEqual(derived.money.tolist(), [100, 0])
        self.assertEqual(derived.reconciliation.without_customer, 900)

    def test_numbers_have_no_levels(self):
        with self.assertRaises(ValueError):
            roll_up(log_of([(0, -1, 0, 1, 100, 0, 0)]), Column("x", "number", np.zeros(4)))


if __name__ == "__main__":
    unittest.main()
