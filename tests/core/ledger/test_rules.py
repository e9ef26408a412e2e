"""Which lines count under any choice of rules, against a plain count line by line."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from sortija.core.ledger.rules import (
    RULES,
    STAFF_PATTERNS,
    Cube,
    deciding_rule,
    found_bits,
    mask_of,
    staff_cards,
    waterline,
)

KEYS = [rule.key for rule in RULES]
LINES = st.lists(
    st.tuples(st.integers(-1, 40), st.integers(0, 1023), st.integers(-500, 500)), max_size=40
)


def cube_of(lines):
    month, bits, money = zip(*lines, strict=True) if lines else ((), (), ())
    return Cube.of(np.array(month, np.int32), np.array(bits, np.int32), np.array(money, np.int64))


def decides(bits, on):
    for rule in RULES:
        if bits & rule.bit and (rule.fixed or rule.key in on):
            return rule.key
    return None


class Waterlines(unittest.TestCase):
    @given(LINES, st.sets(st.sampled_from(KEYS)))
    def test_every_line_is_somewhere_once(self, lines, on):
        line = waterline(cube_of(lines), on)
        counted = [(b, m) for _, b, m in lines if decides(b, on) is None]
        self.assertEqual(line.counted, len(counted))
        self.assertEqual(line.counted_total, sum(m for _, m in counted))
        for total in line.totals:
            mine = [m for _, b, m in lines if decides(b, on) == total.rule.key]
            meets = [m for _, b, m in lines if b & total.rule.bit]
            self.assertEqual((total.decides_lines, total.decides_money), (len(mine), sum(mine)))
            self.assertEqual((total.lines, total.money), (len(meets), sum(meets)))
        self.assertEqual(line.counted + sum(t.decides_lines for t in line.totals), len(lines))
        drawn = line.counted_lines.sum() + line.aside_lines.sum()
        self.assertEqual(drawn + line.undated_lines, len(lines))

    @given(LINES, LINES)
    def test_batches_merge(self, first, second):
        apart = waterline(Cube.merge([cube_of(first), cube_of(second)]), KEYS)
        whole = waterline(cube_of(first + second), KEYS)
        self.assertEqual(apart.counted_total, whole.counted_total)
        np.testing.assert_array_equal(apart.aside_money, whole.aside_money)

    def test_a_till_from_the_future_does_not_stretch_the_axis(self):
        line = waterline(cube_of([(650, 0, 5), (652, 0, 5), (1100, 4, 9)]), [])
        self.assertEqual(line.months.tolist(), [650, 651, 652])

    def test_first_rule_that_is_on_decides(self):
        bits = np.array([8 | 32, 32, 64, 0], np.int32)
        decided = deciding_rule(bits, mask_of(["void", "no_customer"])).tolist()
        names = [KEYS[place] if place >= 0 else "" for place in decided]
        self.assertEqual(names, ["void", "no_customer", "", ""])

    def test_every_rule_has_a_bit_of_its_own(self):
        self.assertEqual(sum(rule.bit for rule in RULES), (1 << len(RULES)) - 1)

    def test_fixed_rules_cannot_be_left_out(self):
        self.assertEqual(mask_of([]) & 3, 3)
        with self.assertRaisesRegex(KeyError, "no rule called voids"):
            mask_of(["voids"])


class Found(unittest.TestCase):
    """Bits that only the whole ledger can tell."""

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
            means = staff_cards(codes, patterns)
            self.assertEqual(np.flatnonzero(means).tolist(), wanted, patterns)

    def test_each_bit(self):
        bit = {rule.key: rule.bit for rule in RULES}
        no_amount = bit["no_amount"]
        got = found_bits(
            np.array([0, 8, 0, no_amount, 0], np.int32), np.array([0, 1, -1, 0, -1], np.int32),
            np.array([5, 0, 0, 0, 7]), np.array([False, True, False, False, True]),
            np.array([False, True]),
        )  # fmt: skip
        wanted = [
            0, 8 | bit["twice"] | bit["staff"] | bit["zero"], bit["zero"], no_amount, bit["twice"],
        ]  # fmt: skip
        self.assertEqual(got.tolist(), wanted)


if __name__ == "__main__":
    unittest.main()
