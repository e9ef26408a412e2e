"""Where the arms are later: told where they differ, and not where nothing is going on."""

import unittest

import numpy as np

from sortija.core.campaigns.later import LEAST_IN_STATE, states_apart
from sortija.core.campaigns.strata import arms_of


def world(rng, customers, moved, share=0.3):
    """States of 0 to 4 by strata; ``moved``: the share of those written to who go from 1 to 0."""
    stratum = rng.integers(0, 6, customers)
    held = rng.random(customers) < share
    odds = np.array([[6, 5, 4, 3, 2], [2, 6, 5, 4, 3], [1, 1, 5, 6, 5]], float)[stratum % 3]
    steps = np.cumsum(odds / odds.sum(axis=1, keepdims=True), axis=1)
    state = (rng.random(customers)[:, None] > steps[:, :-1]).sum(axis=1)
    goes = (state == 1) & ~held & (rng.random(customers) < moved)
    return np.where(goes, 0, state), arms_of(held, stratum)


def told(found):
    return {e.number for e in found if e.gap and (e.gap.low > 0 or e.gap.high < 0)}


class Later(unittest.TestCase):
    def test_where_nothing_is_going_on_at_most_5_in_100_campaigns_tell_of_any_state(self):
        rng = np.random.default_rng(3)
        wrong = sum(bool(told(states_apart(*world(rng, 1500, 0)))) for _ in range(600))
        self.assertLessEqual(wrong / 600, 0.05 + 2.5 * np.sqrt(0.05 * 0.95 / 600))
        self.assertGreater(wrong, 6)  # nor are intervals far too wide

    def test_moves_that_a_campaign_brought_about_are_found_where_they_are(self):
        rng = np.random.default_rng(4)
        found = [told(states_apart(*world(rng, 6000, 0.35))) for _ in range(40)]
        self.assertGreater(sum({0, 1} <= each for each in found), 36)
        self.assertLess(sum(bool(each - {0, 1}) for each in found), 6)

    def test_intervals_hold_the_truth(self):
        rng = np.random.default_rng(5)
        inside = []
        for _ in range(300):
            state, arms = world(rng, 2000, 0)
            inside.append(all(e.gap.low <= 0 <= e.gap.high for e in states_apart(state, arms)))
        self.assertGreater(np.mean(inside), 0.92)

    def test_of_a_handful_nothing_is_told_and_nobody_is_lost(self):
        held = np.arange(200) % 2 == 0
        state = np.zeros(200, int)
        state[: LEAST_IN_STATE - 1] = 2
        found = states_apart(state, arms_of(held))
        self.assertEqual([(e.number, e.customers, e.gap) for e in found],
                         [(0, 181, None), (2, 19, None)])  # fmt: skip


if __name__ == "__main__":
    unittest.main()
