"""Costs, worth and budgets, by plain arithmetic."""

from __future__ import annotations

import math
import unittest

import numpy as np

from sortija.core.campaigns.differences import Difference
from sortija.core.campaigns.effect import spend_effect
from sortija.core.campaigns.money import Costs, affordable, break_even, cut, worth
from tests.core.campaigns.worlds import sent

COSTS = Costs(contact=0.6, fixed=90, discount=4, margin=0.35)


class Worth(unittest.TestCase):
    def test_net_is_the_margin_less_all_costs(self) -> None:
        found = worth(Difference(12, 9, 3, 1, 5, 1, 0.01), 0.25, 400, COSTS)
        self.assertAlmostEqual(found.won, 3 * 400 * 0.35)
        self.assertAlmostEqual(found.cost, 90 + 0.6 * 400)
        self.assertAlmostEqual(found.given, 4 * 0.25 * 400)
        self.assertAlmostEqual(found.net, found.won - found.cost - found.given)
        self.assertAlmostEqual(found.high - found.low, 4 * 400 * 0.35)

    def test_its_interval_holds_the_truth(self) -> None:
        rng, inside = np.random.default_rng(31), 0
        for _ in range(400):
            one = sent(rng, 1200, 0.5, 0.3, 0.05)
            written = int((~one.arms.held).sum())
            spend = spend_effect(one.spent, one.arms, one.before).best
            found = worth(spend, 0.3, written, COSTS)
            true = one.worth * written * 0.35 - COSTS.of(written) - 4 * 0.3 * written
            inside += found.low <= true <= found.high
        self.assertTrue(0.92 <= inside / 400 <= 0.98, inside / 400)

    def test_a_rise_at_break_even_nets_nothing(self) -> None:
        basket, unasked, written = 40.0, 0.2, 500
        rise = break_even(COSTS, written, basket, unasked)
        # Who comes because of it takes the discount, too.
        gain = rise * (basket * 0.35 - 4)
        found = worth(Difference(0, 0, gain / 0.35, 0, 0, 0, 0), unasked, written, COSTS)
        self.assertAlmostEqual(found.net, 0)

    def test_a_basket_that_leaves_nothing_never_pays(self) -> None:
        self.assertTrue(math.isnan(break_even(COSTS, 500, 10.0)))
        self.assertTrue(math.isnan(break_even(COSTS, 0, 100.0)))


class Budget(unittest.TestCase):
    def test_the_greatest_come_first(self) -> None:
        rng = np.random.default_rng(2)
        value, second = rng.integers(0, 5, 300).astype(float), rng.random(300)
        value[::50] = np.nan
        kept = cut([value, second], 100)
        plain = sorted(
            (i for i in range(300) if i % 50), key=lambda i: (-value[i], -second[i])
        )[:100]  # fmt: skip
        self.assertEqual(set(np.flatnonzero(kept)), set(plain))
        self.assertEqual(int(cut([value], 298).sum()), 298)  # those who are not known come last

    def test_an_audience_is_as_large_as_the_money_lasts_for_and_no_larger(self) -> None:
        for budget in (89, 90, 91, 100, 133.7, 500):
            for holdout in (0.0, 0.1, 0.3, 0.5, 0.9):
                size = affordable(budget, COSTS, holdout, 10_000)

                def cost(n: int, share: float = holdout) -> float:
                    return COSTS.of(n - round(n * share))

                if size:
                    self.assertLessEqual(cost(size), budget)
                if budget >= COSTS.fixed and size < 10_000:
                    self.assertGreater(cost(size + 1), budget)

    def test_nobody_where_the_fixed_cost_is_too_much_and_all_where_letters_are_free(self) -> None:
        self.assertEqual(affordable(80, COSTS, 0.2, 9), 0)
        self.assertEqual(affordable(0, Costs(), 0.2, 9), 9)


if __name__ == "__main__":
    unittest.main()
