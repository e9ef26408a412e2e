"""Descriptions and preparations against their definitions."""

import unittest

import numpy as np
from scipy import stats

from sortija.core.measures.describe import axis_for, describe, outline, shape, skewness, steps_for
from sortija.core.measures.fences import fences_of
from sortija.core.measures.preparation import (
    PRESETS,
    Fitted,
    Steps,
    apply,
    fit,
    mode_of,
    propose,
    restore,
    touched,
)
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

    def test_outlines_of_some_are_their_shape_and_median(self):
        values = np.random.default_rng(2).lognormal(3, 2, 3000) - 4
        values[::7] = np.nan
        rows = np.flatnonzero(np.random.default_rng(3).random(3000) < 0.4)
        there = values[rows][~np.isnan(values[rows])]
        for log in (False, True):
            axis = axis_for(there, log)
            counts, median = outline(values, rows, axis, 31)
            self.assertEqual(counts.tolist(), shape(there, axis, 31).tolist())
            self.assertEqual(median, np.median(there))
        flat = axis_for(np.zeros(0), False)
        self.assertTrue(np.isnan(outline(values, rows[:0], flat)[1]))


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

    def test_ranks_are_normal_scores_of_as_many_customers_as_there_are(self):
        for n in (5, 20, 300, 5000):
            values = np.random.default_rng(n).permutation(n).astype(float)
            got = apply(values, fit(column(values), Steps(scale="rank")))
            wanted = stats.norm.ppf((stats.rankdata(values) - 0.375) / (n + 0.25))
            inside = np.abs(wanted) < 2  # between knots the tails are read off a line
            np.testing.assert_allclose(got[inside], wanted[inside], atol=0.02)
            for end in (values.argmin(), values.argmax()):
                self.assertAlmostEqual(got[end], wanted[end])
            back = restore(got, fit(column(values), Steps(scale="rank")))
            np.testing.assert_allclose(back, values, atol=0.01 * n)

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


class Choices(unittest.TestCase):
    values = np.random.default_rng(9).lognormal(2, 1, 2000)

    def test_the_commonest_value_fills(self):
        given = np.array([3.0, 1.0, np.nan, 3.0, 1.0, 7.0])
        self.assertEqual(mode_of(given[~np.isnan(given)]), 1.0)  # the lowest of several
        fitted = fit(column(given), Steps(fill="mode", scale="none"))
        self.assertEqual(apply(given, fitted).tolist(), [3, 1, 1, 3, 1, 7])
        self.assertTrue(np.isnan(mode_of(np.zeros(0))))

    def test_capped_at_the_fences(self):
        fences = fences_of(self.values)
        fitted = fit(column(self.values), Steps(fences=True, cap=0.05, scale="none"))
        got = apply(self.values, fitted)
        self.assertEqual(got.max(), fences.high)
        self.assertEqual(got.min(), self.values.min())  # no fence beyond the lowest value
        self.assertEqual((got == fences.high).sum(), fences.above)

    def test_whom_a_choice_touches(self):
        given = self.values.copy()
        given[:30] = np.nan
        rows = np.arange(len(given)) >= 10
        for fill, filled, left in (("median", 20, 0), ("leave out", 0, 20), ("mode", 20, 0)):
            hit = touched(given, fit(column(given), Steps(fill=fill, cap=0.02)), rows)
            self.assertEqual((hit.filled.sum(), hit.left_out.sum()), (filled, left))
            low, high = np.nanquantile(given, (0.02, 0.98))
            self.assertEqual(hit.raised.sum(), (given < low).sum())
            self.assertEqual(hit.lowered.sum(), (given > high).sum())
            self.assertFalse((hit.raised & hit.lowered).any())

    def test_quartiles_that_are_alike_give_way_to_the_sd(self):
        given = np.array([0.0] * 90 + [5.0, 9, 1, 2, 3, 4, 6, 7, 8, 10])
        fitted = fit(column(given), Steps(scale="robust"))
        self.assertTrue(fitted.instead)
        self.assertAlmostEqual(fitted.spread, given.std())
        self.assertFalse(fit(column(self.values), Steps(scale="robust")).instead)

    def test_what_is_proposed(self):
        rng = np.random.default_rng(4)
        shares = rng.beta(0.4, 4, 4000)
        for name, values, transform, cap in (
            ("a bell", rng.normal(0, 1, 4000), "none", 0.0),
            ("spend", rng.lognormal(4, 1.2, 4000), "log", 0.0),
            ("shares near 0", shares, "root", 0.0),
            ("crowded at the top", 1 - shares**3, "none", 0.01),
            ("a slip of the till", np.append(rng.normal(0, 1, 4000), 900), "log", 0.01),
            ("the same for all", np.full(40, 3.0), "none", 0.0),
        ):
            with self.subTest(name):
                steps = propose(column(values))
                self.assertEqual((steps.transform, steps.cap), (transform, cap))
                self.assertEqual((steps.fill, steps.scale), ("leave out", "z"))
        self.assertEqual(propose(column([np.nan, np.nan])), Steps())

    def test_presets_prepare_anything(self):
        for preset in PRESETS:
            steps = preset.steps or propose(column(self.values))
            got = apply(self.values, fit(column(self.values), steps))
            self.assertTrue(np.isfinite(got).all(), preset.name)
            again = Fitted.from_json(fit(column(self.values), steps).as_json())
            np.testing.assert_array_equal(apply(self.values, again), got)

    def test_no_comb_in_whole_numbers(self):
        visits = np.random.default_rng(5).integers(0, 140, 9000).astype(float)
        axis = axis_for(visits, log=False)
        steps = steps_for(axis, True, 48)
        self.assertLessEqual(steps, 48)
        bars = shape(visits, axis, steps)
        self.assertLess(bars[:-1].max() / bars[:-1].min(), 1.8)
        self.assertEqual(steps_for(axis, False, 48), 48)


if __name__ == "__main__":
    unittest.main()
