"""When a result will be told, what several say together, and whether arms are alike."""

from __future__ import annotations

import unittest

import numpy as np

from sortija.core.campaigns.balance import imbalance
from sortija.core.campaigns.holdout import draw_holdout
from sortija.core.campaigns.pooling import pooled
from sortija.core.campaigns.power import days_until_told, smallest_effect
from sortija.core.table import Column


class Pace(unittest.TestCase):
    def test_when_it_will_be_told_a_rise_of_that_size_is_found(self) -> None:
        day = days_until_told(0.05, 0.035, 2000, 2000, 14)
        self.assertGreater(day, 14)
        one, other = (1 - (1 - share) ** (day / 14) for share in (0.05, 0.035))
        self.assertGreaterEqual(one - other, smallest_effect(2000, 2000, other) - 1e-9)
        one, other = (1 - (1 - share) ** ((day - 1) / 14) for share in (0.05, 0.035))
        self.assertLess(one - other, smallest_effect(2000, 2000, other))

    def test_no_rise_or_too_small_a_one_will_never_be_told(self) -> None:
        self.assertIsNone(days_until_told(0.03, 0.03, 500, 500, 14))
        self.assertIsNone(days_until_told(0.02, 0.05, 500, 500, 14))
        self.assertIsNone(days_until_told(0.0301, 0.03, 500, 500, 14))
        self.assertIsNone(days_until_told(0.2, 0.1, 500, 500, 0))

    def test_what_is_plain_by_now_is_told_now(self) -> None:
        self.assertEqual(days_until_told(0.3, 0.1, 1000, 1000, 20), 20)


class Pooling(unittest.TestCase):
    #: Trials of a vaccine against tuberculosis (Colditz et al. 1994): ill and well, with and
    #: without; log risk ratios.
    TRIALS = np.array([
        [4, 119, 11, 128], [6, 300, 29, 274], [3, 228, 11, 209], [62, 13536, 248, 12619],
        [33, 5036, 47, 5761], [180, 1361, 372, 1079], [8, 2537, 10, 619],
        [505, 87886, 499, 87892], [29, 7470, 45, 7232], [17, 1699, 65, 1600],
        [186, 50448, 141, 27197], [5, 2493, 3, 2338], [27, 16886, 29, 17825],
    ], float)  # fmt: skip

    def test_against_a_published_example(self) -> None:
        a, b, c, d = self.TRIALS.T
        effects = np.log(a / (a + b)) - np.log(c / (c + d))
        errors = np.sqrt(1 / a - 1 / (a + b) + 1 / c - 1 / (c + d))
        found = pooled(effects, errors)
        self.assertAlmostEqual(found.effect, -0.7141, places=4)
        self.assertAlmostEqual(found.error, 0.1787, places=4)
        self.assertAlmostEqual(found.between**2, 0.3088, places=4)
        self.assertLess(found.differ, 1e-4)

    def test_campaigns_that_agree_are_pooled_as_one(self) -> None:
        found = pooled([0.05, 0.05], [0.02, 0.02])
        self.assertEqual(found.between, 0)
        self.assertAlmostEqual(found.error, 0.02 / np.sqrt(2))
        self.assertTrue(np.isnan(found.next_low))
        alone = pooled([0.05], [0.02])
        self.assertAlmostEqual(alone.high, 0.05 + 1.959964 * 0.02, places=6)
        self.assertTrue(np.isnan(alone.differ))
        with self.assertRaises(ValueError):
            pooled([], [])

    def test_its_interval_holds_the_mean_of_true_effects(self) -> None:
        rng, inside = np.random.default_rng(9), 0
        for _ in range(1000):
            errors = rng.uniform(0.01, 0.03, 20)
            found = pooled(rng.normal(rng.normal(0.05, 0.02, 20), errors), errors)
            inside += found.low <= 0.05 <= found.high
        self.assertGreater(inside / 1000, 0.92)


class Balance(unittest.TestCase):
    def test_a_stratified_draw_is_even_and_a_chosen_list_is_not(self) -> None:
        rng = np.random.default_rng(1)
        spend = rng.gamma(2, 50, 4000)
        band = np.searchsorted(np.quantile(spend, [0.2, 0.4, 0.6, 0.8]), spend)
        held = draw_holdout(np.zeros(4000, int), band, 0.2, 5).held
        column = Column("monetary", "number", spend, "money")
        self.assertLess(abs(imbalance(column, held)), 0.1)
        chosen = imbalance(column, spend < 40)
        expected = (spend[spend >= 40].mean() - spend[spend < 40].mean()) / np.sqrt(
            (spend[spend >= 40].var(ddof=1) + spend[spend < 40].var(ddof=1)) / 2
        )
        self.assertAlmostEqual(chosen, expected)

    def test_categories_by_the_level_that_differs_most(self) -> None:
        codes = np.array([1] * 30 + [2] * 20 + [1] * 20 + [2] * 30 + [0] * 5, np.int32)
        held = np.arange(105) >= 50
        found = imbalance(Column("plan", "category", codes, "", ("plus", "none")), held)
        self.assertAlmostEqual(found, 0.2 / np.sqrt((0.24 * 50 / 49 + 0.24 * 50 / 49) / 2))
        constant = np.ones(10)
        self.assertEqual(imbalance(Column("x", "number", constant), np.arange(10) > 4), 0)
        self.assertTrue(np.isnan(imbalance(Column("x", "number", constant), np.arange(10) > 8)))
