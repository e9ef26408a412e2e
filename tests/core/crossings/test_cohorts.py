"""Cohorts against a plain count, and the time to the next purchase in a world that is known."""

from __future__ import annotations

import unittest
from datetime import date

import numpy as np

from sortija.core.calendar import date_of, day_number
from sortija.core.crossings.cohorts import cohorts_of, time_to_next
from tests.core.crossings.worlds import MASK, log_of, world

BEGINS, ENDS = day_number(date(2023, 7, 1)), day_number(date(2026, 6, 20))


def _quarter(day: int) -> int:
    found = date_of(int(day))
    return found.year * 4 + (found.month - 1) // 3


class Counted(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.log = world(300, 2.5, 4).log
        cls.found = cohorts_of(cls.log.arrays(), MASK, BEGINS, ENDS)

    def test_as_a_plain_count_has_it(self) -> None:
        first = _quarter(BEGINS)
        many = _quarter(ENDS - 1) - first + 1
        customers = np.zeros(many, int)
        bought, money = np.zeros((many, many), int), np.zeros((many, many), int)
        for c in range(300):
            mine = slice(self.log.start[c], self.log.start[c + 1])
            days = [int(d) for d in self.log.day[mine] if d < ENDS]
            if not days:
                continue
            cohort = _quarter(days[0]) - first
            customers[cohort] += 1
            for quarter in {_quarter(d) for d in days}:
                bought[cohort, quarter - first - cohort] += 1
            for d, m in zip(self.log.day[mine], self.log.money[mine], strict=True):
                if d < ENDS:
                    money[cohort, _quarter(d) - first - cohort] += m
        np.testing.assert_array_equal(self.found.customers, customers)
        np.testing.assert_array_equal(self.found.bought, bought)
        np.testing.assert_array_equal(self.found.money, money)
        self.assertGreater((customers[3:] > 0).sum(), 5)

    def test_a_quarter_that_has_not_ended_is_not_told(self) -> None:
        self.assertEqual(self.found.whole.tolist(), [True] * 11 + [False])
        self.assertTrue(self.found.told(3, 7))
        self.assertFalse(self.found.told(3, 8))
        self.assertFalse(self.found.told(3, 9))
        late = cohorts_of(self.log.arrays(), MASK, BEGINS + 40, ENDS)
        self.assertFalse(late.whole[0])

    def test_who_came_with_the_log_may_have_come_before_it(self) -> None:
        self.assertEqual(self.found.unsure[:3].tolist(), [True, False, False])
        self.assertTrue((self.found.bought[:, 0] == self.found.customers).all())


class Waiting(unittest.TestCase):
    def test_of_known_rates_the_curve_is_known(self) -> None:
        """Customers at one rate by chance: e^(-rate t) of them wait longer than t."""
        rng = np.random.default_rng(1)
        n, rate = 4000, 1 / 120.0
        first = BEGINS + 100 + rng.integers(0, 700, n)
        gap = 1 + rng.geometric(1 - np.exp(-rate), n)
        customer = np.repeat(np.arange(n), 2).astype(np.int32)
        day = np.stack([first, first + gap], axis=1).ravel().astype(np.int32)
        log = log_of(customer, day, np.full(2 * n, 100, np.int64), n)
        found = time_to_next(log.arrays(), MASK, BEGINS, ENDS)
        assert found is not None
        for t in (60, 120, 240):
            self.assertAlmostEqual(found.at(t), float(np.exp(-rate * (t - 1))), delta=0.025)
        seen = found.happened.sum()
        self.assertEqual(seen, int((day[1::2] < ENDS).sum()))

    def test_nobody_new(self) -> None:
        log = world(50, 30, 1).log
        self.assertIsNone(time_to_next(log.arrays(), MASK, BEGINS + 1000, ENDS))
