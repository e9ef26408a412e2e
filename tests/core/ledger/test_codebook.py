"""Numbers for texts, against a plain dictionary."""

import unittest

import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from sortija.core.ledger.codebook import Codebook

TEXT = st.text(st.characters(codec="utf-8", exclude_characters="\0"), max_size=6)


def _plain(texts, numbers):
    """As a dictionary does it: blanks of any kind below U+0021 around a text do not count."""
    out = []
    for text in texts:
        key = text.strip("".join(map(chr, range(33))))
        out.append(numbers.setdefault(key, len(numbers)) if key else -1)
    return out


class Codes(unittest.TestCase):
    @given(st.lists(st.lists(TEXT, max_size=40), max_size=6))
    def test_as_a_dictionary_does_it(self, batches):
        book, numbers = Codebook(), {}
        for batch in batches:
            codes = book.encode(pa.array(batch, pa.string())).tolist()
            self.assertEqual(codes, _plain(batch, numbers))
        self.assertEqual(book.texts, list(numbers))

    def test_it_goes_on_from_what_is_known(self):
        book = Codebook(["M-1", "M-2"])
        cells = pa.array(["M-3", " M-2 ", "", "M-1", "M-3"])
        self.assertEqual(book.encode(cells).tolist(), [2, 1, -1, 0, 2])
        self.assertEqual(book.texts, ["M-1", "M-2", "M-3"])

    def test_growing_keeps_every_number(self):
        book = Codebook()
        for part in range(20):
            texts = [f"card {n}" for n in range(part * 1000, (part + 2) * 1000)]
            codes = book.encode(pa.array(texts)).tolist()
            self.assertEqual(codes, list(range(part * 1000, (part + 2) * 1000)))
        self.assertEqual(book.texts[20_999], "card 20999")

    def test_slices_of_a_column(self):
        cells = pa.array(["a", "b", "c", "d"]).slice(2)
        self.assertEqual(Codebook(["d"]).encode(cells).tolist(), [1, 0])


if __name__ == "__main__":
    unittest.main()
