"""A series from one pass is what each window alone gives; windows by the calendar."""

import unittest
from datetime import date, timedelta

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from sortija.core.calendar import day_number, months_before
from sortija.core.engine import Engine
from sortija.core.measures.derive import Names, derive, derive_series
from sortija.core.measures.window import Window, series_of, spans_of, year_before
from tests.core.measures.test_derive import CUSTOMERS, LAST, LINE, log_of

NAMES = Names(("a", "b", "c"), ("till",), (0.5, 0.4, float("nan"), 0.3), ("North",), True)


class OnePass(unittest.TestCase):
    def same(self, one, other):
        self.assertEqual(one.table.names, other.table.names)
        for column in one.table:
            mine = other.table[column.name]
            np.testing.assert_array_equal(column.values, mine.values, column.name)
            np.testing.assert_array_equal(column.reasons, mine.reasons, column.name)
        for name in ("present", "known", "bought", "money", "at_least"):
            np.testing.assert_array_equal(getattr(one, name), getattr(other, name), name)
        self.assertEqual(one.reconciliation, other.reconciliation)
        self.assertEqual(one.trend, other.trend)

    @settings(max_examples=80, deadline=None)
    @given(
        st.lists(LINE, min_size=1, max_size=80),
        st.sampled_from(["month", "quarter", "year"]),
        st.sampled_from([1, 3, 12, None]),
        st.integers(1, 14),
        st.integers(0, 40),
    )
    def test_each_window_is_as_if_alone(self, lines, step, months, count, earlier):
        log = log_of(lines)
        windows = series_of(Window(LAST - timedelta(days=earlier), months), step, count)
        joined = np.array([day_number(LAST) - 300.0, np.nan, day_number(LAST) - 10.0, np.nan])
        found = derive_series(log, windows, 8, 2, NAMES, joined)
        self.assertEqual(len(found), len(windows))
        for window, mine in zip(windows, found, strict=True):
            self.assertTrue(mine.reconciliation.balances)
            self.same(mine, derive(log, window, 8, 2, NAMES, joined))

    def test_many_visits_enter_and_leave(self):
        rng = np.random.default_rng(8)
        lines = [
            (int(who), -int(back), int(receipt), 1, int(price), 0, int(part))
            for who, back, receipt, price, part in zip(
                rng.integers(0, CUSTOMERS, 900), rng.integers(0, 480, 900),
                rng.integers(0, 3, 900), rng.integers(1, 900, 900), rng.integers(-1, 3, 900),
                strict=True,
            )
        ]  # fmt: skip
        log = log_of(lines)
        windows = series_of(Window(LAST, 6), "month", 12)
        for window, mine in zip(
            windows, derive_series(log, windows, 0, 2, NAMES, engine=Engine(2)), strict=True
        ):
            self.same(mine, derive(log, window, 0, 2, NAMES))

    def test_windows_out_of_order_are_refused(self):
        log = log_of([(0, -3, 0, 1, 100, 0, 0)])
        later, earlier = Window(LAST), Window(LAST - timedelta(days=40))
        for windows in ([later, earlier], [], [Window(LAST, 1), Window(LAST, 12)]):
            with self.subTest(windows), self.assertRaises(ValueError):
                derive_series(log, windows, 0, 2)

    def test_on_offer_sites_weekdays(self):
        # 30 June 2026 is a Tuesday; every line here has site 0.
        log = log_of([(0, 0, 0, 1, 300, 1 << 28, 0), (0, -1, 0, 1, 100, 0, 1)])
        table = derive(log, Window(LAST), 0, 2, NAMES).table
        for name, share in (
            ("on_offer", 0.75), ("share_site_north", 1.0), ("share_weekday_tuesday", 0.75),
            ("share_weekday_monday", 0.25), ("share_season_summer", 1.0),
        ):  # fmt: skip
            self.assertEqual(table[name].values[0], share, name)
        self.assertEqual(table["visit_days"].values[0], 2)
        entropy = -(0.75 * np.log(0.75) + 0.25 * np.log(0.25)) / np.log(3)
        self.assertAlmostEqual(table["evenness"].values[0], entropy)
        self.assertNotIn("on_offer", derive(log, Window(LAST), 0, 2, Names()).table)

    def test_many_departments_get_the_shares_that_sold_most(self):
        names = Names(tuple(f"D {n}" for n in range(60)))
        lines = [(0, -1 - n, 0, 1, 100 + n % 3, 0, n % 3) for n in range(9)]
        derived = derive(log_of(lines), Window(LAST), 0, 2, names)
        shares = [n for n in derived.table.names if n.startswith("share_department_")]
        self.assertEqual(len(shares), 40)
        self.assertTrue({f"share_department_d_{n}" for n in range(3)} <= set(shares))
        self.assertEqual(derived.table["breadth"].values[0], 3)

    def test_names_that_look_alike_stay_apart(self):
        names = Names(("Pot plants", "pot-plants", "!"))
        table = derive(log_of([(0, -1, 0, 1, 100, 0, 1)]), Window(LAST), 0, 2, names).table
        self.assertEqual(table["share_department_pot_plants_2"].values[0], 1.0)
        self.assertIn("share_department_unnamed", table)

    def test_tenure_is_at_least_where_the_log_may_begin_later(self):
        lines = [(0, -400, 0, 1, 100, 0, 0), (0, -5, 0, 1, 100, 0, 0), (1, -200, 0, 1, 100, 0, 0),
                 (2, -390, 0, 1, 100, 0, 0), (2, -8, 0, 1, 100, 0, 0)]  # fmt: skip
        joined = np.array([np.nan, np.nan, day_number(LAST) - 900.0, np.nan])
        derived = derive(log_of(lines), Window(LAST), 0, 2, joined=joined)
        self.assertEqual(derived.at_least.tolist(), [True, False, False, False])


