"""Descriptions and preparations against their definitions."""

import unittest

import numpy as np
from scipy import stats

from sortija.core.measures.describe import axis_for, describe, shape, skewness
from sortija.core.measures.preparation import Fitted, Steps, apply, fit, propose
from sortija.core.table import Column


def column(values):
    return Column("x", "number", np.array(values, float))


class Describing(unittest.TestCase):
    def test_against_scipy(self):
        values = np.random.default_rng(1).gamma(0.7, 3, 5000)
        got = describe(column(values))
        self.assertAlmostEqual(got.skew, stats.skew(values))
        self.assertAlmostEqual(got.sd, values.std())
        self.assertEqual((got.quartile_1, got.median), tuple(np.quantile(values, (0.25, 0.5))))

    def test_missing_is_counted_by_reason(self):
        reasons = np.array([0, 1, 2, 2], np.uint8)
        got = describe(
            Column("x", "number", np.array([0.0, np.nan, np.nan, np.nan]), "", (), reasons)
        )
        self.assertEqual(got.missing, {"no visit in the window": 1, "too few visits": 2})
        self.assertEqual((got.count, got.zeros), (1, 1))

    def test_constants_and_nothing(self):
        self.assertEqual(skewness(np.full(9, 0.1)), 0.0)
        self.assertEqual(describe(column([np.nan])).count, 0)

    def test_shapes_hold_everyone(self):
        values = np.random.default_rng(2).lognormal(3, 2, 3000)
        for log in (False, True):
            self.assertEqual(shape(values, axis_for(values, log)).sum(), 3000)


class Preparing(unittest.TestCase):
    values = np.random.default_rng(3).lognormal(3, 1, 4000)

    def test_order_of_the_steps(self):
        steps = Steps(fill="median", cap=0.05, transform="log", scale="z")
        given = self.values.copy()
        given[:10] = np.nan
        low, high = np.nanquantile(given, (0.05, 0.95))
        filled = np.where(np.isnan(given), np.nanmedian(given), given)
        bent = np.log1p(np.clip(filled, low, high))
        there = np.log1p(np.clip(given[10:], low, high))
        got = apply(given, fit(column(given), steps))
        np.testing.assert_allclose(got, (bent - there.mean()) / there.std(), atol=1e-12)

    def test_scales(self):
        for scale, check in (
            ("z", lambda v: (abs(v.mean()) < 1e-12, abs(v.std() - 1) < 1e-12)),
            ("range", lambda v: (v.min() == 0, v.max() == 1)),
            ("robust", lambda v: (np.median(v) == 0, abs(stats.iqr(v) - 1) < 1e-12)),
            ("rank", lambda v: (abs(v.mean()) < 0.01, abs(v.std() - 1) < 0.02)),
        ):  # fmt: skip
            got = apply(self.values, fit(column(self.values), Steps(scale=scale)))
            self.assertTrue(all(check(got)), scale)

    def test_half_alike_falls_back_to_the_sd(self):
        values = np.array([5.0] * 90 + [1, 9] * 5)
        fitted = fit(column(values), Steps(scale="robust"))
        self.assertAlmostEqual(fitted.spread, values.std())

    def test_frozen_constants_clamp_what_comes_later(self):
        fitted = fit(column([1, 2, 3]), Steps(scale="range"))
        self.assertEqual(apply(np.array([-5.0, 2.0, 99.0]), fitted).tolist(), [0, 0.5, 1])

    def test_a_constant_says_nothing(self):
        fitted = fit(column([4, 4, np.nan]), Steps())
        self.assertTrue(fitted.constant)
        np.testing.assert_array_equal(apply(np.array([4, 9, np.nan]), fitted), [0, 0, np.nan])

    def test_proposals(self):
        self.assertEqual(propose(column(self.values)).transform, "log")
        self.assertEqual(propose(column(np.arange(100))).transform, "none")
        self.assertEqual(propose(column([np.nan])), Steps())

    def test_json_brings_the_same_back(self):
        for scale in ("z", "rank"):
            fitted = fit(column(self.values), Steps(cap=0.01, transform="root", scale=scale))
            again = Fitted.from_json(fitted.as_json())
            np.testing.assert_array_equal(apply(self.values, again), apply(self.values, fitted))


if __name__ == "__main__":
    unittest.main()
