"""Lines put on other days: what stays with a customer, and what does not."""

from __future__ import annotations

import unittest
from datetime import date

import numpy as np

from sortija.core.crossings.rearranged import lines_rearranged, null_of, rearranging_of
from sortija.core.measures.window import Window
from tests.core.crossings.worlds import AFTER, BEFORE, MASK, world

QUARTER = Window(date(2026, 3, 31))


def _inside(day: np.ndarray) -> np.ndarray:
    """Which days lie in the two years to June 2026."""
    return (day >= BEFORE.first_day(0)) & (day < AFTER.as_of)


def _owners(start: np.ndarray) -> np.ndarray:
    return np.repeat(np.arange(len(start) - 1), np.diff(start))


class Swapped(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.world = world(customers=400, visits=20, seed=3)
        cls.lines = cls.world.log.arrays()
        cls.everyone = np.ones(400, np.bool_)
        cls.how = rearranging_of(cls.lines, BEFORE, AFTER, MASK, cls.everyone)

    def _drawn(self, seed: int, still: np.ndarray | None = None):
        nobody = ~self.everyone if still is None else still
        return lines_rearranged(self.lines, 0, 400, self.how, seed, nobody)

    def test_every_line_of_both_windows_stays_with_its_customer_and_month_of_the_year(self) -> None:
        drawn = self._drawn(1)
        there = np.flatnonzero(_inside(self.lines.day))
        self.assertGreater(len(there), 10_000)
        owner = _owners(self.lines.start)[there]

        def seen(owner, lines, rows):
            month = lines.day[rows].astype("M8[D]").astype("M8[M]").astype(int) % 12
            return sorted(zip(owner, lines.receipt[rows], lines.money[rows], month, strict=True))

        mine = seen(_owners(drawn.start), drawn, slice(None))
        self.assertEqual(mine, seen(owner, self.lines, there))

    def test_about_half_the_lines_change_their_year_and_none_its_order(self) -> None:
        drawn = self._drawn(2)
        year = dict(zip(self.lines.receipt, self.lines.day >= AFTER.first_day(0), strict=True))
        now = drawn.day >= AFTER.first_day(0)
        changed = np.mean([year[r] != after for r, after in zip(drawn.receipt, now, strict=True)])
        self.assertAlmostEqual(float(changed), 0.5, delta=0.03)
        for c in range(400):
            days = drawn.day[drawn.start[c] : drawn.start[c + 1]]
            self.assertTrue((np.diff(days) >= 0).all())

    def test_who_stays_still_keeps_every_day(self) -> None:
        still = np.zeros(400, np.bool_)
        still[5:20] = True
        drawn = self._drawn(4, still)
        for c in range(5, 20):
            mine = self.lines.day[self.lines.start[c] : self.lines.start[c + 1]]
            days = drawn.day[drawn.start[c] : drawn.start[c + 1]]
            np.testing.assert_array_equal(days, mine[_inside(mine)])

    def test_a_customer_is_drawn_alike_whoever_else_is_in_the_block(self) -> None:
        alone = lines_rearranged(self.lines, 37, 40, self.how, 9, ~self.everyone)
        among = self._drawn(9)
        np.testing.assert_array_equal(alone.day, among.day[among.start[37] : among.start[40]])

    def test_whole_weeks_keep_the_weekday_of_nearly_every_line(self) -> None:
        how = rearranging_of(self.lines, BEFORE, AFTER, MASK, self.everyone, whole_weeks=True)
        drawn = lines_rearranged(self.lines, 0, 400, how, 3, ~self.everyone)
        before = dict(zip(self.lines.receipt, self.lines.day % 7, strict=True))
        same = np.mean([before[r] == d % 7 for r, d in zip(drawn.receipt, drawn.day, strict=True)])
        self.assertGreater(float(same), 0.97)

    def test_a_rhythm_outlives_the_swap(self) -> None:
        """Gaps between visits of regular customers vary no more than they did."""
        steady = world(customers=600, visits=12, seed=4, shape=6.0)
        lines, everyone = steady.log.arrays(), np.ones(600, np.bool_)
        how = rearranging_of(lines, BEFORE, AFTER, MASK, everyone)
        drawn = lines_rearranged(lines, 0, 600, how, 1, ~everyone)

        def spread(day, start):
            out = []
            for c in range(600):
                mine = day[start[c] : start[c + 1]]
                gaps = np.diff(mine[_inside(mine) & (mine >= AFTER.first_day(0))])
                if len(gaps) > 5:
                    out.append(gaps.std() / gaps.mean())
            return float(np.mean(out))

        before = spread(lines.day, lines.start)
        self.assertLess(before, 0.5)
        self.assertAlmostEqual(spread(drawn.day, drawn.start), before, delta=0.05)


class Permuted(unittest.TestCase):
    def test_visits_gaps_and_season_stay(self) -> None:
        year = world(customers=1500, visits=20, seed=6, season=0.8, shape=4.0)
        lines, everyone = year.log.arrays(), np.ones(1500, np.bool_)
        self.assertEqual(null_of(QUARTER, AFTER), "gaps permuted")
        how = rearranging_of(lines, QUARTER, AFTER, MASK, everyone)
        drawn = lines_rearranged(lines, 0, 1500, how, 5, ~everyone)
        first, last = QUARTER.first_day(0), AFTER.as_of
        there = (lines.day >= first) & (lines.day < last)
        owner = _owners(lines.start)
        np.testing.assert_array_equal(
            np.bincount(owner[there], minlength=1500), np.diff(drawn.start)[:1500]
        )
        self.assertEqual(sorted(lines.receipt[there]), sorted(drawn.receipt))

        def seasons(day):
            return np.bincount((day - first) // 30, minlength=16)[:15] / len(day)

        self.assertLess(np.abs(seasons(drawn.day) - seasons(lines.day[there])).max(), 0.005)
        apart = float(np.mean(np.diff(drawn.day)[np.diff(_owners(drawn.start)) == 0]))
        self.assertAlmostEqual(
            apart, float(np.mean(np.diff(lines.day[there])[np.diff(owner[there]) == 0])), delta=0.5
        )


class Refused(unittest.TestCase):
    def test_windows_of_other_lengths_or_over_the_whole_log(self) -> None:
        for other in (Window(date(2025, 6, 30), 6), Window(date(2025, 6, 30), None),
                      Window(date(2025, 6, 30), 12, date(2025, 1, 1))):  # fmt: skip
            with self.subTest(other), self.assertRaises(ValueError):
                null_of(other, AFTER)

    def test_a_leap_day_is_a_year_after_the_end_of_february(self) -> None:
        pair = Window(date(2023, 2, 28)), Window(date(2024, 2, 29))
        self.assertEqual(null_of(*pair), "months swapped")
        self.assertEqual(null_of(Window(date(2023, 2, 27)), pair[1]), "gaps permuted")
