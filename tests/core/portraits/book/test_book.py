"""Sentences of the book: true figures, nothing said that chance may have made, figures by key."""

import unittest
from dataclasses import replace

import numpy as np

from sortija.core.portraits.book.draft import draft_cover, draft_segment
from sortija.core.portraits.book.facts import MovementFact, WayFact
from sortija.core.portraits.book.figures import about, read_back, stored, words_of
from sortija.core.portraits.book.pages import book_of
from sortija.core.portraits.book.wording import keys_in, plain, sentences_of
from sortija.core.portraits.figures import in_words, percent
from tests.core.portraits.book.worlds import category, facts, number, usual


def parts_of(book, segment):
    return {part.key: part.text for part in draft_segment(book, segment)}


class Drafting(unittest.TestCase):
    def setUp(self):
        self.rows, self.kinds, self.groups = usual(np.random.default_rng(51))
        self.book = facts(self.rows, self.kinds, self.groups, 3)

    def test_figures_are_those_of_the_rows(self):
        first = self.book.segments[0]
        values = self.rows[0].profile
        self.assertEqual(words_of(self.book, first, "mean:frequency"),
                         in_words(values.means[0], "visits"))  # fmt: skip
        table = self.kinds[0].profile.table
        yard = table[0, 1] / table[0].sum()
        rest = (table[1, 1] + table[2, 1]) / table[1:].sum()
        self.assertEqual(words_of(self.book, first, "has:garden=yard"), percent(yard))
        self.assertEqual(words_of(self.book, first, "others:garden=yard"), percent(rest))
        self.assertEqual(words_of(self.book, first, "customers"), f"{table[0].sum():,} customers")
        self.assertEqual(words_of(self.book, None, "2.share"), percent(table[1].sum() / 1200))
        self.assertEqual(words_of(self.book, first, "towards"), "Beta")

    def test_the_mean_of_everyone_else(self):
        rng = np.random.default_rng(52)
        values, groups = rng.normal(5, 2, 300), rng.integers(0, 3, 300)
        values[rng.random(300) < 0.2] = np.nan
        book = facts([number("frequency", values, groups, 3)], [], groups, 3)
        for place, segment in enumerate(book.segments):
            rest = np.nanmean(values[groups != place])
            self.assertAlmostEqual(segment.numbers["frequency"].rest, rest)

    def test_what_sets_apart_is_said_and_what_does_not_is_not(self):
        told = parts_of(self.book, self.book.segments[0])
        self.assertIn("{mean:frequency}", told["lead"])
        self.assertIn("{has:garden=yard}", told["who"])
        self.assertNotIn("coin", told["who"])
        self.assertNotIn("birth_year", " ".join(told.values()))
        middle = parts_of(self.book, self.book.segments[2])
        self.assertIn("Nothing", middle["lead"])

    def test_every_figure_that_is_drafted_says_something(self):
        for segment in (None, *self.book.segments):
            parts = draft_segment(self.book, segment) if segment else draft_cover(self.book)
            for part in parts:
                for key in keys_in(part.text):
                    self.assertIsNotNone(words_of(self.book, segment, key), key)
                    self.assertTrue(about(self.book, segment, key))

    def test_where_nothing_is_going_on_hardly_a_book_says_anything(self):
        """Six traits and eight measures that have nothing to do with four segments."""
        rng, said = np.random.default_rng(53), 0
        for _ in range(150):
            groups = rng.integers(0, 4, 800)
            rows = [number(f"number_{n}", rng.normal(0, 1, 800), groups, 4, "", "traits")
                    for n in range(8)]  # fmt: skip
            kinds = [category(f"kind_{n}", rng.integers(1, 5, 800), ("a", "b", "c", "d"), groups, 4)
                     for n in range(6)]  # fmt: skip
            book = facts(rows, kinds, groups, 4)
            told = [parts_of(book, segment)["who"] for segment in book.segments]
            said += any("everyone else" in text for text in told)
        self.assertLessEqual(said, 150 * 0.1)

    def test_where_they_go_is_told_beside_what_chance_makes(self):
        first, second, third = self.book.segments
        ways = (WayFact(2, 142, 60.4, 88.6), WayFact(None, 31, 9.2, 20.0))
        going = MovementFact("30 Jun 2025", 0.51, 0.585, 0.64, ways)
        still = MovementFact("30 Jun 2025", 0.62, 0.6, 0.66, ())
        book = replace(self.book, same_again=0.714, segments=(
            replace(first, goes=going), replace(second, goes=still), third,
        ))  # fmt: skip

        def read(segment):
            text = parts_of(book, segment).get("goes", "")
            return plain(sentences_of(text, lambda key: words_of(book, segment, key)))

        self.assertEqual(
            read(book.segments[0]),
            "Of those who were here on 30 Jun 2025, 51% are here again; had nobody changed, chance "
            "alone would keep 58% to 64%. 142 customers went to Beta, where chance alone would "
            "move 60 to 89. 31 customers have left, where chance alone would move 9 to 20.",
        )
        self.assertIn("No more of them went elsewhere than chance moves", read(book.segments[1]))
        self.assertEqual(read(book.segments[2]), "")
        self.assertEqual(about(book, book.segments[0], "went:2"), "how many went to Beta")
        method = {part.key: part.text for part in draft_cover(book)}["method"]
        self.assertIn("{same_again}", method)
        self.assertEqual(words_of(book, None, "same_again"), "71%")
        self.assertIsNone(words_of(self.book, None, "same_again"))
        self.assertIsNone(words_of(book, book.segments[1], "went:2"))

    def test_a_segment_of_a_few_is_told_by_its_size(self):
        groups = np.array([0] * 12 + [1] * 400)
        values = np.where(groups == 0, 20.0, 3.0) + np.arange(412) % 3
        book = facts([number("frequency", values, groups, 2, shaped=True)], [], groups, 2)
        told = parts_of(book, book.segments[0])
        self.assertEqual(keys_in(told["lead"]), ["customers"])
        self.assertNotIn("who", told)
        self.assertIn("rough", told["sure"])

    def test_values_with_braces_are_no_figures(self):
        rng = np.random.default_rng(54)
        groups = rng.integers(0, 2, 500)
        codes = np.where(rng.random(500) < np.where(groups == 0, 0.8, 0.1), 1, 2)
        book = facts([], [category("kind", codes, ("a}b", "c"), groups, 2)], groups, 2)
        for segment in book.segments:
            for part in draft_segment(book, segment):
                for key in keys_in(part.text):
                    self.assertIsNotNone(words_of(book, segment, key))

    def test_notes_are_what_to_do(self):
        rows, kinds, groups = usual(np.random.default_rng(55))
        book = facts(rows, kinds, groups, 3)
        self.assertEqual(parts_of(book, book.segments[0])["do"], "")


