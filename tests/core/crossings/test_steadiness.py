"""Steadiness and reliability against a second year of the same world."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np
from scipy.stats import spearmanr

from sortija.core.crossings.chance import chance_of
from sortija.core.crossings.redrawn import Inputs
from sortija.core.crossings.steadiness import steadiness_of
from sortija.core.crossings.yardsticks import ByCentres
from sortija.core.engine import Engine
from sortija.core.groups.grouping import group
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.measures.preparation import Steps
from sortija.core.measures.window import Window
from tests.core.crossings.worlds import AFTER, BEFORE, MASK, SHAPING, grouping, world


def _inputs(of, before=BEFORE, after=AFTER):
    return Inputs(of.log, before, after, MASK, 2, frozenset(SHAPING))


def _by(of, names, after=AFTER, k=4):
    """Four groups by some of the measures of a window."""
    made = of.derived(after)
    recipe = Recipe({name: Steps(transform="log") for name in names}, method="k-means")
    rows = prepare(made.table, recipe, made.present)
    return ByCentres(rows.preparation, group(rows, k, recipe).centres)


class Steadiness(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.of = world(4000, 12, 7, years=5)

    def test_of_several_groupings_at_once_as_of_each_alone(self) -> None:
        yardsticks = [ByCentres(*grouping(self.of, k)) for k in (3, 6)]
        found = steadiness_of(_inputs(self.of), yardsticks, 20, engine=Engine(2))
        for by, steady in zip(yardsticks, found.groupings, strict=True):
            alone = chance_of(_inputs(self.of), by, 20)
            self.assertAlmostEqual(steady.mean, float(alone.steadiness.mean), places=12)
            k = by.k
            seen = (
                2
                * np.trace(alone.observed[:k, :k])
                / (alone.observed[:k].sum() + alone.observed[:, :k].sum())
            )
            self.assertAlmostEqual(steady.mean, float(seen), delta=0.02)
            self.assertLess(steady.low, steady.mean)
        # Fewer groups have fewer borders to hop over.
        self.assertGreater(found.groupings[0].mean, found.groupings[1].mean + 0.05)

    def test_a_measure_ranks_customers_as_a_second_year_does(self) -> None:
        found = steadiness_of(_inputs(self.of), [], 20)
        before, after = (self.of.derived(window).table for window in (BEFORE, AFTER))
        for name, absent in (("recency", 365.0), ("frequency", 0.0), ("monetary", 0.0)):
            one, other = (np.asarray(table[name].values) for table in (before, after))
            there = ~(np.isnan(one) & np.isnan(other))
            seen = spearmanr(*(np.nan_to_num(v, nan=absent)[there] for v in (one, other)))[0]
            self.assertAlmostEqual(found.measures[name], float(seen), delta=0.03)
        self.assertLess(found.measures["recency"], 0.35)
        self.assertGreater(found.measures["frequency"], 0.7)

    def test_what_makes_a_grouping_steadier(self) -> None:
        usual, calmer, luck = (_by(self.of, names) for names in (SHAPING, SHAPING[1:], SHAPING[:1]))
        year = steadiness_of(_inputs(self.of), [usual, calmer, luck], 20).groupings
        self.assertGreater(year[1].mean, year[0].mean + 0.05)
        self.assertLess(year[2].mean, 0.45)
        longer = [Window(BEFORE.last_day.replace(year=2024), 24), Window(AFTER.last_day, 24)]
        twice = _by(self.of, SHAPING, longer[1])
        [two_years] = steadiness_of(_inputs(self.of, *longer), [twice], 20).groupings
        self.assertGreater(two_years.mean, year[0].mean + 0.05)

    def test_the_same_bits_on_any_number_of_threads(self) -> None:
        by, small = ByCentres(*grouping(self.of, 4)), replace(_inputs(self.of))
        one, two = (steadiness_of(small, [by], 3, engine=Engine(n)) for n in (1, 2))
        self.assertEqual(one, two)

    def test_nobody_to_tell_of(self) -> None:
        empty = world(40, 12, 3)
        with self.assertRaises(ValueError):
            steadiness_of(_inputs(empty, AFTER, BEFORE), [], 2)
