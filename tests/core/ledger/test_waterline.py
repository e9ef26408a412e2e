"""Cubes and the waterline, against a plain count line by line."""

import unittest
from datetime import date, timedelta

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from sortija.core.calendar import step_of, step_starts
from sortija.core.ledger.cube import Cube
from sortija.core.ledger.rules import RULES, Rule
from sortija.core.ledger.waterline import waterline

KEYS = [rule.key for rule in RULES]
EPOCH = date(1970, 1, 1)
LINES = st.lists(
    st.tuples(st.integers(-1, 900), st.integers(0, 65535), st.integers(-500, 500)), max_size=40
)


def cube_of(lines):
    day, bits, money = zip(*lines, strict=True) if lines else ((), (), ())
    return Cube.of(np.array(day, np.int32), np.array(bits, np.int32), np.array(money, np.int64))


def decides(bits, on, rules=RULES):
    for rule in rules:
        if bits & rule.bit and (rule.fixed or rule.key in on):
            return rule.key
    return None


class Cubes(unittest.TestCase):
    @given(LINES)
    def test_every_combination_once(self, lines):
        cube = cube_of(lines)
        wanted = {}
        for day, bits, money in lines:
            count, total = wanted.get((day, bits), (0, 0))
            wanted[day, bits] = (count + 1, total + money)
        got = zip(*(getattr(cube, n).tolist() for n in ("key", "bits", "lines", "money")),
                  strict=True)  # fmt: skip
        self.assertEqual([(k, b, (n, m)) for k, b, n, m in got],
                         [(*key, value) for key, value in sorted(wanted.items())])  # fmt: skip

    def test_more_combinations_than_the_first_table_holds(self):
        many = np.arange(20_000, dtype=np.int32)
        cube = Cube.of(many, many % 7, many.astype(np.int64))
        np.testing.assert_array_equal(cube.key, many)
        np.testing.assert_array_equal(cube.money, many)

    @given(LINES, LINES)
    def test_batches_merge(self, first, second):
        apart, whole = Cube.merge([cube_of(first), cube_of(second)]), cube_of(first + second)
        for name in ("key", "bits", "lines", "money"):
            np.testing.assert_array_equal(getattr(apart, name), getattr(whole, name))

    @given(LINES, st.integers(0, 65535))
    def test_by_key_counts_what_no_rule_sets_aside(self, lines, mask):
        keys, counts, money = cube_of(lines).by_key(mask)
        for key, count, total in zip(keys, counts, money, strict=True):
            mine = [m for d, b, m in lines if d == key and not b & mask]
            self.assertEqual((count, total), (len(mine), sum(mine)))
        self.assertEqual(counts.sum(), sum(not b & mask for _, b, _ in lines))


class Waterlines(unittest.TestCase):
    @given(LINES, st.sets(st.sampled_from(KEYS)), st.sampled_from(["day", "week", "month"]))
    def test_every_line_is_somewhere_once(self, lines, on, step):
        line = waterline(cube_of(lines), on, RULES, step)
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

    @given(LINES, st.sampled_from(["day", "week", "month"]))
    def test_each_step_holds_its_own_days(self, lines, step):
        line = waterline(cube_of(lines), [], RULES, step)
        for place, start in enumerate(line.starts.tolist()):
            first = EPOCH + timedelta(days=start)
            if step == "day":
                end = start + 1
            elif step == "week":
                self.assertEqual(first.weekday(), 0)
                end = start + 7
            else:
                self.assertEqual(first.day, 1)
                end = (date(first.year + first.month // 12, first.month % 12 + 1, 1) - EPOCH).days
            dated = [row for row in lines if row[0] >= 0]  # −1 is no day, though a week holds it
            mine = [m for d, b, m in dated if start <= d < end and decides(b, []) is None]
            self.assertEqual(line.counted_money[place], sum(mine))

    def test_a_till_from_the_future_does_not_stretch_the_axis(self):
        line = waterline(cube_of([(650, 0, 5), (712, 0, 5), (19_000, 4, 9)]), [])
        self.assertEqual(len(line.starts), 3)

    def test_rules_of_ones_own_come_last(self):
        own = Rule("own1", 1 << 20, "Gift wrap", "", own=True)
        cube = cube_of([(5, 1 << 20, 10), (5, (1 << 20) | 8, 20), (6, 0, 40)])
        line = waterline(cube, ["own1", "void"], (*RULES, own))
        self.assertEqual(line.counted_total, 40)
        last = line.totals[-1]
        self.assertEqual((last.lines, last.decides_lines, last.decides_money), (2, 1, 10))

    def test_steps_of_a_line_without_a_date(self):
        for step in ("day", "week", "month"):
            self.assertEqual(step_of(np.array([-1], np.int32), step).tolist(), [-1])
        self.assertEqual(step_starts(np.array([0, 1], np.int32), "week").tolist(), [-3, 4])


if __name__ == "__main__":
    unittest.main()
