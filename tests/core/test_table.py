"""Columns and tables keep their promises."""

import unittest

import numpy as np

from sortija.core.table import Column, Table


def number(name="a", rows=4, **rest):
    return Column(name, "number", np.arange(rows, dtype=np.float64), **rest)


class Columns(unittest.TestCase):
    def test_types_are_fixed(self):
        with self.assertRaisesRegex(TypeError, "a: number wants float64"):
            Column("a", "number", np.arange(3))
        with self.assertRaisesRegex(TypeError, "category wants int32"):
            Column("a", "category", np.arange(3.0))

    def test_who_came_since_is_missing(self):
        grown = number(why=np.zeros(4, np.uint8)).sized(6)
        self.assertEqual(grown.missing.tolist(), [False] * 4 + [True] * 2)
        self.assertEqual(grown.reasons.tolist(), [0, 0, 0, 0, 3, 3])
        levels = Column("g", "category", np.array([1, 2], np.int32), "", ("x", "y")).sized(3)
        self.assertEqual(levels.values.tolist(), [1, 2, 0])
        self.assertEqual(levels.missing.tolist(), [False, False, True])

    def test_cut_to_the_first(self):
        cut = number(why=np.arange(4, dtype=np.uint8)).sized(2)
        self.assertEqual((cut.values.tolist(), cut.reasons.tolist()), ([0.0, 1.0], [0, 1]))
        whole = number()
        self.assertIs(whole.first(9), whole)
        self.assertIs(whole.sized(4), whole)

    def test_reasons_may_be_told_when_they_are_asked_for(self):
        asked = []

        def told():
            asked.append(1)
            return np.array([0, 2, 0, 1], np.uint8)

        column = number(why=told)
        self.assertEqual((column.missing.any(), asked), (False, []))
        self.assertEqual(column.reasons.tolist(), [0, 2, 0, 1])
        self.assertEqual(column.first(2).reasons.tolist(), [0, 2])
        self.assertEqual(column.sized(5).reasons.tolist(), [0, 2, 0, 1, 3])
        self.assertEqual(len(asked), 1)


class Tables(unittest.TestCase):
    def test_by_name_and_in_order(self):
        table = Table((number("b"), number("a")))
        self.assertEqual(table.names, ("b", "a"))
        self.assertEqual([c.name for c in table], ["b", "a"])
        self.assertIn("a", table)
        self.assertNotIn("c", table)
        self.assertEqual((len(table), len(Table(()))), (4, 0))
        with self.assertRaises(KeyError):
            table["c"]

    def test_some_rows_in_any_order(self):
        plan = Column("plan", "category", np.array([1, 0, 2, 2], np.int32), "", ("x", "y"))
        table = Table((number(unit="days", why=np.ones(4, np.uint8)), plan))
        taken = table.taken(np.array([3, 0, 3]))
        self.assertEqual(taken["a"].values.tolist(), [3.0, 0.0, 3.0])
        self.assertEqual((taken["a"].unit, taken["a"].reasons), ("days", None))
        self.assertEqual(taken["plan"].values.tolist(), [2, 1, 2])
        self.assertEqual(taken["plan"].levels, ("x", "y"))
        self.assertEqual((len(taken), len(table.taken(np.zeros(0, np.int64)))), (3, 0))

    def test_what_no_table_is(self):
        with self.assertRaisesRegex(ValueError, "same number of rows"):
            Table((number("a", 3), number("b", 4)))
        with self.assertRaisesRegex(ValueError, "same name"):
            Table((number("a"), number("a")))


if __name__ == "__main__":
    unittest.main()
