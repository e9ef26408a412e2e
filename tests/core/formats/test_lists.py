"""Lists that leave the house: read back by the standard library, harmless in a spreadsheet."""

import csv
import io
import unittest

from hypothesis import given
from hypothesis import strategies as st

from sortija.core.formats.lists import csv_lines, safe_cell

CELLS = st.lists(st.lists(st.text(max_size=12), min_size=2, max_size=2), max_size=8)


class Lists(unittest.TestCase):
    @given(CELLS)
    def test_every_cell_comes_back_but_for_its_guard(self, rows):
        text = "".join(csv_lines(("a", "b"), rows))
        back = list(csv.reader(io.StringIO(text, newline="")))
        self.assertEqual(back, [["a", "b"], *([str(safe_cell(c)) for c in row] for row in rows)])

    @given(st.text(max_size=20))
    def test_no_text_acts_as_a_formula(self, text):
        safe = safe_cell(text)
        self.assertFalse(safe and (safe[0] in "=+-@" or ord(safe[0]) < 32))
        self.assertTrue(safe.endswith(text))

    def test_numbers_stay_numbers(self):
        for value in (-5, -1.25, 0, None):
            self.assertIs(safe_cell(value), value)
        self.assertEqual("".join(csv_lines(["n"], [[-5], [None]])), 'n\r\n-5\r\n""\r\n')


if __name__ == "__main__":
    unittest.main()
