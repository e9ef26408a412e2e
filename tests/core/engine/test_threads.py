"""Chunks, threads and the column table."""

import threading
import unittest

import numpy as np

from sortija.core.engine import CHUNK, Engine, chunk_bounds
from sortija.core.table import Column, Table


class Chunks(unittest.TestCase):
    def test_bounds_cover_every_row_once(self):
        for rows in (0, 1, CHUNK, CHUNK + 1, 5 * CHUNK - 3):
            bounds = chunk_bounds(rows)
            covered = [row for start, stop in bounds for row in (start, stop)]
            self.assertEqual(sum(stop - start for start, stop in bounds), rows)
            self.assertEqual(covered, sorted(covered))
            self.assertTrue(all(0 < stop - start <= CHUNK for start, stop in bounds))

    def test_results_come_in_chunk_order_on_any_number_of_threads(self):
        values = np.random.default_rng(1).random(4 * CHUNK + 17)
        sums = []
        for threads in (1, 2, 8):
            engine = Engine(threads)
            sums.append(engine.map(
                lambda bounds: 2.0 * float(values[slice(*bounds)].sum()), chunk_bounds(len(values))
            ))  # fmt: skip
            engine.release()
        self.assertEqual(sums[0], sums[1])
        self.assertEqual(sums[0], sums[2])

    def test_work_is_spread_and_errors_come_through(self):
        engine = Engine(2)
        meet = threading.Barrier(2, timeout=10)
        engine.map(lambda _: meet.wait(), range(2))  # would time out on a single thread
        with self.assertRaisesRegex(ZeroDivisionError, "division"):
            engine.map(lambda x: 1 / x, [1, 0])
        engine.release()


class Tables(unittest.TestCase):
    def setUp(self):
        self.number = Column("n", "number", np.array([1.0, np.nan, 3.0]))
        self.category = Column("c", "category", np.array([1, 0, 2], np.int32), "", ("a", "b"))

    def test_missing(self):
        self.assertEqual(self.number.missing.tolist(), [False, True, False])
        self.assertEqual(self.category.missing.tolist(), [False, True, False])

    def test_first_rows(self):
        reasons = np.array([0, 3, 0], np.uint8)
        column = Column("n", "number", self.number.values, "days", (), reasons).first(2)
        self.assertEqual((len(column), column.reasons.tolist(), column.unit), (2, [0, 3], "days"))
        self.assertIs(self.category.first(9), self.category)

    def test_tables_hold_equal_columns_under_different_names(self):
        table = Table((self.number, self.category))
        self.assertEqual((len(table), table.names), (3, ("n", "c")))
        self.assertIn("c", table)
        with self.assertRaisesRegex(ValueError, "same number of rows"):
            Table((self.number, self.category.first(2)))
        with self.assertRaisesRegex(ValueError, "same name"):
            Table((self.number, self.number))
        with self.assertRaisesRegex(TypeError, "wants float64"):
            Column("n", "number", np.array([1, 2]))


if __name__ == "__main__":
    unittest.main()