class Wording(unittest.TestCase):
    def test_sentences_and_figures(self):
        text = "They are {share}. Of {has:garden=No. 5} nothing! Done"
        found = sentences_of(text, lambda key: f"<{key}>")
        self.assertEqual(len(found), 3)
        self.assertEqual(plain(found), "They are <share>. Of <has:garden=No. 5> nothing! Done")
        self.assertEqual(keys_in(text), ["share", "has:garden=No. 5"])
        self.assertEqual(sentences_of("  ", str), [])

    def test_a_figure_that_is_gone_is_not_known(self):
        rows, kinds, groups = usual(np.random.default_rng(56))
        book = facts(rows, kinds, groups, 3)
        first = book.segments[0]
        for key in (
            "mean:gone",
            "has:garden=hedge",
            "has:gone=x",
            "9.share",
            "nonsense",
            "share:x",
        ):
            self.assertIsNone(words_of(book, first, key), key)
        page = book_of(book, {"1.lead": "They are {mean:gone}."}).pages[0]
        lead = next(s for s in page.sections if s.key == "1.lead")
        self.assertEqual(plain([list(s) for s in lead.sentences]), "They are not known.")

    def test_a_segment_that_is_called_otherwise_is_the_same(self):
        rows, kinds, groups = usual(np.random.default_rng(59))
        book = facts(rows, kinds, groups, 3)
        first = book.segments[0]
        kept = {key: stored(book, first, key) for key in ("towards", "3.name", "share")}
        self.assertEqual(kept["share"], words_of(book, first, "share"))
        renamed = replace(book, segments=tuple(
            replace(s, name=f"New {s.name}") for s in book.segments
        ))  # fmt: skip
        for key, words in (("towards", "New Beta"), ("3.name", "New Gamma")):
            self.assertEqual(stored(renamed, renamed.segments[0], key), kept[key])
            self.assertEqual(read_back(renamed, key, kept[key]), words)
        nearer = replace(first, towards=3)
        self.assertNotEqual(stored(book, nearer, "towards"), kept["towards"])


class Arranging(unittest.TestCase):
    def setUp(self):
        rows, kinds, groups = usual(np.random.default_rng(57))
        self.facts = facts(rows, kinds, groups, 3)

    def test_order_parts_and_texts(self):
        book = book_of(self.facts, {"3.do": "Write in {share}."}, {"3.do": {"share": "a third"}},
                       [3, 1], frozenset({"find", "method"}), "Written today.")  # fmt: skip
        self.assertEqual([page.number for page in book.pages], [3, 1, 2])
        self.assertEqual([row.number for row in book.glance], [3, 1, 2])
        keys = [section.key for page in book.pages for section in page.sections]
        self.assertNotIn("1.find", keys)
        self.assertEqual([section.key for section in book.cover], ["cover.intro"])
        do = next(s for s in book.pages[0].sections if s.key == "3.do")
        self.assertEqual(plain([list(s) for s in do.sentences]), "Write in a third.")

    def test_threads_tell_one_thing_once(self):
        rng = np.random.default_rng(58)
        groups = rng.integers(0, 2, 400)
        spend = groups * 100 + rng.normal(50, 5, 400)
        rows = [number(name, spend, groups, 2, "money", "money", shaped=True)
                for name in ("monetary", "margin", "basket_mean", "basket_median")]  # fmt: skip
        book = book_of(facts(rows, [], groups, 2))
        self.assertEqual(len(book.pages[0].threads), 2)
        self.assertEqual(len(book.columns), 2)
