"""Effects against published examples, SciPy, and campaigns whose truth is known."""

from __future__ import annotations

import unittest

import numpy as np
from scipy import stats

from sortija.core.campaigns.differences import mean_difference, share_difference, slope_on
from sortija.core.campaigns.effect import (
    came_anyway,
    effect_of,
    parts_of,
    spend_effect,
    versions_of,
)
from sortija.core.campaigns.holdout import draw_versions
from sortija.core.campaigns.strata import arms_of
from sortija.core.measures.intervals import newcombe
from tests.core.campaigns.worlds import sent


def _arms(written: tuple[int, int], held: tuple[int, int]):
    """(came, of) of each arm, as customers."""
    is_held = np.repeat([False, True], [written[1], held[1]])
    came = np.concatenate([np.arange(n) < x for x, n in (written, held)])
    return came, arms_of(is_held)


class Strata(unittest.TestCase):
    def test_small_ones_are_read_together(self) -> None:
        stratum = np.repeat([3, 5, 8, 9], [40, 40, 12, 12])
        held = np.arange(len(stratum)) % 4 == 0
        arms = arms_of(held, stratum)
        self.assertEqual(arms.sizes.tolist(), [[30, 30, 18], [10, 10, 6]])
        self.assertAlmostEqual(float(arms.weight.sum()), 1.0)
        np.testing.assert_array_equal(arms.stratum[:80], np.repeat([0, 1], 40))

    def test_what_is_too_small_for_one_of_its_own_goes_to_the_largest(self) -> None:
        stratum = np.repeat([1, 2, 3], [20, 60, 8])
        held = np.arange(88) % 2 == 0
        held[80:] = False
        self.assertEqual(arms_of(held, stratum).sizes.tolist(), [[10, 38], [10, 30]])

    def test_one_arm_alone_is_no_comparison(self) -> None:
        with self.assertRaisesRegex(ValueError, "nobody is held out"):
            arms_of(np.zeros(5, bool))
        with self.assertRaisesRegex(ValueError, "nobody is written to"):
            arms_of(np.ones(5, bool))


class Differences(unittest.TestCase):
    def test_without_strata_shares_are_newcombes(self) -> None:
        # Newcombe 1998, table II, method 10.
        for written, held, low, high in (
            ((56, 70), (48, 80), 0.0524, 0.3339),
            ((9, 10), (3, 10), 0.1705, 0.8090),
            ((5, 56), (0, 29), -0.0381, 0.1926),
            ((0, 10), (0, 20), -0.1611, 0.2775),
            ((10, 10), (0, 10), 0.6075, 1.0),
        ):
            found = share_difference(*_arms(written, held))
            self.assertAlmostEqual(found.low, low, places=4)
            self.assertAlmostEqual(found.high, high, places=4)
            np.testing.assert_allclose((found.low, found.high), newcombe(written, held), atol=1e-12)

    def test_without_strata_means_are_welchs(self) -> None:
        rng = np.random.default_rng(3)
        values, held = rng.gamma(1, 30, 300), np.arange(300) % 3 == 0
        found = mean_difference(values, arms_of(held))
        test = stats.ttest_ind(values[~held], values[held], equal_var=False)
        self.assertAlmostEqual(found.p, float(test.pvalue))
        low, high = test.confidence_interval(0.95)
        self.assertAlmostEqual(found.low, low)
        self.assertAlmostEqual(found.high, high)

    def test_the_p_of_shares_in_strata_is_that_of_cochran(self) -> None:
        one = sent(np.random.default_rng(5), 900, 0.4, 0.3, 0.06)
        arms = one.arms
        found = share_difference(one.came, arms)
        gap, spread = 0.0, 0.0
        for number, weight in enumerate(arms.weight):
            mine = arms.stratum == number
            x, y = one.came[mine & ~arms.held], one.came[mine & arms.held]
            both = one.came[mine].mean()
            gap += weight * (x.mean() - y.mean())
            spread += weight**2 * both * (1 - both) * (1 / len(x) + 1 / len(y))
        self.assertAlmostEqual(found.difference, gap)
        self.assertAlmostEqual(found.p, 2 * stats.norm.sf(abs(gap) / np.sqrt(spread)))
        self.assertAlmostEqual(found.by_luck, found.p / 2)

    def test_the_slope_is_that_of_a_regression_with_an_own_level_in_each_cell(self) -> None:
        one = sent(np.random.default_rng(8), 400, 0.5, 0.3, 0.1)
        cell = one.arms.stratum * 2 + one.arms.held
        levels = (cell[:, None] == np.unique(cell)).astype(float)
        design = np.column_stack([one.before, levels])
        fitted = np.linalg.lstsq(design, one.spent, rcond=None)[0]
        self.assertAlmostEqual(slope_on(one.spent, one.before, one.arms), fitted[0])


