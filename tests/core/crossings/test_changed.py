"""The chance that a customer has changed, where the truth is known."""

from __future__ import annotations

import unittest

import numpy as np

from sortija.core.crossings.changed import Draws, chance_of_change, concave_majorant

DRAWS = 100


class Told(unittest.TestCase):
    def _draws(self, rng: np.random.Generator, changed: np.ndarray) -> Draws:
        """Unchanged customers fall anywhere, changed ones mostly low (a beta law)."""
        even = rng.random(len(changed))
        low = rng.beta(0.25, 6.0, len(changed))
        place = np.floor(np.where(changed, low, even) * (DRAWS + 1)).astype(int)
        return Draws(place, np.zeros_like(place), np.ones(len(changed), np.bool_), DRAWS)

    def test_told_and_true_agree(self) -> None:
        told: dict[float, list[tuple[float, float, int]]] = {0.5: [], 0.8: []}
        for seed in range(10):
            rng = np.random.default_rng(seed)
            changed = rng.random(6000) < 0.12
            chance = chance_of_change(self._draws(rng, changed), rng.poisson(20, 6000))
            for level, rows in told.items():
                who = chance >= level
                rows.append((chance[who].sum(), changed[who].sum(), int(who.sum())))
        for level, rows in told.items():
            said, real, many = np.sum(rows, axis=0)
            with self.subTest(level):
                self.assertGreater(many, 1000)
                self.assertAlmostEqual(said / many, real / many, delta=0.06)

    def test_nobody_is_told_of_where_nobody_changed(self) -> None:
        worlds = 0
        for seed in range(60):
            rng = np.random.default_rng(seed)
            draws = self._draws(rng, np.zeros(2000, np.bool_))
            worlds += bool((chance_of_change(draws, rng.poisson(9, 2000)) >= 0.5).any())
        self.assertLessEqual(worlds, 3)  # one in a hundred or so

    def test_more_change_where_a_customer_went_farther(self) -> None:
        rng = np.random.default_rng(1)
        draws = self._draws(rng, rng.random(1200) < 0.3)
        chance = chance_of_change(draws, np.full(1200, 4.0))
        order = np.argsort(draws.farther)
        self.assertTrue((np.diff(chance[order]) <= 1e-12).all())

    def test_ties_stand_anywhere_among_their_likes(self) -> None:
        """Customers of whom chance makes but four arrangements are no heap at the end."""
        rng = np.random.default_rng(6)
        n = 3000
        quarter = (DRAWS + 1) // 4
        place = rng.integers(0, 4, n) * quarter
        draws = Draws(place, np.full(n, quarter - 1), np.ones(n, np.bool_), DRAWS)
        self.assertEqual(chance_of_change(draws, np.ones(n)).max(), 0.0)
        changed = rng.random(n) < 0.4
        draws = draws._replace(farther=np.where(changed, 0, place))
        chance = chance_of_change(draws, np.ones(n))
        first = draws.farther == 0
        self.assertAlmostEqual(float(chance[first].mean()), float(changed[first].mean()), delta=0.1)

    def test_who_cannot_be_told_stays_so(self) -> None:
        there = np.array([False, True, False])
        draws = Draws(np.full(3, 50), np.zeros(3, np.int64), there, DRAWS)
        self.assertEqual(np.isnan(chance_of_change(draws, np.ones(3))).tolist(), [1, 0, 1])
        nobody = draws._replace(there=~np.ones(3, np.bool_))
        self.assertTrue(np.isnan(chance_of_change(nobody, np.ones(3))).all())

    def test_the_majorant_lies_above_and_touches(self) -> None:
        rng = np.random.default_rng(2)
        for _ in range(20):
            heights = np.concatenate([[0.0], np.cumsum(rng.random(30))])
            line = np.concatenate([[0.0], np.cumsum(concave_majorant(heights))])
            self.assertTrue((line >= heights - 1e-12).all())
            self.assertTrue((np.diff(line, 2) <= 1e-12).all())
            self.assertAlmostEqual(line[-1], heights[-1])
