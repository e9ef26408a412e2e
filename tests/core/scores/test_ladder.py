"""Ladders: frozen tiers that place anybody; blocks of plots; why a customer changed tier."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from sortija.core.crossings.explanations import explain_bands
from sortija.core.scores.bands import band, block, field, mean_in_plots
from sortija.core.scores.ladder import Ladder, middle_totals, neutral_boxes, share_tiers
from sortija.core.scores.recipe import Asked, ScoreError, fit_score, score
from sortija.core.scores.tiers import Box, Tier, by_share, by_total, coverage
from sortija.core.table import Column, Table


def shop(n=400, seed=1, missing=0.1):
    rng = np.random.default_rng(seed)
    columns = []
    for name in ("recency", "frequency", "monetary"):
        values = np.rint(rng.gamma(2, 20, n))
        values[rng.random(n) < missing] = np.nan
        columns.append(Column(name, "number", values))
    return Table(tuple(columns))


ASKED = (Asked("recency", False), Asked("frequency", True, 4), Asked("monetary", True, 3, 2.0))


class Frozen(unittest.TestCase):
    def setUp(self):
        self.table = shop()
        self.score = fit_score(self.table, ASKED)
        self.scored = score(self.table, self.score)

    def ladders(self):
        bands = [b.asked for b in self.scored.bandings]
        yield Ladder(self.score, "boxes", boxes=neutral_boxes([a.measure for a in ASKED], bands))
        yield Ladder(self.score, "shares", share_tiers(self.scored.totals, ["a", "b", "c"]))
        yield Ladder(self.score, "totals", (Tier("high", 12), Tier("low", -np.inf, 9.0)))

    def test_written_and_read_it_places_everybody_the_same(self):
        for ladder in self.ladders():
            again = Ladder.from_json(ladder.as_json())
            self.assertEqual(again, ladder)
            other = score(shop(seed=2), ladder.score)
            np.testing.assert_array_equal(again.places(other), ladder.places(other))

    def test_places_by_hand(self):
        boxes, shares, totals = self.ladders()
        for place, tier in enumerate(boxes.places(self.scored)):
            bands = [int(b.bands[place]) for b in self.scored.bandings]
            holds = [
                n
                for n, box in enumerate(boxes.boxes, 1)
                if all(low <= b <= high for b, (low, high) in zip(bands, box.ranges, strict=True))
            ]
            self.assertEqual(tier, holds[0] if holds else 0)
        total = self.scored.totals
        found = totals.places(self.scored)
        np.testing.assert_array_equal(found == 1, total >= 12)
        np.testing.assert_array_equal(found == 2, total < 9)
        self.assertEqual(set(shares.places(self.scored)[~np.isnan(total)]), {1, 2, 3})
        self.assertEqual(set(shares.places(self.scored)[np.isnan(total)]), {0})

    def test_shares_as_ranges_are_the_shares(self):
        for names in (["all"], ["a", "b"], list("abcdefgh")):
            tiers = share_tiers(self.scored.totals, names)
            np.testing.assert_array_equal(
                by_total(self.scored.totals, tiers), by_share(self.scored.totals, len(names))
            )
        with self.assertRaises(ScoreError):
            share_tiers(self.scored.totals, [])

    def test_an_empty_tier_leaves_no_hole(self):
        totals = np.array([5.0, 5, 5, 5, np.nan])
        tiers = share_tiers(totals, ["a", "b", "c"])
        highs = [t.high for t in tiers]
        self.assertEqual(highs[1:], [t.low for t in tiers[:-1]])
        middle = middle_totals(totals, np.array([2, 2, 2, 2, 0], np.int32), 3)
        np.testing.assert_array_equal(middle, [np.nan, 5, np.nan])


class Neutral(unittest.TestCase):
    @given(st.lists(st.integers(2, 10), min_size=1, max_size=4))
    @settings(max_examples=80, deadline=None)
    def test_every_plot_is_held_once(self, bands):
        names = ["recency", "frequency", "monetary", "tenure"][: len(bands)]
        boxes = neutral_boxes(names, bands)
        times = coverage(bands, boxes).times
        self.assertEqual((times.min(), times.max()), (1, 1))
        self.assertEqual(len({box.name for box in boxes}), len(boxes))

    def test_words_follow_the_measures(self):
        self.assertEqual(
            neutral_boxes(["recency", "frequency"], [5, 5])[0].name, "Lately and often"
        )
        self.assertEqual(neutral_boxes(["tenure", "frequency"], [5, 5])[0].name, "High and high")
        with self.assertRaises(ScoreError):
            neutral_boxes([], [])


class Blocks(unittest.TestCase):
    def test_a_block_is_its_fields(self):
        rng = np.random.default_rng(5)
        across, up, third = (band(rng.normal(size=300).round(1), n, True) for n in (5, 10, 3))
        money = rng.integers(-500, 10**9, 300)
        rows = rng.random(300) < 0.6
        counts, cash = block(across, up, third, money, rows)
        for number in range(1, 4):
            own = field(across, up, money, rows & (third.bands == number))
            np.testing.assert_array_equal(counts[number, 1:, 1:], own.customers)
            np.testing.assert_array_equal(cash[number, 1:, 1:], own.money)
        self.assertEqual(block(across, up, None, money)[0].sum(), 300)

    def test_means_leave_out_who_has_no_value(self):
        across, up = (
            band(np.array([1.0, 2, 3, 4]), 2, True),
            band(np.array([1.0, 1, 1, 1]), 2, True),
        )
        mean = mean_in_plots(across, up, np.array([3.0, np.nan, 5, 7]))
        row = int(up.bands[0]) - 1
        np.testing.assert_array_equal(mean[row], [3, 6])
        self.assertTrue(np.isnan(mean[1 - row]).all())


class Closing(unittest.TestCase):
    def test_closed_gaps_are_frozen_too(self):
        values = np.array([1.0] * 50 + [5.0] * 25 + [9.0] * 25)
        table = Table((Column("x", "number", values),))
        plain = score(table, fit_score(table, (Asked("x"),))).bandings[0]
        closed = fit_score(table, (Asked("x", close=True),))
        found = score(table, closed).bandings[0]
        self.assertEqual((plain.asked, plain.empty), (5, 2))
        self.assertEqual((found.asked, found.empty), (3, 0))
        np.testing.assert_array_equal(found.sizes, plain.sizes[plain.sizes > 0])


class Why(unittest.TestCase):
    def test_parts_are_weighted_changes_of_bands(self):
        first, second = shop(missing=0), shop(seed=7, missing=0)
        frozen = fit_score(first, ASKED)
        before, after = score(first, frozen), score(second, frozen)
        who = np.zeros(400, np.bool_)
        who[:50] = True
        found = explain_bands(before, after, frozen, who)
        by_hand = sum(after.totals[n] - before.totals[n] for n in range(50))
        self.assertAlmostEqual(found.total, by_hand)
        self.assertAlmostEqual(float(found.parts.sum()), by_hand)
        self.assertAlmostEqual(float(found.shares.sum()), 1.0)
        still = explain_bands(before, before, frozen, who)
        self.assertEqual((still.total, still.shares.tolist()), (0.0, [0.0, 0.0, 0.0]))

    def test_boxes_are_kept_with_their_ranges(self):
        table = shop()
        ladder = Ladder(
            fit_score(table, ASKED), "boxes", boxes=(Box("x", ((1, 2), (1, 4), (2, 3))),)
        )
        self.assertEqual(
            Ladder.from_json(ladder.as_json()).boxes[0].ranges, ((1, 2), (1, 4), (2, 3))
        )
