"""The calendar against Python's own dates, day by day."""

import calendar
import unittest
from datetime import date, timedelta

import numpy as np
from hypothesis import given
from hypothesis import strategies as some

from sortija.core.calendar import (
    date_of,
    day_number,
    last_day_before,
    months_before,
    season_of_month,
    step_ends,
    step_of,
    step_starts,
)

days = some.dates(date(1971, 1, 1), date(2199, 12, 31))


class Months(unittest.TestCase):
    @given(days, some.integers(-24, 24))
    def test_a_month_earlier_is_that_month_on_the_same_day_or_its_last(self, day, months):
        before = months_before(day, months)
        apart = (day.year - before.year) * 12 + day.month - before.month
        self.assertEqual(apart, months)
        if before.day != day.day:
            self.assertLess(before.day, day.day)
            self.assertEqual((before + timedelta(days=1)).day, 1)

    def test_the_last_day_of_a_month_stays_the_last(self):
        for last, months, before in (
            (date(2026, 6, 30), 3, date(2026, 3, 31)),
            (date(2026, 2, 28), 12, date(2025, 2, 28)),
            (date(2025, 2, 28), 12, date(2024, 2, 29)),
            (date(2026, 5, 30), 3, date(2026, 2, 28)),
            (date(2026, 5, 15), 3, date(2026, 2, 15)),
            (date(2026, 1, 31), -1, date(2026, 2, 28)),
        ):
            self.assertEqual(last_day_before(last, months), before)


class Steps(unittest.TestCase):
    def test_every_day_lies_in_its_step_and_steps_follow_each_other(self):
        every = np.arange(0, 3 * 366, dtype=np.int32)
        for step in ("day", "week", "month"):
            numbers = step_of(every, step)
            self.assertTrue((step_starts(numbers, step) <= every).all())
            self.assertTrue((step_ends(numbers, step) >= every).all())
            self.assertTrue((np.diff(numbers) >= 0).all())
            each = np.unique(numbers)
            self.assertTrue((step_ends(each, step)[:-1] + 1 == step_starts(each, step)[1:]).all())
        self.assertEqual(
            date_of(int(step_starts(step_of(every[:1], "week"), "week")[0])).weekday(),
            calendar.MONDAY,
        )

    def test_days_and_dates_go_back_and_forth(self):
        for day in (date(1970, 1, 1), date(2000, 2, 29), date(2026, 11, 30)):
            self.assertEqual(date_of(day_number(day)), day)

    def test_each_month_has_its_season(self):
        self.assertEqual(
            season_of_month(np.arange(12)).tolist(), [0, 0, 1, 1, 1, 2, 2, 2, 3, 3, 3, 0]
        )
