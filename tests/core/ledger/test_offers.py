"""Offers and answers: what a file is, and who took what, against plain dictionaries."""

import unittest

import numpy as np
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from sortija.core.ledger.mapping import MappingError
from sortija.core.ledger.offers import (
    ResponseMapping,
    ResponseReader,
    guess_areas,
    guess_offers,
    guess_responses,
)


def batch(**columns):
    return pa.RecordBatch.from_pydict(columns)


class Guesses(unittest.TestCase):
    def test_answers(self):
        rows = batch(offer=["O1", "O1", "O2"], who=["A", "B", "A"], used=["yes", "no", "no"])
        self.assertIsNone(guess_responses(rows))
        mapping, guesses = guess_responses(rows, lambda texts: float("A" in texts))
        self.assertEqual(mapping.roles, {"offer": "offer", "customer": "who", "answer": "used"})
        self.assertIn("customers", guesses[1].reason)

    def test_a_pair_that_comes_often_is_no_answer(self):
        rows = batch(offer=["O1"] * 9, card=["A"] * 9)
        self.assertIsNone(guess_responses(rows))

    def test_offers(self):
        rows = batch(offer=["O1", "O2"], percent_off=["10", "15"])
        mapping, _ = guess_offers(rows)
        self.assertEqual(mapping.roles, {"offer": "offer"})
        self.assertIsNone(guess_offers(batch(offer=["O1", "O1"])))
        self.assertIsNone(guess_offers(batch(card=["O1", "O2"], offer=["a", "b"])))

    def test_districts(self):
        rows = batch(name=["North", "South"], nr=["0101", "0102"], households=["12", "7"])
        mapping, _ = guess_areas(rows, lambda texts: float("0101" in texts))
        self.assertEqual(mapping.roles, {"area": "nr", "households": "households"})
        mapping, _ = guess_areas(rows)
        self.assertEqual(mapping.roles["area"], "name")


ANSWERS = st.tuples(
    st.integers(-1, 4), st.sampled_from("XYZ"), st.sampled_from(["yes", "no", "perhaps", ""])
)


class Reading(unittest.TestCase):
    @given(st.lists(ANSWERS, max_size=30))
    def test_against_a_dictionary(self, answers):
        reader = ResponseReader(ResponseMapping({"customer": "c", "offer": "o", "answer": "a"}))
        for part in (answers[:11], answers[11:]):
            customer = np.array([c for c, _, _ in part], np.int32)
            told = {"o": [o for _, o, _ in part], "a": [a for *_, a in part]}
            cells = {name: pa.array(texts, pa.string()) for name, texts in told.items()}
            reader.add(batch(**cells), customer)
        wanted = {}
        for customer, offer, answer in answers:
            value = {"yes": 2, "no": 1, "": 1, "perhaps": 0}[answer]
            if customer >= 0:
                wanted[offer, customer] = max(value, wanted.get((offer, customer), 0))
        got = {
            (column.name.removeprefix("offer:"), customer): value
            for column in reader.columns(5)
            for customer, value in enumerate(column.values.tolist())
            if value
        }
        self.assertEqual(got, {key: value for key, value in wanted.items() if value})
        self.assertEqual(reader.unread, sum(a == "perhaps" for *_, a in answers))

    def test_without_an_answer_every_row_was_taken(self):
        reader = ResponseReader(ResponseMapping({"customer": "c", "offer": "o"}))
        reader.add(batch(c=["A", "B"], o=["X", "X"]), np.array([1, 0], np.int32))
        self.assertEqual(reader.columns(3)[0].values.tolist(), [2, 2, 0])

    def test_too_many_offers(self):
        reader = ResponseReader(ResponseMapping({"customer": "c", "offer": "o"}))
        many = batch(c=["A"] * 501, o=[str(n) for n in range(501)])
        with self.assertRaisesRegex(MappingError, "more than 500"):
            reader.add(many, np.zeros(501, np.int32))


if __name__ == "__main__":
    unittest.main()
