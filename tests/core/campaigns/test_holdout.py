"""Holdouts: exact to one, stratified, repeatable; what they can prove, against simulation."""

import csv
import io
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from sortija.core.campaigns.holdout import draw_holdout, draw_versions
from sortija.core.campaigns.power import smallest_effect
from sortija.core.formats.lists import csv_lines, safe_cell


class Drawing(unittest.TestCase):
    @given(st.integers(0, 3000), st.floats(0, 0.9), st.integers(0, 2**31))
    def test_exact_to_one(self, m, share, seed):
        rng = np.random.default_rng(7)
        got = draw_holdout(rng.integers(0, 6, m), rng.integers(0, 5, m), share, seed)
        self.assertLessEqual(abs(int(got.held.sum()) - m * share), 1)

    def test_every_stratum_has_its_share(self):
        rng = np.random.default_rng(1)
        segment, value = rng.integers(0, 6, 5000), rng.integers(0, 5, 5000)
        got = draw_holdout(segment, value, 0.2, 3)
        for number in np.unique(got.stratum):
            mine = got.stratum == number
            self.assertLessEqual(abs(int(got.held[mine].sum()) - 0.2 * mine.sum()), 1)

    def test_small_strata_are_merged_within_their_segment(self):
        segment = np.array([0] * 100 + [1] * 30)
        value = np.array([1] * 90 + [2] * 10 + [1] * 15 + [2] * 15)
        got = draw_holdout(segment, value, 0.5, 1)
        self.assertEqual(len(np.unique(got.stratum[segment == 1])), 1)
        self.assertFalse(set(got.stratum[segment == 0]) & set(got.stratum[segment == 1]))

    @given(st.integers(20, 400), st.integers(1, 8), st.integers(0, 2**31))
    def test_no_stratum_is_under_twenty_unless_its_segment_is(self, m, segments, seed):
        rng = np.random.default_rng(seed)
        segment = rng.choice(segments, m, p=rng.dirichlet(np.ones(segments)))
        value = rng.integers(0, 5, m)
        got = draw_holdout(segment, value, 0.3, 1)
        for number in np.unique(got.stratum):
            mine = got.stratum == number
            (own,) = np.unique(segment[mine])  # a stratum is of one segment
            whole = int((segment == own).sum())
            self.assertGreaterEqual(int(mine.sum()), min(20, whole))

    def test_a_seed_can_be_replayed_and_another_differs(self):
        segment, value = np.zeros(1000, int), np.ones(1000, int)
        one, same, other = (draw_holdout(segment, value, 0.3, s).held for s in (5, 5, 6))
        np.testing.assert_array_equal(one, same)
        self.assertFalse(np.array_equal(one, other))
        with self.assertRaises(ValueError):
            draw_holdout(segment, value, 1.0, 1)


class Versions(unittest.TestCase):
    @given(st.integers(0, 2000), st.sampled_from([[1.0], [0.5, 0.5], [0.7, 0.2, 0.1]]))
    def test_exact_to_one_and_nobody_held_out_has_one(self, m, shares):
        rng = np.random.default_rng(m)
        stratum, held = rng.integers(0, 4, m), rng.random(m) < 0.3
        got = draw_versions(stratum, held, shares, 5)
        np.testing.assert_array_equal(got == 0, held)
        written = int((~held).sum())
        for number, share in enumerate(shares, 1):
            self.assertLessEqual(abs(int((got == number).sum()) - share * written), len(shares))

    def test_each_has_its_share_of_every_stratum(self):
        rng = np.random.default_rng(3)
        stratum, held = rng.integers(0, 6, 6000), rng.random(6000) < 0.2
        got = draw_versions(stratum, held, [0.7, 0.3], 9)
        for number in range(6):
            mine = (stratum == number) & ~held
            self.assertLessEqual(abs(int((got[mine] == 1).sum()) - 0.7 * mine.sum()), 1)
        np.testing.assert_array_equal(got, draw_versions(stratum, held, [0.7, 0.3], 9))
        self.assertFalse(np.array_equal(got, draw_versions(stratum, held, [0.7, 0.3], 8)))

    def test_shares_that_are_none(self):
        for shares in ([], [0.5, 0.4], [1.2, -0.2]):
            with self.assertRaises(ValueError):
                draw_versions(np.zeros(4, int), np.zeros(4, bool), shares, 1)


class Proof(unittest.TestCase):
    def test_against_simulation(self):
        rise = smallest_effect(4000, 1000, 0.2)
        rng = np.random.default_rng(1)
        a = rng.binomial(4000, 0.2 + rise, 4000) / 4000
        b = rng.binomial(1000, 0.2, 4000) / 1000
        spread = np.sqrt(a * (1 - a) / 4000 + b * (1 - b) / 1000)
        self.assertAlmostEqual((np.abs(a - b) / spread > 1.96).mean(), 0.8, delta=0.03)

    def test_what_cannot_be_measured(self):
        self.assertTrue(np.isnan(smallest_effect(100, 0, 0.2)))
        self.assertTrue(np.isnan(smallest_effect(2, 2, 0.5)))
        self.assertLess(smallest_effect(5000, 5000, 0.2), smallest_effect(9000, 1000, 0.2))


class Lists(unittest.TestCase):
    def test_only_text_that_could_act_is_escaped(self):
        for cell in ("=1+1", "+44", "-x", "@here", "\tx", "\rx"):
            self.assertEqual(safe_cell(cell), "'" + cell)
        for cell in ("plain", "", "a=b", -5, 3.5, None):
            self.assertEqual(safe_cell(cell), cell)

    def test_a_reader_gets_the_cells_back(self):
        rows = [("M-1", 'said "hi", twice', -3), ("M-2", "two\nlines", 4)]
        text = "".join(csv_lines(("card", "note", "n"), rows))
        back = list(csv.reader(io.StringIO(text, newline="")))
        self.assertEqual(back[1:], [["M-1", 'said "hi", twice', "-3"], ["M-2", "two\nlines", "4"]])


if __name__ == "__main__":
    unittest.main()
