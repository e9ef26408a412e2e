"""The chance that a customer has changed, where the truth is known."""

from __future__ import annotations

import unittest

import numpy as np

from sortija.core.crossings.changed import chance_of_change, concave_majorant

DRAWS = 100


class Told(unittest.TestCase):
    def _p(self, rng: np.random.Generator, changed: np.ndarray) -> np.ndarray:
        """Unchanged customers fall anywhere, changed ones mostly low (a beta law)."""
        even = rng.random(len(changed))
        low = rng.beta(0.25, 6.0, len(changed))
        return (np.floor(np.where(changed, low, even) * (DRAWS + 1)) + 1) / (DRAWS + 1)

    def test_told_and_true_agree(self) -> None:
        told: dict[float, list[tuple[float, float, int]]] = {0.5: [], 0.8: []}
        for seed in range(10):
            rng = np.random.default_rng(seed)
            changed = rng.random(6000) < 0.12
            chance = chance_of_change(self._p(rng, changed), rng.poisson(20, 6000), DRAWS)
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
            p = self._p(rng, np.zeros(2000, np.bool_))
            worlds += bool((chance_of_change(p, rng.poisson(9, 2000), DRAWS) >= 0.5).any())
        self.assertLessEqual(worlds, 3)  # one in a hundred or so

    def test_more_change_where_a_customer_went_farther(self) -> None:
        rng = np.random.default_rng(1)
        p = self._p(rng, rng.random(1200) < 0.3)
        chance = chance_of_change(p, np.full(1200, 4.0), DRAWS)
        order = np.argsort(p)
        self.assertTrue((np.diff(chance[order]) <= 1e-12).all())

    def test_who_cannot_be_told_stays_so(self) -> None:
        p = np.array([np.nan, 0.5, np.nan])
        self.assertEqual(np.isnan(chance_of_change(p, np.ones(3), DRAWS)).tolist(), [1, 0, 1])
        self.assertTrue(np.isnan(chance_of_change(p[:1], np.ones(1), DRAWS)).all())

    def test_the_majorant_lies_above_and_touches(self) -> None:
        rng = np.random.default_rng(2)
        for _ in range(20):
            heights = np.concatenate([[0.0], np.cumsum(rng.random(30))])
            line = np.concatenate([[0.0], np.cumsum(concave_majorant(heights))])
            self.assertTrue((line >= heights - 1e-12).all())
            self.assertTrue((np.diff(line, 2) <= 1e-12).all())
            self.assertAlmostEqual(line[-1], heights[-1])
