"""How columns behave in the first rows of a file, on columns made to behave so."""

import random
import unittest

import pyarrow as pa

from sortija.core.ledger.behaviour import behaviour_of, read_both_ways, stand_together


def cells(*values):
    return pa.array([str(value) for value in values], pa.string())


class Looks(unittest.TestCase):
    def test_numbers_dates_and_codes(self):
        money = behaviour_of(cells("1.50", " 2.25 ", "", "-3.00", "n/a"))
        self.assertEqual((money.filled, money.numbers, money.decimals), (4, 0.75, True))
        days = behaviour_of(cells("2026-01-31", "2026-02-28", "soon", "2026-03-01"))
        self.assertAlmostEqual(days.dates, 0.75)
        codes = behaviour_of(cells("0101", "0102", "0101"))
        self.assertEqual((codes.leading_zeros, codes.distinct, codes.dates), (True, 2, 0))

    def test_an_empty_column_tells_nothing(self):
        found = behaviour_of(cells("", " ", ""))
        self.assertEqual((found.filled, found.distinct, found.numbers), (0, 0, 0))

    def test_the_order_of_day_and_month(self):
        for values, wanted in (
            (("31/01/2026", "02/03/2026"), False), (("01/31/2026", "02/03/2026"), True),
            (("01/02/2026", "03/04/2026"), None), (("2026-01-02",), False),
            (("05/05/2026", "06/06/2026"), False),
        ):  # fmt: skip
            self.assertEqual(behaviour_of(cells(*values)).months_first, wanted, values)

    def test_a_date_that_can_be_read_both_ways(self):
        text, day_first, month_first = read_both_ways(cells("05/05/2026", " 01/02/2026 "))
        self.assertEqual(text, "01/02/2026")
        self.assertEqual((str(day_first), str(month_first)), ("2026-02-01", "2026-01-02"))
        self.assertIsNone(read_both_ways(cells("01/02/2026", "13/02/2026")))


class Times(unittest.TestCase):
    def test_a_clock_by_its_colon_or_by_what_it_never_shows(self):
        rng = random.Random(3)
        clock = [(rng.randrange(8, 20), rng.randrange(60)) for _ in range(60)]
        for pattern in ("{:02d}:{:02d}", "{}h{:02d}", "{:02d}.{:02d}", "{:02d}{:02d}"):
            written = [pattern.format(hour, minute) for hour, minute in clock]
            self.assertTrue(behaviour_of(cells(*written)).times, written[0])
        self.assertTrue(behaviour_of(cells("9:05 PM", "10:30 AM")).times)

    def test_prices_codes_and_dates_are_no_clock(self):
        rng = random.Random(4)
        prices = [f"{rng.randrange(1, 20)}.{rng.randrange(100):02d}" for _ in range(60)]
        codes = [f"{rng.randrange(1000, 9999)}" for _ in range(60)]
        pieces = [f"{rng.randrange(1, 9)}" for _ in range(60)]
        for written in (prices, codes, pieces, ["2026-01-31 10:00"] * 30, ["1000"] * 30, [""]):
            self.assertFalse(behaviour_of(cells(*written)).times, written[0])

    def test_dates_with_the_name_of_a_month(self):
        for written in ("14. März 2026", "14 Mar 26", "March 14, 2026", "15 de marzo de 2026"):
            self.assertEqual(behaviour_of(cells(written)).dates, 1, written)
        self.assertEqual(behaviour_of(cells("Box 12 Mars 40x", "Set of 3 mugs")).dates, 0)

    def test_lines_of_a_receipt_stand_together(self):
        self.assertEqual(stand_together(cells("R1", "R1", "R2", "R2", "R2", "R3")), 2)
        self.assertEqual(stand_together(cells("A", "B", "A", "B")), 0)
        self.assertEqual(stand_together(cells()), 0)


if __name__ == "__main__":
    unittest.main()