class Calendar(unittest.TestCase):
    def test_month_ends_stay_month_ends(self):
        ends = [w.last_day for w in series_of(Window(date(2024, 5, 31)), "month", 5)]
        self.assertEqual(
            ends, [date(2024, 1, 31), date(2024, 2, 29), date(2024, 3, 31), date(2024, 4, 30),
                   date(2024, 5, 31)],
        )  # fmt: skip
        self.assertEqual(
            [w.last_day for w in series_of(Window(date(2026, 6, 30), 3), "quarter", 2)],
            [date(2026, 3, 31), date(2026, 6, 30)],
        )

    def test_a_year_before(self):
        self.assertEqual(year_before(Window(date(2025, 2, 28))).last_day, date(2024, 2, 29))
        found = year_before(Window(date(2026, 6, 30), since=date(2026, 3, 1)))
        self.assertEqual((found.last_day, found.since), (date(2025, 6, 30), date(2025, 3, 1)))

    def test_from_a_given_day(self):
        window = Window(date(2026, 6, 30), since=date(2026, 5, 20))
        self.assertEqual(window.first_day(0), day_number(date(2026, 5, 20)))
        ends = [w.last_day for w in series_of(window, "month", 6)]
        self.assertEqual(ends, [date(2026, 5, 31), date(2026, 6, 30)])  # none ends before it begins

    @given(st.dates(date(1990, 1, 1), date(2100, 12, 31)), st.integers(0, 60))
    def test_going_back_is_never_more_than_the_months(self, day, months):
        back = months_before(day, months)
        self.assertEqual((day.year * 12 + day.month) - (back.year * 12 + back.month), months)
        self.assertLessEqual(back.day, day.day)

    def test_days_know_their_windows(self):
        windows = series_of(Window(date(2026, 6, 30), 3), "month", 4)
        spans = spans_of(windows, 0)
        for day in range(int(spans.first_days[0]), int(spans.as_ofs[-1])):
            lo, hi, early = spans.of_day[day - spans.first_days[0]]
            for place, window in enumerate(windows):
                first = window.first_day(0)
                middle = first + (window.as_of - first) // 2
                self.assertEqual(lo <= place <= hi, first <= day < window.as_of)
                self.assertEqual(max(lo, early) <= place <= hi, first <= day < middle)


if __name__ == "__main__":
    unittest.main()
