"""Medians of windows that move on, against the statistics module."""

import statistics
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from sortija.core.measures.kernels.ordered import SMALL, middle, middle_of_few, slide

NUMBERS = st.lists(st.integers(-50, 50), min_size=1, max_size=90)


@st.composite
def moves(draw):
    """Numbers, and windows over them whose ends only go forward."""
    values = np.array(draw(NUMBERS), np.int64)
    ends = st.lists(st.integers(0, len(values)), min_size=1, max_size=12).map(sorted)
    firsts = draw(ends)
    lasts = [max(a, b) for a, b in zip(firsts, draw(ends), strict=False)]
    return values, list(zip(firsts, np.maximum.accumulate(lasts).tolist(), strict=False))


class Ordered(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(moves())
    def test_what_slides_stays_in_order(self, drawn):
        values, windows = drawn
        kept = np.zeros(len(values) + 1, np.int64)
        was = ended = 0
        for first, last in windows:
            slide(values, was, ended, first, last, kept)
            was, ended = first, last
            here = values[first:last].tolist()
            self.assertEqual(kept[: last - first].tolist(), sorted(here))
            if here:
                self.assertEqual(middle(kept, len(here)), statistics.median(here))

    def test_a_long_window_turns_over_at_once_and_by_one(self):
        values = np.random.default_rng(2).integers(0, 7, 400).astype(np.int64)
        kept = np.zeros(401, np.int64)
        was = ended = 0
        for first, last in ((0, 200), (1, 201), (3, 260), (200, 330), (330, 400), (399, 400)):
            slide(values, was, ended, first, last, kept)
            was, ended = first, last
            self.assertEqual(kept[: last - first].tolist(), sorted(values[first:last].tolist()))

    @settings(max_examples=200, deadline=None)
    @given(st.lists(st.integers(-9, 9), min_size=1, max_size=SMALL), st.integers(0, 3))
    def test_few_need_no_order(self, here, before):
        values = np.array([99] * before + here + [99], np.int64)
        found = middle_of_few(values, before, before + len(here))
        self.assertEqual(found, statistics.median(here))


if __name__ == "__main__":
    unittest.main()
