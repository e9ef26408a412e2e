"""How columns behave in the first rows of a file, on columns made to behave so."""

import random
import unittest
from unittest import mock

import numpy as np
import pyarrow as pa

from sortija.core.ledger import mapping
from sortija.core.ledger.behaviour import (
    behaviour_of,
    changes_within,
    come_back,
    read_both_ways,
    stand_together,
)


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


class Together(unittest.TestCase):
    def setUp(self):
        rng = random.Random(2)
        self.receipt, self.card, self.item, self.shop = [], [], [], []
        for number in range(300):
            lines = rng.randint(1, 4)
            self.receipt += [number] * lines
            self.card += [f"K{rng.randrange(60)}"] * lines
            self.item += [f"I{rng.randrange(200)}" for _ in range(lines)]
            self.shop += [("North", "South")[number % 2]] * lines
        names = ("receipt", "card", "item", "shop")
        self.rows = pa.RecordBatch.from_arrays(
            [cells(*getattr(self, name)) for name in names], names=names
        )

    def test_lines_of_a_receipt_stand_together(self):
        self.assertAlmostEqual(stand_together(self.rows.column("receipt")), len(self.receipt) / 300)
        self.assertEqual(stand_together(self.rows.column("card")), 0)
        self.assertEqual(stand_together(cells()), 0)

    def test_customers_come_back_and_items_do_not_name_a_receipt(self):
        wanted = sum(
            len({r for r, c in zip(self.receipt, self.card, strict=True) if c == card}) > 1
            for card in set(self.card)
        )
        self.assertEqual(come_back(self.rows, "receipt", "card"), wanted)
        self.assertEqual(come_back(self.rows, "receipt", "item"), 0)

    def test_what_changes_from_line_to_line_is_no_place(self):
        same = [self.rows.column("receipt"), self.rows.column("card")]
        self.assertFalse(changes_within(self.rows.column("shop"), same))
        self.assertTrue(changes_within(self.rows.column("item"), same))
        # A number that restarts in every shop is another receipt, not a change within one.
        restarting = [cells(*([1] * 40)), cells(*(n // 2 for n in range(40)))]
        shops = cells(*(("North", "South")[n // 2 % 2] for n in range(40)))
        self.assertFalse(changes_within(shops, restarting))
        self.assertTrue(changes_within(shops, restarting[:1]))


class Wide(unittest.TestCase):
    """A file of very many columns is told without comparing each with each."""

    def rows(self, columns):
        rng = np.random.default_rng(1)
        codes = pa.array([str(v) for v in rng.integers(0, 800, 2000)])
        names = ["card", "receipt", "date", "total", *(f"c{n}" for n in range(columns - 4))]
        receipts = np.sort(rng.integers(0, 900, 2000))
        arrays = [
            pa.array([f"K{r % 150}" for r in receipts]), pa.array([str(r) for r in receipts]),
            pa.array([f"2026-01-{1 + r % 28:02d}" for r in receipts]),
            pa.array([f"{v:.2f}" for v in rng.random(2000)]), *[codes] * (columns - 4),
        ]  # fmt: skip
        return pa.RecordBatch.from_arrays(arrays, names)

    def test_roles_are_found_and_few_pairs_compared(self):
        with mock.patch.object(mapping, "come_back", wraps=come_back) as asked:
            found, guesses = mapping.guess_log(self.rows(1500))
        self.assertEqual(found.roles["customer"], "card")
        self.assertEqual(found.roles["moment"], "date")
        self.assertEqual(found.roles["money"], "total")
        self.assertEqual(len(guesses), 1500)
        self.assertLessEqual(asked.call_count, mapping.MOST_CUSTOMERS * mapping.MOST_RECEIPTS)

    def test_beyond_the_limit_a_sentence(self):
        with self.assertRaisesRegex(mapping.MappingError, "2,001 columns, more than the 2,000"):
            mapping.guess_log(self.rows(2001))


if __name__ == "__main__":
    unittest.main()
