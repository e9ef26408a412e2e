"""Which lines count under any choice of rules, against a plain count line by line."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from sortija.core.ledger.rules import RULES, Cube, deciding_rule, mask_of, waterline

KEYS = [rule.key for rule in RULES]
LINES = st.lists(
    st.tuples(st.integers(-1, 40), st.integers(0, 127), st.integers(-500, 500)), max_size=40
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
        self.assertEqual(
            deciding_rule(bits, mask_of(["void", "no_customer"])).tolist(), [3, 5, -1, -1]
        )

    def test_fixed_rules_cannot_be_left_out(self):
        self.assertEqual(mask_of([]) & 3, 3)
        with self.assertRaisesRegex(KeyError, "no rule called voids"):
            mask_of(["voids"])


if __name__ == "__main__":
    unittest.main()
