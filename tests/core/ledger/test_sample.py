"""How columns of a log hang together, in a shop where it is known how they do."""

import random
import unittest

import numpy as np
import pyarrow as pa

from sortija.core.ledger.sample import LogSample, Receipts


def sample(**columns):
    arrays = [pa.array([str(value) for value in values]) for values in columns.values()]
    return LogSample.of(pa.RecordBatch.from_arrays(arrays, list(columns)))


class Together(unittest.TestCase):
    def setUp(self):
        rng = random.Random(2)
        rows = []
        for number in range(300):
            card = rng.randrange(60)
            whole = 0.0
            lines = []
            for place in range(rng.randint(1, 4)):
                item, pieces = rng.randrange(80), rng.choice((1, 1, 2, 3))
                total = pieces * (1 + item / 4)
                whole += total
                lines.append((number, f"K{card}", f"D{card % 7}", place + 1, f"I{item}",
                              ("North", "South")[number % 2], pieces, f"{1 + item / 4:.2f}",
                              f"{total:.2f}"))  # fmt: skip
            rows += [(*line, f"{whole:.2f}") for line in lines]
        self.lines = rows
        names = [
            "receipt",
            "card",
            "district",
            "place",
            "item",
            "shop",
            "pieces",
            "price",
            "total",
            "whole",
        ]
        self.sample = sample(**dict(zip(names, zip(*rows, strict=True), strict=True)))
        self.receipts = self.sample.by_number("receipt")

    def test_what_is_alike_on_all_lines_of_a_receipt(self):
        self.assertEqual(self.receipts.count, 300)
        for name in ("card", "shop", "whole", "district"):
            self.assertTrue(self.sample.of_head(name, self.receipts), name)
            self.assertFalse(self.sample.of_lines(name, self.receipts), name)
        for name in ("item", "place", "total"):
            self.assertTrue(self.sample.of_lines(name, self.receipts), name)

    def test_the_order_of_the_rows_does_not_matter_for_it(self):
        mixed = random.Random(6).sample(self.lines, len(self.lines))
        names = [
            "receipt",
            "card",
            "district",
            "place",
            "item",
            "shop",
            "pieces",
            "price",
            "total",
            "whole",
        ]
        other = sample(**dict(zip(names, zip(*mixed, strict=True), strict=True)))
        receipts = other.by_number("receipt")
        self.assertEqual(receipts.count, 300)
        self.assertEqual(other.changes("card", receipts), 0)
        self.assertGreater(other.changes("item", receipts), 0.9)

    def test_customers_come_back(self):
        visits = {}
        for receipt, card, *_ in self.lines:
            visits.setdefault(card, set()).add(receipt)
        back, each = self.sample.visits("card", self.receipts)
        self.assertEqual(back, sum(len(found) > 1 for found in visits.values()))
        self.assertAlmostEqual(each, 300 / len(visits))

    def test_a_card_has_one_district_and_a_district_many_cards(self):
        self.assertTrue(self.sample.determines("card", "district"))
        self.assertFalse(self.sample.determines("district", "card"))
        self.assertFalse(self.sample.determines("card", "item"))

    def test_pieces_times_price_and_the_total_of_a_receipt(self):
        share, *names = self.sample.products()[0]
        self.assertEqual((share, names), (1.0, ["pieces", "price", "total"]))
        self.assertEqual(self.sample.sums_over("whole", self.receipts), "total")
        self.assertEqual(self.sample.sums_over("price", self.receipts), "")

    def test_places_count_up_and_codes_do_not(self):
        self.assertTrue(self.sample.counts_up("place"))
        self.assertTrue(self.sample.counts_up("receipt"))
        self.assertFalse(self.sample.counts_up("pieces"))
        self.assertFalse(self.sample.counts_up("item"))


class Numbers(unittest.TestCase):
    def test_numbers_that_begin_anew_are_parted_by_their_dates(self):
        days = [f"2026-01-{1 + n // 40:02d}" for n in range(120)]
        found = sample(bon=[n % 40 // 2 for n in range(120)], day=days).by_number("bon")
        self.assertEqual(found.count, 60)

    def test_rows_without_a_number_are_receipts_of_their_own(self):
        found = sample(bon=["1", "1", "", "", "2"]).by_number("bon")
        self.assertEqual(found.count, 4)

    def test_without_lines_of_one_receipt_nothing_is_told(self):
        alone = Receipts.of(np.arange(50))
        self.assertTrue(np.isnan(alone.changes(np.arange(50))))


if __name__ == "__main__":
    unittest.main()
