"""Types, orders and owners: what a customer table says beside plain values."""

import unittest

import numpy as np
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from sortija.core.ledger.level_order import order_of
from sortija.core.ledger.mapping import MappingError
from sortija.core.ledger.members import MemberMapping, guess_members
from sortija.core.ledger.owners import joined_by_owner, owners
from sortija.core.ledger.traits import TraitReader, merge_levels


class Orders(unittest.TestCase):
    def test_orders_that_levels_tell(self):
        for levels, wanted in (
            (["35-44", "18-24", "25-34", "under 18", "65+"],
             ("under 18", "18-24", "25-34", "35-44", "65+")),
            (["High", "low", "medium"], ("low", "medium", "High")),
            (["L", "S", "XL", "M"], ("S", "M", "L", "XL")),
            (["gold", "bronze"], ("bronze", "gold")),
            (["10 km", "2.5 km"], ("2.5 km", "10 km")),
        ):  # fmt: skip
            self.assertEqual(order_of(levels), wanted)

    def test_levels_without_an_order(self):
        for levels in (["yard", "balcony"], ["1", "2", "3"], ["18-24", "no idea"], ["high"], []):
            self.assertIsNone(order_of(levels), levels)

    def test_merged_levels_keep_the_newest_order(self):
        self.assertEqual(merge_levels([["a", "c"], ["b", "a"]]), ("b", "a", "c"))


def batch(**columns):
    return pa.RecordBatch.from_pydict(columns)


class Guesses(unittest.TestCase):
    def test_types(self):
        n = 60
        rows = batch(
            card=[f"M-{i:04d}" for i in range(n)],
            phone=[f"0{7000000 + i * 37}" for i in range(n)],
            band=[("18-24", "25-34", "65+")[i % 3] for i in range(n)],
            garden=[("yard", "balcony")[i % 2] for i in range(n)],
            postcode=[f"0{100 + i % 9}" for i in range(n)],
            loyalty_no=[str(900000 + i) for i in range(n)],
            same_as=[f"P{i // 2}" for i in range(n)],
            letters=[f"{'ab'[i % 2]} {i} word" for i in range(n)],
        )
        mapping, guesses = guess_members(rows)
        self.assertEqual(mapping.types, {
            "card": "key", "phone": "id", "band": "ordered", "garden": "category",
            "postcode": "category", "loyalty_no": "id", "same_as": "person",
            "letters": "category",
        })  # fmt: skip
        reasons = {guess.column: guess.reason for guess in guesses}
        self.assertIn("18-24, 25-34", reasons["band"])
        self.assertIn("leading zeros", reasons["phone"])

    def test_what_a_mapping_refuses(self):
        names = ("card", "a", "b")
        for words, mapping in (
            ("2 are", MemberMapping({"card": "key", "a": "person", "b": "person"})),
            ("as 2026-06-30", MemberMapping({"card": "key"}, dated="June")),
        ):
            with self.assertRaisesRegex(MappingError, words):
                mapping.check(names)


def reader(kind, *batches, orders=None):
    mapping = MemberMapping({"card": "key", "it": kind}, orders={"it": orders or []})
    keeper = TraitReader("it", kind, mapping)
    for cells in batches:
        keeper.add(pa.array(cells))
    return keeper


CUSTOMERS = np.array([2, 0, 1, 3], np.int32)


class Readers(unittest.TestCase):
    def test_an_ordered_category_keeps_the_chosen_order(self):
        keeper = reader(
            "ordered", ["plus", "none"], ["card", "new"], orders=["none", "card", "plus"]
        )
        column = keeper.column(CUSTOMERS, 5)
        self.assertEqual(column.levels, ("none", "card", "plus", "new"))
        self.assertEqual(column.values.tolist(), [1, 2, 3, 4, 0])

    def test_an_ordered_category_orders_itself(self):
        column = reader("ordered", ["25-34", "65+", "", "18-24"]).column(CUSTOMERS, 4)
        self.assertEqual(column.levels, ("18-24", "25-34", "65+"))
        self.assertEqual(column.values.tolist(), [3, 0, 2, 1])

    def test_ids_are_told_and_never_a_column_of_levels(self):
        keeper = reader("id", [" x1 ", ""], ["y", "x1"])
        self.assertEqual(keeper.ids(CUSTOMERS), {2: "x1", 1: "y", 3: "x1"})

    def test_cards_of_one_person(self):
        keeper = reader("person", ["P", "Q"], ["P", ""])
        self.assertEqual(keeper.first_cards(CUSTOMERS), [(1, 2)])

    def test_offers_have_names_of_their_own(self):
        self.assertEqual(
            reader("offer", ["yes", "no", "", "no"]).column(CUSTOMERS, 4).name, "offer:it"
        )


class Owners(unittest.TestCase):
    @given(
        st.lists(st.tuples(st.integers(0, 11), st.integers(0, 11)), max_size=14),
        st.sets(st.integers(0, 11), max_size=3),
    )
    def test_against_plain_sets(self, pairs, apart):
        groups = [{n} for n in range(12)]
        for a, b in pairs:
            if a in apart or b in apart:
                continue
            one = next(g for g in groups if a in g)
            other = next(g for g in groups if b in g)
            if one is not other:
                groups.remove(other)
                one |= other
        wanted = [min(next(g for g in groups if n in g)) for n in range(12)]
        self.assertEqual(owners(12, pairs, apart).tolist(), wanted)

    @given(st.lists(st.tuples(st.integers(0, 3), st.booleans()), min_size=1, max_size=12))
    def test_a_value_of_any_card_speaks_for_the_customer(self, cards):
        owner, seen = np.zeros(len(cards), np.int32), {}
        for place, (person, _) in enumerate(cards):
            owner[place] = seen.setdefault(person, place)
        missing = np.array([gone for _, gone in cards])
        got = joined_by_owner(np.arange(len(cards)), missing, owner)
        for place in range(len(cards)):
            mine = [n for n in range(len(cards)) if owner[n] == place and not missing[n]]
            self.assertEqual(got[place], min(mine, default=-1))


if __name__ == "__main__":
    unittest.main()
