"""Purchases after a campaign, against a plain reading of the lines."""

import unittest
from datetime import date

import numpy as np

from sortija.core.calendar import day_number
from sortija.core.campaigns.responses import responses_of
from sortija.core.ledger.counting import counts, is_sale
from tests.core.crossings.worlds import MASK, log_of, world


class Read(unittest.TestCase):
    def test_against_the_lines_one_by_one(self) -> None:
        of = world(300, 12, 4)
        lines = of.log.arrays()
        sent, through = day_number(date(2026, 1, 31)), day_number(date(2026, 3, 14))
        since = day_number(date(2025, 1, 31))
        customers = np.arange(0, 300, 7)
        found = responses_of(lines, MASK, customers, sent, through, since)
        for place, c in enumerate(customers):
            mine = slice(lines.start[c], lines.start[c + 1])
            day, money = lines.day[mine], lines.money[mine]
            good = counts.py_func(lines.bits[mine], MASK)
            after = good & (day > sent) & (day <= through)
            bought = after & is_sale.py_func(lines.kind[mine], lines.quantity[mine])
            self.assertEqual(found.day[place], day[bought].min() if bought.any() else -1)
            self.assertEqual(found.spent[place], money[after].sum())
            earlier = good & (day >= since) & (day <= sent)
            self.assertEqual(found.before[place], money[earlier].sum())
        self.assertTrue(found.came.any() and not found.came.all())

    def test_the_day_of_sending_is_before_and_the_last_day_counts(self) -> None:
        day = np.array([100, 101, 110, 111], np.int32)
        log = log_of(np.zeros(4, np.int32), day, np.array([1, 2, 4, 8]), 1)
        found = responses_of(log.arrays(), MASK, np.array([0]), 100, 110, 90)
        self.assertEqual((found.day[0], found.spent[0], found.before[0]), (101, 6, 1))
        none = responses_of(log.arrays(), MASK, np.array([0]), 111, 150, 111)
        self.assertEqual((none.day[0], none.spent[0], none.before[0]), (-1, 0, 8))
        self.assertFalse(none.came.any())
