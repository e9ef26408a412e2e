"""How much of a window a log covers."""

import unittest
from datetime import date

import numpy as np

from sortija.core.calendar import day_number
from sortija.core.measures.coverage import Reach, coverage_of, reach_of
from sortija.core.measures.window import Window


def day(text):
    return day_number(date.fromisoformat(text))


YEAR = Reach(day("2025-07-01"), day("2026-06-30"))


class Covered(unittest.TestCase):
    def test_a_log_of_one_year(self):
        for last, months, words in (
            ("2026-06-30", 12, ""),
            ("2026-03-31", 12, "the log has 9 of these 12 months"),
            ("2025-12-31", 12, "the log has 6 of these 12 months"),
            ("2025-09-30", 12, "the log has 3 of these 12 months"),
            ("2025-09-30", 3, ""),
            ("2026-06-30", 24, "the log has 12 of these 24 months"),
            ("2026-09-30", 12, "the log has 9 of these 12 months"),
            ("2027-06-30", 12, "the log has nothing of this time"),
            ("2024-06-30", 12, "the log has nothing of this time"),
            ("2026-07-05", 12, ""),  # a few days without a line are holidays
            ("2026-06-15", 12, "the log has 350 of these 365 days"),
            ("2026-06-30", None, ""),
            ("2026-12-31", None, "the log has 365 of these 549 days"),
        ):
            found = coverage_of(Window(date.fromisoformat(last), months), YEAR)
            self.assertEqual((found.words, found.whole), (words, not words), (last, months))

    def test_from_a_given_day_on(self):
        window = Window(date(2026, 6, 30), None, date(2025, 1, 1))
        self.assertEqual(coverage_of(window, YEAR).words, "the log has 365 of these 546 days")

    def test_stray_lines_make_no_log_reach_further(self):
        every = np.arange(YEAR.first, YEAR.last + 1)
        days = np.concatenate([[day("1999-01-01"), day("2019-05-05")], every, [day("2031-01-01")]])
        lines = np.full(len(days), 40)
        lines[[0, 1, -1]] = 2
        self.assertEqual(reach_of(days, lines), YEAR)
        # What is more than a few lines is the log's own: a gap between two seasons, say.
        lines[[0, 1, -1]] = 4000
        self.assertEqual(reach_of(days, lines), Reach(int(days[0]), int(days[-1])))
        self.assertIsNone(reach_of(days[:0], lines[:0]))


if __name__ == "__main__":
    unittest.main()
