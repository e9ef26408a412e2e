"""How far measures have moved: by hand, and in worlds in which they have and have not."""

import unittest

import numpy as np

from sortija.core.crossings.drift import drift, freeze_categories, freeze_numbers


class Moved(unittest.TestCase):
    def test_by_hand(self):
        frozen = freeze_categories(np.repeat([1, 2, 3], [50, 30, 20]), 3)
        found = drift(frozen, np.repeat([1, 2, 3], [40, 30, 30]))
        wanted = -0.1 * np.log(0.4 / 0.5) + 0.1 * np.log(0.3 / 0.2)
        self.assertAlmostEqual(found.index, wanted)
        self.assertAlmostEqual(found.chance, 2 * (1 / 100 + 1 / 100))
        self.assertFalse(found.told)
        larger = drift(freeze_categories(np.repeat([1, 2], [5000, 5000]), 2),
                       np.repeat([1, 2], [6800, 3200]))  # fmt: skip
        self.assertAlmostEqual(larger.index, 0.18 * np.log(0.68 / 0.32))
        self.assertTrue(larger.told)

    def test_bins_are_tenths_of_the_day_of_adoption(self):
        frozen = freeze_numbers(np.random.default_rng(1).permutation(1000).astype(float))
        self.assertEqual(frozen.counts.tolist(), [100] * 10 + [0])
        self.assertEqual(frozen.count(np.array([-5.0, 99.0, 100.0, 5000.0, np.nan])).tolist(),
                         [2, 1, 0, 0, 0, 0, 0, 0, 0, 1, 1])  # fmt: skip

    def test_ties_make_fewer_bins(self):
        visits = np.repeat([0.0, 1.0, 2.0, 9.0], [500, 300, 150, 50])
        frozen = freeze_numbers(visits)
        self.assertEqual(frozen.counts.tolist(), [500, 300, 200, 0])
        flat = freeze_numbers(np.full(40, 3.0))
        self.assertEqual(flat.counts.tolist(), [40, 0])
        self.assertEqual(drift(flat, np.full(9, 3.0)).index, 0.0)

    def test_missing_and_unseen_count(self):
        frozen = freeze_categories(np.array([1] * 500 + [2] * 500), 2)
        self.assertEqual(frozen.count(np.array([0, 1, 2, 3, 7])).tolist(), [1, 1, 1, 2])
        unseen = drift(frozen, np.array([1] * 400 + [2] * 400 + [3] * 200))
        self.assertTrue(unseen.told)
        numbers = np.random.default_rng(2).normal(size=1000)
        gone = np.where(np.arange(1000) < 200, np.nan, numbers)
        self.assertTrue(drift(freeze_numbers(numbers), gone).told)
        self.assertIsNone(drift(freeze_numbers(np.empty(0)), numbers))
        self.assertIsNone(drift(frozen, np.empty(0)))
        with self.assertRaises(ValueError):
            freeze_categories(np.zeros(3, int), 0)

    def test_where_nothing_has_changed_nothing_is_told(self):
        rng = np.random.default_rng(3)
        for then, now in ((60, 60), (100, 30), (1000, 50), (5000, 5000)):
            found = [
                drift(freeze_numbers(rng.gamma(1, 40, then)), rng.gamma(1, 40, now))
                for _ in range(300)
            ]
            self.assertLessEqual(np.mean([each.told for each in found]), 0.02)
            # What chance is said to make is what it makes, of enough customers.
            if then > 1000:
                told = np.mean([each.index for each in found])
                self.assertAlmostEqual(told / found[0].chance, 1, delta=0.1)

    def test_where_all_have_slowed_down_it_is_told(self):
        rng = np.random.default_rng(4)
        frozen = freeze_numbers(rng.gamma(1, 40, 2000))
        self.assertTrue(all(drift(frozen, rng.gamma(1, 60, 2000)).told for _ in range(20)))


if __name__ == "__main__":
    unittest.main()
