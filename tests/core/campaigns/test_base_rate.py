"""Shares that come unasked, with their interval."""

import unittest

from sortija.core.campaigns.base_rate import base_rate


class Rates(unittest.TestCase):
    def test_of_too_few_nothing_is_learnt(self):
        self.assertIsNone(base_rate(0, 19))
        self.assertIsNone(base_rate(0, 0))
        found = base_rate(0, 200)
        self.assertEqual(found.rate, 0.0)
        self.assertGreater(found.careful, 0.015)  # nobody of 200 does not say that nobody comes
        self.assertEqual(base_rate(100, 200).careful, 0.5)


if __name__ == "__main__":
    unittest.main()
