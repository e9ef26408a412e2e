"""Sizes to come, in worlds whose rates are known."""

from __future__ import annotations

import unittest
from itertools import pairwise

import numpy as np

from sortija.core.crossings.projection import WhatIf, periods_until, project
from sortija.core.groups.assignment import place
from sortija.core.measures.window import Window
from tests.core.crossings.worlds import AFTER, grouping, world

RATES = np.array([[0.7, 0.2, 0.1], [0.15, 0.75, 0.1], [0.05, 0.05, 0.9]])


def _step(rng: np.random.Generator, sizes: np.ndarray, rates: np.ndarray) -> np.ndarray:
    return np.array([rng.multinomial(n, row) for n, row in zip(sizes, rates, strict=True)])


def _world(seed: int, steps: int, wobble: float = 0.0) -> tuple[list[np.ndarray], np.ndarray]:
    """Observed steps, and the sizes one and two periods later."""
    rng = np.random.default_rng(seed)
    sizes = np.array([400, 300, 200])
    tables = []
    for _ in range(steps + 2):
        rates = RATES
        if wobble:
            rates = np.array([rng.dirichlet(row / wobble) for row in RATES])
        tables.append(_step(rng, sizes, rates))
        sizes = tables[-1].sum(axis=0)
    return tables, np.array([table.sum(axis=0) for table in tables])


class Projected(unittest.TestCase):
    def _covered(self, steps: int, wobble: float) -> float:
        inside = []
        for seed in range(60):
            tables, sizes = _world(seed, steps, wobble)
            found = project(tables[:steps], sizes[steps - 1], [], 0, 2, draws=300)
            for period in (1, 2):
                real = sizes[steps - 1 + period]
                inside.append((real >= found.low[period]) & (real <= found.high[period]))
        return float(np.mean(inside))

    def test_intervals_cover_what_comes(self) -> None:
        self.assertGreaterEqual(self._covered(2, 0.0), 0.91)
        self.assertLessEqual(self._covered(2, 0.0), 0.99)

    def test_they_cover_where_customers_are_placed_by_chance_and_nobody_changes(self) -> None:
        """States are noisy readings of rates that never change, so no true Markov chain."""
        inside = []
        ends = [Window(AFTER.last_day.replace(year=year)) for year in range(2022, 2027)]
        for seed in range(20):
            of = world(1200, (4, 12, 20)[seed % 3], seed, season=0.5 * (seed % 2), years=6)
            preparation, centres = grouping(of, 4, ends[2])
            states = []
            for end in ends:
                made = of.derived(end)
                known = np.ones(len(made.present), np.bool_)
                states.append(
                    place(made.table, preparation, centres, made.present, known).state
                )  # fmt: skip
            tables = [
                np.bincount(a * 7 + b, minlength=49).reshape(7, 7) for a, b in pairwise(states)
            ]
            now = np.bincount(states[2], minlength=7)
            found = project(tables[:2], now, [], 4, 2, draws=300)
            for period in (1, 2):
                real = np.bincount(states[2 + period], minlength=7)
                within = (real >= found.low[period]) & (real <= found.high[period])
                inside.append(within[:4][now[:4] > 20])
        self.assertGreaterEqual(np.concatenate(inside).mean(), 0.9)

    def test_rates_that_vary_between_periods_widen_them(self) -> None:
        self.assertGreaterEqual(self._covered(6, 0.02), 0.88)

    def test_nobody_is_lost_and_the_new_come_in(self) -> None:
        tables, sizes = _world(1, 3)
        found = project(tables[:3], sizes[2], [50, 70], 0, 4, draws=200)
        for period in range(5):
            self.assertAlmostEqual(found.mean[period].sum(), sizes[2].sum() + 60 * period, delta=6)
        np.testing.assert_array_equal(found.mean[0], sizes[2])

    def test_what_if_one_way_were_taken_more_seldom(self) -> None:
        tables, sizes = _world(2, 3)
        as_is = project(tables[:3], sizes[2], [], 0, 1, draws=400)
        never = project(tables[:3], sizes[2], [], 0, 1, WhatIf(0, 1, 0.0), draws=400)
        fewer = as_is.mean[1, 1] - never.mean[1, 1]
        self.assertAlmostEqual(fewer, 0.2 * sizes[2][0], delta=0.05 * sizes[2][0])
        again = project(tables[:3], sizes[2], [], 0, 1, draws=400)
        np.testing.assert_array_equal(as_is.mean, again.mean)

    def test_time_until_a_state_is_first_reached(self) -> None:
        found = periods_until(RATES, 2)
        rng = np.random.default_rng(3)
        took = []
        for _ in range(4000):
            state, time = 0, 0
            while state != 2:
                state, time = int(rng.choice(3, p=RATES[state])), time + 1
            took.append(time)
        self.assertAlmostEqual(found[0], float(np.mean(took)), delta=0.4)
        stuck = np.array([[0.5, 0.3, 0.2], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]])
        self.assertEqual(periods_until(stuck, 2).tolist(), [np.inf, np.inf, 0.0])

    def test_without_a_step(self) -> None:
        with self.assertRaises(ValueError):
            project([], np.array([1, 2]), [], 0, 1)
