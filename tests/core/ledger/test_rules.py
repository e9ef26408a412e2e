"""Which rule decides under any choice of rules."""

import unittest

import numpy as np

from sortija.core.ledger.rules import BIT, RULES, deciding_rule, default_rules, mask_of

KEYS = [rule.key for rule in RULES]


class Choices(unittest.TestCase):
    def test_first_rule_that_is_on_decides(self):
        bits = np.array([8 | 32, 32, 64, 0, BIT["extreme"] | 64], np.int32)
        decided = deciding_rule(bits, mask_of(["void", "no_customer", "extreme"])).tolist()
        names = [KEYS[place] if place >= 0 else "" for place in decided]
        self.assertEqual(names, ["void", "no_customer", "", "", "extreme"])

    def test_every_rule_has_a_bit_of_its_own(self):
        self.assertEqual(sum(rule.bit for rule in RULES), (1 << len(RULES)) - 1)

    def test_fixed_rules_cannot_be_left_out(self):
        self.assertEqual(mask_of([]) & 3, 3)
        with self.assertRaisesRegex(KeyError, "no rule called voids"):
            mask_of(["voids"])

    def test_what_an_analyst_has_to_look_at_is_never_dropped_by_itself(self):
        for key in ("returns", "returned", "unmatched", "negative", "zero", "extreme"):
            self.assertNotIn(key, default_rules())


if __name__ == "__main__":
    unittest.main()