class Truth(unittest.TestCase):
    """2,000 campaigns each."""

    def covered(self, rise: float) -> None:
        rng = np.random.default_rng([17, round(100 * rise)])
        inside, false, differ, told = np.zeros(3), 0, 0, 0
        for _ in range(2000):
            one = sent(rng, 1000, 0.4, 0.25, rise)
            found = effect_of(one.came, one.arms, one.spent, one.before)
            spend = found.spend
            inside += [
                found.returned.low <= one.rise <= found.returned.high,
                spend.plain.low <= one.worth <= spend.plain.high,
                spend.adjusted.low <= one.worth <= spend.adjusted.high,
            ]
            told += not np.isnan(spend.plain.low)
            false += found.returned.p < 0.05
            differ += parts_of(one.came, one.arms, one.segment).differ < 0.05
        self.assertEqual(told, 2000)
        for share in inside / 2000:
            self.assertTrue(0.935 <= share <= 0.965, inside / 2000)
        self.assertLessEqual(differ / 2000, 0.06)
        if not rise:
            self.assertLessEqual(false / 2000, 0.06)

    def test_intervals_hold_the_truth_and_nothing_is_told_where_nothing_is(self) -> None:
        self.covered(0.0)

    def test_intervals_hold_a_true_effect(self) -> None:
        self.covered(0.08)

    def test_strata_make_an_interval_narrower(self) -> None:
        one = sent(np.random.default_rng(2), 4000, 0.5, 0.25, 0.05)
        plain = share_difference(one.came, arms_of(one.arms.held))
        within = share_difference(one.came, one.arms)
        self.assertLess(within.high - within.low, plain.high - plain.low)

    def test_segments_that_differ_are_told_to(self) -> None:
        rng = np.random.default_rng(23)
        told = [
            parts_of(one.came, one.arms, one.segment).differ < 0.05
            for one in (sent(rng, 3000, 0.5, 0.25, 0.1, apart=0.1) for _ in range(50))
        ]
        self.assertGreater(sum(told), 40)


class Reading(unittest.TestCase):
    def test_few_buyers_get_no_interval_of_spend(self) -> None:
        held = np.arange(200) % 2 == 0
        spent = np.where(np.arange(200) < 98, 10.0, 0.0)
        found = spend_effect(spent, arms_of(held))
        self.assertTrue(np.isnan([found.plain.low, found.plain.high, found.plain.p]).all())
        self.assertIsNone(found.adjusted)

    def test_who_spent_nothing_before_is_not_capped_at_nothing(self) -> None:
        held = np.arange(400) % 2 == 0
        spent = np.where(np.arange(400) % 3 > 0, 20.0, 0.0)
        found = spend_effect(spent, arms_of(held), np.zeros(400))
        self.assertTrue(np.isnan(found.cap))
        self.assertEqual(found.adjusted.difference, found.plain.difference)

    def test_spend_is_capped_by_what_was_spent_before(self) -> None:
        rng = np.random.default_rng(4)
        before = rng.gamma(2, 50, 1000)
        held = np.arange(1000) % 2 == 0
        spent = before.copy()
        spent[1] = 1e6
        found = spend_effect(spent, arms_of(held), before)
        self.assertAlmostEqual(found.cap, float(np.quantile(before, 0.99)))
        self.assertGreater(found.plain.difference, 1000)
        self.assertLess(abs(found.best.difference), 10)

    def test_parts_are_widened_for_as_many_looks(self) -> None:
        one = sent(np.random.default_rng(6), 900, 0.5, 0.25, 0.08)
        parts = parts_of(one.came, one.arms, one.segment)
        self.assertEqual(parts.numbers, (0, 1, 2))
        self.assertEqual(sum(map(sum, parts.sizes)), 900)
        alone = parts_of(one.came, one.arms, np.where(one.segment == 1, 1, 0))
        wider, narrower = parts.returned[1], alone.returned[1]
        self.assertAlmostEqual(wider.difference, narrower.difference)
        self.assertGreater(wider.high - wider.low, narrower.high - narrower.low)
        single = parts_of(one.came, one.arms, np.zeros(900, int))
        self.assertTrue(np.isnan(single.differ))

    def test_a_part_in_one_arm_alone_has_no_effect(self) -> None:
        held = np.repeat([False, True, False], [40, 40, 20])
        part = np.repeat([0, 0, 1], [40, 40, 20])
        self.assertEqual(parts_of(np.ones(100, bool), arms_of(held), part).numbers, (0,))

    def test_versions_that_differ_are_told_to_and_alike_ones_are_not(self) -> None:
        rng, alike, apart = np.random.default_rng(41), 0, 0
        for _ in range(300):
            one = sent(rng, 1500, 0.3, 0.25, 0.05)
            version = draw_versions(one.arms.stratum, one.arms.held, [0.5, 0.5], 1)
            alike += versions_of(one.came, one.arms, version).differ < 0.05
            better = one.came | ((version == 2) & (rng.random(1500) < 0.15))
            apart += versions_of(better, one.arms, version).differ < 0.05
        self.assertLessEqual(alike, 25)
        self.assertGreater(apart, 200)

    def test_each_version_is_held_against_all_who_are_held_out(self) -> None:
        one = sent(np.random.default_rng(7), 1200, 0.3, 0.25, 0.08)
        version = draw_versions(one.arms.stratum, one.arms.held, [0.7, 0.3], 1)
        found = versions_of(one.came, one.arms, version)
        self.assertEqual(found.numbers, (1, 2))
        held = int(one.arms.held.sum())
        self.assertEqual([size[1] for size in found.sizes], [held, held])
        who = one.arms.held | (version == 2)
        alone = share_difference(one.came[who], one.arms.of(who), 0.975)
        self.assertAlmostEqual(found.returned[1].low, alone.low)
        single = versions_of(one.came, one.arms, (~one.arms.held).astype(int))
        self.assertTrue(np.isnan(single.differ))
        self.assertAlmostEqual(single.returned[0].difference,
                               share_difference(one.came, one.arms).difference)  # fmt: skip

    def test_who_would_have_come_anyway(self) -> None:
        found = share_difference(*_arms((40, 100), (30, 100)))
        self.assertAlmostEqual(came_anyway(found), 0.75)
        self.assertEqual(came_anyway(share_difference(*_arms((20, 100), (30, 100)))), 1.0)
        self.assertTrue(np.isnan(came_anyway(share_difference(*_arms((0, 100), (30, 100))))))
