"""Customers who keep their segment over a border, against a plain reading of the rule."""

from __future__ import annotations

import unittest
from datetime import date

import numpy as np

from sortija.core.crossings.chance import chance_of
from sortija.core.crossings.hysteresis import held
from sortija.core.crossings.redrawn import Inputs
from sortija.core.crossings.yardsticks import ByCentres
from sortija.core.groups.assignment import place
from sortija.core.measures.window import Window
from tests.core.crossings.worlds import AFTER, BEFORE, MASK, SHAPING, grouping, world


class Held(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.of = world(3000, 12, 5, changing=0.1)
        cls.preparation, cls.centres = grouping(cls.of, 4)
        cls.tables, states = [], []
        for window in (BEFORE, AFTER):
            made = cls.of.derived(window)
            placed = place(made.table, cls.preparation, cls.centres, made.present, made.present)
            cls.tables.append(made.table)
            states.append(placed.state)
        cls.before, cls.after = states

    def held(self, hold: float) -> np.ndarray:
        return held(
            self.before, self.after, self.tables[1], self.preparation, self.centres, hold
        )  # fmt: skip

    def test_who_moves_is_nearer_by_more_than_the_margin(self) -> None:
        k, hold = 4, 0.3
        out = self.held(hold)
        moved = (self.before < k) & (self.after < k) & (self.before != self.after)
        rows = self.preparation.rows(self.tables[1], moved)
        points = np.asarray(rows.numbers, np.float64)
        centres = np.asarray(self.centres.numbers, np.float64)
        self.assertGreater(len(rows.rows), 300)
        for place_, row in enumerate(rows.rows):
            one, other = int(self.before[row]), int(self.after[row])
            far = [float(((points[:, place_] - centres[c]) ** 2).sum()) for c in (one, other)]
            apart = float(((centres[one] - centres[other]) ** 2).sum())
            margin = (far[0] - far[1]) / apart
            if abs(margin - hold) > 1e-4:
                self.assertEqual(out[row], other if margin > hold else one)
        np.testing.assert_array_equal(out[~moved], self.after[~moved])

    def test_without_a_margin_nobody_is_kept_and_a_greater_one_keeps_more(self) -> None:
        np.testing.assert_array_equal(self.held(0.0), self.after)
        stayed = [int((self.held(h) == self.before).sum()) for h in (0.0, 0.1, 0.3, 0.6, 1.0)]
        self.assertEqual(stayed, sorted(stayed))
        self.assertGreater(stayed[-1], stayed[0] + 100)

    def test_chance_is_kept_in_place_as_well(self) -> None:
        inputs = Inputs(self.of.log, BEFORE, AFTER, MASK, 2, frozenset(SHAPING))
        free, kept = (
            chance_of(inputs, ByCentres(self.preparation, self.centres, h), 12) for h in (0.0, 0.3)
        )
        off = ~np.eye(4, dtype=bool)
        moves = [float(each.moves.mean[:4, :4][off].sum()) for each in (free, kept)]
        self.assertLess(moves[1], 0.8 * moves[0])
        # What was seen is what the rule makes of it, and who has changed does not hang on it.
        seen = np.zeros((7, 7), np.int64)
        told = kept.told
        np.add.at(seen, (self.before[told], self.held(0.3)[told]), 1)
        np.testing.assert_array_equal(kept.observed[:4, :4], seen[:4, :4])
        np.testing.assert_array_equal(kept.changed, free.changed)


class KeptFromADateBefore(unittest.TestCase):
    """Nobody changes, and everybody is kept in place from a year earlier on."""

    def test_cells_lie_inside(self) -> None:
        inside, moves = [], []
        for seed, (visits, season, k, hold) in enumerate(
            [(12, 0.0, 4, 0.3), (12, 0.7, 4, 0.3), (5, 0.0, 4, 0.5), (30, 0.7, 6, 0.3)]
        ):
            of = world(1200, visits, 40 + seed, season)
            preparation, centres = grouping(of, k)
            made = of.derived(Window(date(2024, 6, 30)))
            there = made.present
            earlier = place(made.table, preparation, centres, there, there).state
            inputs = Inputs(of.log, BEFORE, AFTER, MASK, 2, frozenset(SHAPING))
            found = chance_of(inputs, ByCentres(preparation, centres, hold), earlier=earlier)
            tell = found.has_figure & (found.moves.mean >= 5)
            within = (found.observed >= found.moves.low) & (found.observed <= found.moves.high)
            inside.append(within[tell])
            off = ~np.eye(k, dtype=np.bool_)
            moves.append((found.observed[:k, :k][off].sum(), found.moves.mean[:k, :k][off].sum()))
        cells = np.concatenate(inside)
        self.assertGreater(len(cells), 70)
        self.assertGreaterEqual(cells.mean(), 0.93)
        seen, drawn = np.array(moves).sum(axis=0)
        self.assertAlmostEqual(seen / drawn, 1, delta=0.05)
