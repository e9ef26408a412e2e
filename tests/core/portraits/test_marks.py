"""Marks as numbers: what they mean, and what is left alone when one is changed."""

import re
import unittest
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from sortija.core.portraits.marks import (
    COLOURS,
    MARKS,
    SHAPES,
    changed_marks,
    colour_of,
    mark_of,
    shape_of,
)

WEB = Path(__file__).parents[3] / "web" / "src" / "marks"


class Marks(unittest.TestCase):
    def test_every_mark_is_a_shape_and_a_colour(self):
        meant = {(shape_of(mark), colour_of(mark)) for mark in range(MARKS)}
        self.assertEqual(len(meant), SHAPES * COLOURS)
        for shape, colour in meant:
            mark = mark_of(shape, colour)
            self.assertEqual((shape_of(mark), colour_of(mark)), (shape, colour))
            self.assertLess(mark, MARKS)

    @given(st.integers(1, 12), st.lists(st.tuples(st.integers(0, 11), st.integers(0, MARKS - 1))))
    def test_nobody_loses_a_shape_or_a_colour(self, k, changes):
        """However often marks change hands: as many shapes as segments, and as many colours."""
        marks = list(range(k))
        for place, wanted in changes:
            marks = changed_marks(marks, place % k, wanted)
            self.assertEqual(marks[place % k], wanted)
            self.assertEqual(len({shape_of(mark) for mark in marks}), k)
            if k <= COLOURS:
                self.assertEqual(len({colour_of(mark) for mark in marks}), k)

    def test_the_front_end_counts_alike(self):
        hues = (WEB / "hues.ts").read_text()
        self.assertEqual(len(re.findall(r'"#[0-9a-f]{6}"', hues)), COLOURS)
        self.assertIn(f"const SHAPES = {SHAPES};", (WEB / "segment-mark.tsx").read_text())


if __name__ == "__main__":
    unittest.main()
