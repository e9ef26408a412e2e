"""Marks that only the whole ledger can tell, and rules of one's own."""

import math
import unittest

import numpy as np

from sortija.core.ledger.custom_rules import CustomRule, CustomRuleError, ready_rules
from sortija.core.ledger.flags import STAFF_PATTERNS, AmountSpread, found_bits, meant_by
from sortija.core.ledger.rules import BIT


class Found(unittest.TestCase):
    def test_staff_by_code_and_pattern(self):
        codes = ["STAFF-01", "M-1", "test99", "M-TEST", "K7", "k71", "a.b", "axb"]
        for patterns, wanted in (
            (STAFF_PATTERNS, [0, 2]),
            (["k7"], [4]),
            (["K7?", " "], [5]),
            (["*test*"], [2, 3]),
            (["a.b"], [6]),
            ([], []),
        ):
            means = meant_by(codes, patterns)
            self.assertEqual(np.flatnonzero(means).tolist(), wanted, patterns)

    def test_each_bit(self):
        no_amount = BIT["no_amount"]
        got = found_bits(
            np.array([0, 8, 0, no_amount, 0], np.int32), np.array([0, 1, -1, 0, -1], np.int32),
            np.array([5, 0, 0, 0, -70]), np.array([False, True, False, False, True]),
            np.array([False, True]), fence=69.5,
        )  # fmt: skip
        wanted = [
            0, 8 | BIT["twice"] | BIT["staff"] | BIT["zero"], BIT["zero"], no_amount,
            BIT["twice"] | BIT["extreme"],
        ]  # fmt: skip
        self.assertEqual(got.tolist(), wanted)


def fence_of(money, kind=None, bits=None):
    money = np.asarray(money, np.int64)
    spread = AmountSpread()
    none = np.zeros(len(money), np.int32)
    spread.add(np.asarray(none if kind is None else kind), money, none if bits is None else bits)
    return spread.fence()


class Extremes(unittest.TestCase):
    def test_the_fence_is_that_of_the_logarithms_quartiles(self):
        money = np.exp(np.random.default_rng(3).normal(7, 0.9, 40_000)).astype(np.int64)
        lower, upper = np.quantile(np.log(money), (0.25, 0.75))
        self.assertAlmostEqual(math.log(fence_of(money)), upper + 3 * (upper - lower), delta=0.1)

    def test_only_readable_sales_tell(self):
        plain = fence_of([100, 120, 150, 200, 400])
        kind = [0] * 5 + [1, 0, 0]
        bits = np.array([0] * 6 + [BIT["void"], 0], np.int32)
        self.assertEqual(fence_of([100, 120, 150, 200, 400, 10**9, 10**9, -5], kind, bits), plain)

    def test_one_price_for_everything_makes_little_differences_no_slips(self):
        self.assertGreater(fence_of([1000] * 99 + [9000]), 9000)
        self.assertLess(fence_of([1000] * 99 + [9000]), 20_000)

    def test_without_sales_nothing_is_extreme(self):
        self.assertEqual(fence_of([-5, 0]), math.inf)


LINES = {
    "department": np.array([0, 1, -1, 1], np.int16),
    "item": np.array([0, 1, 2, -1], np.int32),
    "site": np.full(4, -1, np.int16),
    "kind": np.array([0, 1, 2, 3], np.int8),
    "money": np.array([250, -100, 99_999, 0], np.int64),
    "quantity": np.array([1000, 2500, -1000, 12_000], np.int64),
    "second": np.array([0, 7 * 3600 - 1, 7 * 3600, 23 * 3600], np.int32),
    "day": np.array([10, 10, 10, -1], np.int32),
}
TEXTS = {"department": ("Dairy", "Gift wrap"), "item": ("A-1", "A-2", "B-1")}


def meets(**asked):
    rule = CustomRule.from_json({"slot": 0, "name": "mine", **asked})
    (ready,) = ready_rules([rule], TEXTS, 2)
    return np.flatnonzero(ready.meets(LINES)).tolist()


class Own(unittest.TestCase):
    def test_words_and_patterns(self):
        self.assertEqual(meets(column="department", words=["gift wrap"]), [1, 3])
        self.assertEqual(meets(column="item", words=["a-*", ""]), [0, 1])
        self.assertEqual(meets(column="kind", words=["void", "return"]), [1, 2])
        self.assertEqual(meets(column="site", words=["North"]), [])

    def test_ranges_hold_both_ends(self):
        self.assertEqual(meets(column="money", low=2.5), [0, 2])
        self.assertEqual(meets(column="money", low=-1, high=0), [1, 3])
        self.assertEqual(meets(column="quantity", high=1), [0, 2])
        self.assertEqual(meets(column="quantity", low=2.5, high=2.5), [1])
        self.assertEqual(meets(column="hour", high=6), [0, 1])
        self.assertEqual(meets(column="hour", low=7), [2])

    def test_what_cannot_be_asked_says_why(self):
        for words, asked in (
            ("name", {"name": " ", "column": "kind", "words": ["void"]}),
            ("no column called card", {"column": "card", "words": ["1"]}),
            ("which words", {"column": "item", "words": [" "]}),
            ("from which number", {"column": "money"}),
            ("ends before", {"column": "money", "low": 3, "high": 2}),
            ("at most 8", {"slot": 8, "column": "money", "low": 3}),
        ):
            with self.subTest(words), self.assertRaisesRegex(CustomRuleError, words):
                meets(**asked)

    def test_kept_and_read_back(self):
        for kept in (
            {"slot": 2, "name": "Wrap", "column": "department", "words": ["Gift wrap"]},
            {"slot": 0, "name": "Early", "column": "hour", "low": None, "high": 6.0},
        ):
            own = CustomRule.from_json(kept)
            self.assertEqual(CustomRule.from_json(own.to_json()), own)
        self.assertEqual(own.rule.key, "own1")
        self.assertEqual(own.explanation, "Lines whose hour of the day goes up to 6.")


if __name__ == "__main__":
    unittest.main()
