"""Signs that were there before customers crossed, and none where there were none."""

from __future__ import annotations

import unittest

import numpy as np

from sortija.core.crossings.signs import (
    Cut,
    has_cut,
    pairs_before,
    signs_before,
    tried_on,
)
from sortija.core.table import Column, Table


def _table(rng: np.random.Generator, n: int = 900) -> Table:
    missing = rng.normal(size=n)
    missing[rng.random(n) < 0.3] = np.nan
    return Table((
        Column("silence", "number", rng.exponential(2.0, n)),
        Column("visits", "number", rng.poisson(6, n).astype(np.float64)),
        Column("trend", "number", missing),
        Column("garden", "category", rng.integers(0, 4, n).astype(np.int32), "",
               ("yard", "balcony", "allotment")),
    ))  # fmt: skip


class Signs(unittest.TestCase):
    def test_the_cut_that_made_them_go_comes_first(self) -> None:
        rng = np.random.default_rng(1)
        table = _table(rng)
        silent = np.asarray(table["silence"].values) >= 3.0
        went = rng.random(900) < np.where(silent, 0.45, 0.08)
        sign = signs_before(table, went, ~went)[0]
        self.assertEqual(sign.name, "silence")
        self.assertAlmostEqual(float(sign.cut.low or 0), 3.0, delta=0.6)
        having = has_cut(table["silence"], sign.cut)
        self.assertEqual((sign.having, sign.crossed), (having.sum(), (having & went).sum()))
        self.assertEqual((sign.lacking, sign.others), ((~having).sum(), (~having & went).sum()))
        self.assertGreater(sign.lift, 3)
        self.assertGreater(sign.difference[0], 0)

    def test_a_sign_can_be_to_have_little_or_to_be_of_a_kind(self) -> None:
        rng = np.random.default_rng(2)
        table = _table(rng)
        few = np.asarray(table["visits"].values) < 4
        went = rng.random(900) < np.where(few, 0.5, 0.1)
        sign = signs_before(table, went, ~went)[0]
        self.assertEqual((sign.name, sign.cut), ("visits", Cut(high=4.0)))
        went = rng.random(900) < np.where(np.asarray(table["garden"].values) == 2, 0.5, 0.1)
        sign = signs_before(table, went, ~went)[0]
        self.assertEqual((sign.name, sign.cut), ("garden", Cut(level=2)))

    def test_two_signs_together(self) -> None:
        rng = np.random.default_rng(6)
        table = _table(rng, 2500)
        silent = np.asarray(table["silence"].values) >= 3.0
        few = np.asarray(table["visits"].values) < 5
        went = rng.random(2500) < 0.05 + 0.25 * silent + 0.2 * few + 0.3 * (silent & few)
        told = [sign for sign in signs_before(table, went, ~went) if sign.told]
        [pair, *_] = pairs_before(table, told, went, ~went)
        self.assertEqual({pair.stronger.name, pair.other.name}, {"silence", "visits"})
        one, other = (has_cut(table[s.name], s.cut) for s in (pair.stronger, pair.other))
        both, alone = one & other, one & ~other
        self.assertEqual((pair.having, pair.crossed), (both.sum(), (both & went).sum()))
        self.assertEqual((pair.lacking, pair.others), (alone.sum(), (alone & went).sum()))
        self.assertTrue(pair.told)
        self.assertGreater(pair.crossed / pair.having, 0.6)

    def test_a_second_sign_that_adds_nothing_is_told_as_seldom_as_said(self) -> None:
        said = tried = 0
        for seed in range(60):
            rng = np.random.default_rng(100 + seed)
            n = 1200
            silent, coin = rng.random(n) < 0.4, rng.random(n)
            columns = (
                Column("silent", "number", silent + rng.random(n) / 10),
                # Goes with the first, and tells nothing beyond it.
                Column("shadow", "number", silent * 0.5 + coin),
            )
            went = rng.random(n) < np.where(silent, 0.5, 0.1)
            signs = [s for s in signs_before(Table(columns), went, ~went) if s.told]
            pairs = pairs_before(Table(columns), signs, went, ~went)
            tried += len(pairs)
            said += sum(pair.told for pair in pairs)
        self.assertGreater(tried, 25)
        self.assertLessEqual(said / tried, 0.1)

    def test_who_has_no_value_has_no_sign(self) -> None:
        rng = np.random.default_rng(3)
        table = _table(rng)
        went = rng.random(900) < 0.3
        sign = next(s for s in signs_before(table, went, ~went) if s.name == "trend")
        missing = np.isnan(np.asarray(table["trend"].values))
        self.assertFalse((has_cut(table["trend"], sign.cut) & missing).any())

    def test_chance_makes_a_sign_no_more_often_than_it_is_said_to(self) -> None:
        told = 0
        for seed in range(150):
            rng = np.random.default_rng(seed)
            table = _table(rng, 400)
            went = rng.random(400) < 0.2
            told += any(sign.told for sign in signs_before(table, went, ~went))
        self.assertLessEqual(told, 14)  # 7 and a half are due at the most

    def test_what_held_once_is_tried_again(self) -> None:
        rng = np.random.default_rng(4)
        table, other = _table(rng), _table(rng)
        silent = np.asarray(table["silence"].values) >= 3.0
        went = rng.random(900) < np.where(silent, 0.5, 0.1)
        sign = signs_before(table, went, ~went)[0]
        again = rng.random(900) < np.where(np.asarray(other["silence"].values) >= 3.0, 0.5, 0.1)
        held = tried_on(sign, other["silence"], again, ~again)
        assert held is not None
        self.assertGreater(held.difference[0], 0)
        never = rng.random(900) < 0.2
        not_held = tried_on(sign, other["silence"], never, ~never)
        assert not_held is not None
        self.assertLess(not_held.difference[0], 0)
        few = np.zeros(900, np.bool_)
        few[:15] = True
        self.assertIsNone(tried_on(sign, other["silence"], few, np.zeros(900, np.bool_)))

    def test_of_few_customers_nothing_is_said(self) -> None:
        table = _table(np.random.default_rng(5), 30)
        went = np.arange(30) < 15
        self.assertEqual(signs_before(table, went, ~went), [])
