"""The next mailing: intervals that hold what comes, shrinkage, several groups together."""

import unittest

import numpy as np

from sortija.core.portraits.next_mailing import expected_of_all, expected_take_up
from sortija.core.portraits.offers import Attribute
from tests.core.portraits.test_offers import THEMES, world


class Next(unittest.TestCase):
    def test_the_interval_holds_the_next_offer(self):
        """The next offer of a theme is taken by a share within the interval 95 times in 100."""
        rng, inside, of = np.random.default_rng(33), 0, 400
        for _ in range(of):
            liking = rng.normal(0.2, 0.04, 4)
            themes = rng.integers(0, 4, 25)
            rates = np.clip(liking[themes] + rng.normal(0, 0.03, 25), 0, 1)[:, None]
            past = Attribute("theme", tuple(THEMES[t] for t in themes[:24]))
            [told] = expected_take_up(rates[:24], [past], {"theme": THEMES[themes[24]]})
            inside += told.low <= rates[24, 0] <= told.high
        self.assertGreaterEqual(inside / of, 0.92)
        self.assertLessEqual(inside / of, 0.995)

    def test_shrunk_to_the_group_s_mean(self):
        rates, attributes = world(np.random.default_rng(5), lift=0.2)
        nothing = expected_take_up(rates, attributes, {})
        for g, told in enumerate(nothing):
            self.assertAlmostEqual(told.share, rates[:, g].mean())
            self.assertEqual(told.like, 24)
        liked = expected_take_up(rates, attributes, {"theme": "early start"})[1]
        mine = rates[np.arange(24) % 4 == 0, 1].mean()
        self.assertTrue(rates[:, 1].mean() < liked.share < mine)
        unheard = expected_take_up(rates, attributes, {"theme": "sing"})[0]
        self.assertEqual(unheard.like, 0)
        self.assertAlmostEqual(unheard.share, rates[:, 0].mean())
        few = expected_take_up(rates[:2], [Attribute("theme", ("a", "b"))], {})[0]
        self.assertTrue(np.isnan(few.share))

    def test_of_several_groups_together(self):
        """One offer goes to all of them: the interval of all holds what all of them take."""
        rng, inside, of = np.random.default_rng(34), 0, 400
        sizes = np.array([500, 300, 0, 80])
        for _ in range(of):
            offers = np.clip(rng.normal(0.2, 0.04, (25, 1)) + rng.normal(0, 0.02, (25, 4)), 0, 1)
            told = expected_of_all(expected_take_up(offers[:24], [], {}), sizes.tolist())
            taken = (offers[24] * sizes).sum() / sizes.sum()
            inside += told.low <= taken <= told.high
        self.assertGreaterEqual(inside / of, 0.92)
        self.assertLessEqual(inside / of, 0.99)

    def test_nothing_is_told_of_groups_that_received_too_little(self):
        rates, attributes = world(np.random.default_rng(6))
        rates[2:, 3] = np.nan
        expected = expected_take_up(rates, attributes, {})
        self.assertIsNone(expected_of_all(expected, [5, 5, 5, 5]))
        self.assertIsNotNone(expected_of_all(expected, [5, 5, 5, 0]))
        self.assertIsNone(expected_of_all(expected, [0, 0, 0, 0]))


if __name__ == "__main__":
    unittest.main()
