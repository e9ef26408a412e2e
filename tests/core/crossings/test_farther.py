"""Distances against those of the day of adoption."""

from __future__ import annotations

import unittest

import numpy as np

from sortija.core.crossings.farther import farther


class Distances(unittest.TestCase):
    def test_who_has_drifted_is_told_and_chance_is_not(self) -> None:
        told = 0
        for seed in range(100):
            rng = np.random.default_rng(seed)
            own, later = rng.integers(0, 3, 900), rng.integers(0, 3, 900)
            same = farther(3, (own, rng.gamma(2, 1, 900)), (later, rng.gamma(2, 1, 900)))
            told += any(each.told for each in same)
        self.assertLessEqual(told, 10)  # of 100 worlds; five are due
        rng = np.random.default_rng(1)
        then = rng.gamma(2, 1, 900)
        now = np.where(own == 1, rng.gamma(2, 1.6, 900), rng.gamma(2, 1, 900))
        found = farther(3, (own, then), (own, now))
        self.assertTrue(found[1].told)
        self.assertGreater(found[1].now, found[1].then)
        mine = np.sort(then[own == 1])
        edge = mine[-int(len(mine) / 100) - 1]
        self.assertAlmostEqual(found[1].beyond, float((now[own == 1] > edge).mean()))

    def test_of_few_nothing_is_told(self) -> None:
        own = np.zeros(15, int)
        [found] = farther(1, (own, np.ones(15)), (own, np.ones(15) * 9))
        self.assertTrue(np.isnan(found.beyond))
        self.assertFalse(found.told)
