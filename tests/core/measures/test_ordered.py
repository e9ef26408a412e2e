"""Medians of windows that move on, against the statistics module."""

import statistics
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from sortija.core.measures.kernels.ordered import sliding_median

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
    def follow(self, values, windows, least=1):
        """The medians of the windows in turn, each as the statistics module has it."""
        kept = np.zeros(len(values) + 1, np.int64)
        was = ended = 0
        for first, last in windows:
            found, was, ended = sliding_median(values, was, ended, first, last, least, kept)
            here = values[first:last].tolist()
            if len(here) < least:
                self.assertTrue(np.isnan(found))
            else:
                self.assertEqual(found, statistics.median(here))
            self.assertEqual(kept[: ended - was].tolist(), sorted(values[was:ended].tolist()))

    @settings(max_examples=200, deadline=None)
    @given(moves(), st.integers(1, 3))
    def test_whatever_enters_and_leaves(self, drawn, least):
        self.follow(*drawn, least)

    def test_a_long_window_turns_over_at_once_and_by_one(self):
        values = np.random.default_rng(2).integers(0, 7, 400).astype(np.int64)
        self.follow(
            values, ((0, 200), (1, 201), (3, 260), (200, 330), (330, 400), (399, 400), (400, 400))
        )

    @settings(max_examples=200, deadline=None)
    @given(st.lists(st.integers(-9, 9), min_size=1, max_size=5), st.integers(0, 3))
    def test_few_among_others(self, here, before):
        values = np.array([99] * before + here + [99], np.int64)
        self.follow(values, [(before, before + len(here))])


if __name__ == "__main__":
    unittest.main()
