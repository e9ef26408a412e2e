"""Cautions about prepared columns: skew that is left, levels too rare to weigh so much."""

import unittest

import numpy as np

from sortija.core.groups.cautions import cautions_about
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.measures.preparation import Steps
from sortija.core.table import Column, Table


class Cautions(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(1)
        n = 1000
        codes = np.r_[np.repeat([1, 2], 490), np.arange(3, 23)].astype(np.int32)
        self.table = Table((
            Column("money", "number", rng.lognormal(3, 1.2, n)),
            Column("days", "number", rng.normal(size=n)),
            Column("town", "category", codes, "", tuple(f"t{i}" for i in range(22))),
        ))  # fmt: skip

    def about(self, **steps):
        numeric = {"money": Steps(**steps), "days": Steps()}
        return cautions_about(prepare(self.table, Recipe(numeric, ("town",), pool=self.pool)))

    pool = 0.0

    def test_skew_that_is_left_and_rare_levels(self):
        skewed, rare = self.about()
        self.assertIn("money is skewed as prepared", skewed)
        self.assertIn("town has 20 values with under 1%", rare)

    def test_a_log_and_pooling_settle_them(self):
        self.pool = 0.01
        self.assertEqual(self.about(transform="log"), ())
        self.assertEqual(len(self.about()), 1)


if __name__ == "__main__":
    unittest.main()
