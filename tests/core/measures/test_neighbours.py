"""Nearest neighbours against every distance worked out by hand."""

import json
import unittest

import numpy as np

from sortija.core.engine import Engine
from sortija.core.groups.recipe import Preparation, Recipe, prepare
from sortija.core.measures.neighbours import Donors, choose_donors, donors_for, fill_column
from sortija.core.measures.preparation import Steps
from sortija.core.table import Column, Table

RNG = np.random.default_rng(6)
N = 120


def table(holes=0.2):
    a = RNG.normal(50, 10, N)
    b = a * 2 + RNG.normal(0, 3, N)
    c = RNG.lognormal(2, 1, N)
    for values in (a, b, c):
        values[RNG.random(N) < holes] = np.nan
    codes = RNG.integers(0, 4, N).astype(np.int32)
    return Table((
        Column("a", "number", a), Column("b", "number", b), Column("c", "number", c),
        Column("d", "category", codes, "", ("x", "y", "z")),
    ))  # fmt: skip


STEPS = {"a": Steps(), "b": Steps(), "c": Steps(transform="log")}


def gower(data, donors, row, other):
    """Mean over the columns that both have: |difference| / range, or 0 and 1 for categories."""
    parts = []
    for place, name in enumerate(STEPS):
        values = np.array(data[name].values)
        values = np.log1p(values) if name == "c" else values
        if not np.isnan(values[row]) and not np.isnan(values[other]):
            low, span = donors.low[place], donors.span[place]
            x, y = (np.clip((v - low) / span, 0, 1) for v in (values[row], values[other]))
            parts.append(abs(x - y))
    codes = data["d"].values
    if codes[row] and codes[other]:
        parts.append(float(codes[row] != codes[other]))
    return np.mean(parts) if parts else np.inf


class Filling(unittest.TestCase):
    def setUp(self):
        self.data = table()
        self.everyone = np.ones(N, bool)
        self.donors = choose_donors(self.data, STEPS, ("d",), self.everyone, 3)

    def test_the_five_nearest_give_their_mean(self):
        values = np.array(self.data["b"].values)
        filled = fill_column(self.donors, self.data, "b", self.everyone)
        for row in np.flatnonzero(np.isnan(values)):
            others = [o for o in range(N) if not np.isnan(values[o])]
            away = [(gower(self.data, self.donors, row, o), o) for o in others]
            near = [o for d, o in sorted(away) if np.isfinite(d)][:5]
            self.assertAlmostEqual(filled[row], values[near].mean() if near else np.nan, 9)
            given = donors_for(self.donors, self.data, "b", int(row))
            self.assertAlmostEqual(given.value, filled[row])
            self.assertEqual([who for who, _, _ in given.donors], near)
        there = ~np.isnan(values)
        np.testing.assert_array_equal(filled[there], values[there])

    def test_it_guesses_better_than_the_median(self):
        full = table(holes=0.0)
        hidden = np.array(full["b"].values)
        gone = np.arange(N) % 4 == 0
        holed = Table((full["a"], Column("b", "number", np.where(gone, np.nan, hidden)),
                       full["c"], full["d"]))  # fmt: skip
        donors = choose_donors(holed, STEPS, ("d",), self.everyone, 3)
        filled = fill_column(donors, holed, "b", self.everyone)
        error = np.abs(filled - hidden)[gone].mean()
        self.assertLess(error, np.abs(np.nanmedian(hidden[~gone]) - hidden)[gone].mean() / 2)

    def test_only_the_rows_asked_for_and_on_any_threads(self):
        some = np.arange(N) < 60
        filled = fill_column(self.donors, self.data, "b", some)
        self.assertTrue(np.isnan(filled[60:]).any())
        self.assertFalse(np.isnan(filled[:60]).any())
        np.testing.assert_array_equal(
            filled, fill_column(self.donors, self.data, "b", some, engine=Engine(2))
        )

    def test_frozen_donors_fill_alike(self):
        again = Donors.from_json(json.loads(json.dumps(self.donors.as_json())))
        np.testing.assert_array_equal(
            fill_column(again, self.data, "b", self.everyone),
            fill_column(self.donors, self.data, "b", self.everyone),
        )

    def test_donors_are_drawn_once_and_for_all(self):
        few = choose_donors(self.data, STEPS, ("d",), self.everyone, 3, most=20)
        again = choose_donors(self.data, STEPS, ("d",), self.everyone, 3, most=20)
        self.assertEqual(few.rows.tolist(), again.rows.tolist())
        self.assertEqual(len(few), 20)
        with self.assertRaises(ValueError):
            fill_column(few, self.data, "nothing", self.everyone)

    def test_whoever_shares_nothing_stays_without(self):
        lone = Table(tuple(
            Column(c.name, c.kind, np.where(np.arange(N) == 7, np.nan if c.kind == "number" else 0,
                                            c.values), "", c.levels)
            for c in self.data
        ))  # fmt: skip
        donors = choose_donors(lone, STEPS, ("d",), self.everyone, 3)
        self.assertTrue(np.isnan(fill_column(donors, lone, "b", self.everyone)[7]))


class InARecipe(unittest.TestCase):
    def test_the_preparation_freezes_its_donors(self):
        data, present = table(), np.arange(N) < 100
        recipe = Recipe(
            {"a": Steps(fill="median"), "b": Steps(fill="neighbours"), "c": Steps(fill="mode")},
            ("d",), method="k-prototypes",
        )  # fmt: skip
        rows = prepare(data, recipe, present)
        self.assertEqual(rows.rows.tolist(), list(range(100)))  # all filled, nobody else brought in
        again = Preparation.from_json(json.loads(json.dumps(rows.preparation.as_json())))
        np.testing.assert_array_equal(again.rows(data, present).numbers, rows.numbers)
        plain = prepare(data, Recipe({"a": Steps()}, method="k-means"), present)
        self.assertIsNone(plain.preparation.donors)
        self.assertLess(len(plain), 100)


if __name__ == "__main__":
    unittest.main()
