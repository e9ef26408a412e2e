"""What chance alone moves, in worlds whose truth is known."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import date

import numpy as np

from sortija.core.crossings.chance import Chance, chance_of
from sortija.core.crossings.redrawn import Inputs
from sortija.core.crossings.yardsticks import ByCentres, ByLadder
from sortija.core.engine import Engine
from sortija.core.groups.assignment import place
from sortija.core.measures.window import Window
from sortija.core.scores.ladder import Ladder, share_tiers
from sortija.core.scores.recipe import Asked, fit_score, score
from tests.core.crossings.worlds import AFTER, BEFORE, MASK, SHAPING, World, grouping, world

QUARTER = Window(date(2026, 3, 31))


def _inputs(of: World, before: Window = BEFORE, *more: str) -> Inputs:
    return Inputs(of.log, before, AFTER, MASK, 2, frozenset((*SHAPING, *more)))


def _by_centres(of: World, k: int) -> ByCentres:
    return ByCentres(*grouping(of, k))


def _by_ladder(of: World) -> ByLadder:
    table = of.derived(AFTER).table
    asked = (Asked("recency", False), Asked("frequency"), Asked("monetary"))
    frozen = fit_score(table, asked)
    tiers = share_tiers(score(table, frozen).totals, ["a", "b", "c", "d"])
    return ByLadder(Ladder(frozen, "shares", tiers))


def _inside(found: Chance) -> np.ndarray:
    """Of the cells in which five or more are expected, which are as chance has it."""
    there = found.has_figure & (found.moves.mean >= 5)
    within = (found.observed >= found.moves.low) & (found.observed <= found.moves.high)
    return within[there]


class Unchanging(unittest.TestCase):
    """Nobody ever changes: not one view may tell of more than chance."""

    def test_cells_lie_inside_and_nobody_is_told_of(self) -> None:
        inside: list[np.ndarray] = []
        cases = [
            (12, 0.0, 1.0, BEFORE, 4), (12, 0.7, 3.0, BEFORE, 4), (4, 0.0, 1.0, BEFORE, 6),
            (5, 0.0, 3.0, BEFORE, 4), (12, 0.7, 1.0, QUARTER, 4), (12, 0.0, 3.0, QUARTER, 6),
            (30, 0.7, 3.0, BEFORE, 6), (8, 0.0, 1.0, BEFORE, 0), (12, 0.7, 1.0, QUARTER, 0),
        ]  # fmt: skip
        told = 0
        for seed, (visits, season, shape, before, k) in enumerate(cases):
            of = world(1200, visits, seed, season, shape)
            by = _by_centres(of, k) if k else _by_ladder(of)
            found = chance_of(_inputs(of, before), by)
            inside.append(_inside(found))
            told += int((np.nan_to_num(found.changed) >= 0.5).any())
        cells = np.concatenate(inside)
        self.assertGreater(len(cells), 150)
        self.assertGreaterEqual(cells.mean(), 0.93)
        self.assertEqual(told, 0)

    def test_steadiness_is_that_of_a_second_year(self) -> None:
        of = world(4000, 12, 2)
        by = _by_centres(of, 4)
        found = chance_of(_inputs(of), by, 20)
        k = by.k
        alike = 2 * np.trace(found.observed[:k, :k])
        seen = alike / (found.observed[:k].sum() + found.observed[:, :k].sum())
        self.assertAlmostEqual(float(found.steadiness.mean), float(seen), delta=0.02)
        self.assertLess(found.steadiness.low, found.steadiness.mean)

    def test_money_goes_back_to_the_middle_by_chance_alone(self) -> None:
        of = world(2500, 8, 5)
        found = chance_of(_inputs(of), _by_centres(of, 4))
        self.assertGreater(np.nanmax(found.money.mean[:4]), 1.15)  # the least "grow"
        self.assertLess(np.nanmin(found.money.mean[:4]), 1.0)  # the best "lose"


class Changing(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.world = world(4000, 24, 1, changing=0.1)
        cls.by = _by_centres(cls.world, 4)
        cls.found = chance_of(_inputs(cls.world), cls.by, 100, engine=Engine(2))

    def test_the_cells_of_those_who_changed_are_lit(self) -> None:
        found, changed = self.found, self.world.changed
        first, second = (
            place(of.table, self.by.preparation, self.by.centres, of.present, of.bought).state
            for of in map(self.world.derived, (BEFORE, AFTER))
        )
        real = np.zeros(found.observed.shape, np.int64)
        np.add.at(real, (first[changed], second[changed]), 1)
        above = found.observed - found.moves.high
        most = np.unravel_index(np.argsort(-real.ravel())[:3], real.shape)
        for origin, target in zip(*most, strict=True):
            if origin != target:
                with self.subTest(origin=origin, target=target):
                    self.assertGreater(above[origin, target], 0)

    def test_told_and_real_agree(self) -> None:
        chance = np.nan_to_num(self.found.changed)
        for level in (0.5, 0.8):
            who = chance >= level
            with self.subTest(level):
                self.assertGreater(who.sum(), 100)
                real = self.world.changed[who].mean()
                self.assertAlmostEqual(float(chance[who].mean()), float(real), delta=0.1)

    def test_what_was_seen_is_what_the_measures_and_the_yardstick_say(self) -> None:
        told = self.found.told
        first, second = (
            place(of.table, self.by.preparation, self.by.centres, of.present, of.bought).state
            for of in map(self.world.derived, (BEFORE, AFTER))
        )
        plain = np.zeros_like(self.found.observed)
        np.add.at(plain, (first[told], second[told]), 1)
        np.testing.assert_array_equal(self.found.observed, plain)
        self.assertEqual(self.found.moves.mean.sum().round(6), told.sum())

    def test_the_same_bits_on_any_number_of_threads(self) -> None:
        one = chance_of(_inputs(self.world), self.by, 5, engine=Engine(1))
        two = chance_of(_inputs(self.world), self.by, 5, engine=Engine(3))
        np.testing.assert_array_equal(one.moves.mean, two.moves.mean)
        np.testing.assert_array_equal(one.p, two.p)
        other = chance_of(_inputs(self.world), self.by, 5, seed=1)
        self.assertFalse(np.array_equal(one.moves.mean, other.moves.mean))


class Newcomers(unittest.TestCase):
    def test_who_came_within_the_windows_has_no_figure(self) -> None:
        of = world(900, 12, 3)
        start, log = of.log.start, of.log
        late = np.arange(900) % 3 == 0
        owner = np.repeat(np.arange(901), np.diff(start))
        kept = ~(np.append(late, False)[owner] & (log.day < AFTER.first_day(0) - 100))
        counts = np.bincount(owner[kept], minlength=901)
        arrays = {n: getattr(log, n)[kept] for n in
                  ("day", "receipt", "quantity", "money", "kind", "department", "site", "channel",
                   "bits")}  # fmt: skip
        young = World(replace(log, start=np.r_[0, np.cumsum(counts)], **arrays), of.changed)
        found = chance_of(_inputs(young), _by_centres(young, 4), 5)
        self.assertFalse(found.everybody)
        self.assertFalse(found.told[late].any())
        self.assertTrue(np.isnan(found.p[late]).all())
        self.assertGreater(found.told[~late].mean(), 0.95)
        self.assertFalse(found.has_figure[4].any())

    def test_a_log_of_two_years_tells_of_nobody_who_is_new(self) -> None:
        of = world(900, 6, 3, years=2)
        found = chance_of(_inputs(of), _by_centres(of, 4))
        self.assertTrue(found.everybody and found.told.all())
        self.assertGreaterEqual(_inside(found).mean(), 0.85)
        joined = np.full(900, np.nan)
        joined[:50] = AFTER.first_day(0)
        given = replace(_inputs(of), joined=joined)
        self.assertEqual(int((~chance_of(given, _by_centres(of, 4), 2).told).sum()), 50)


class AgainstEveryone(unittest.TestCase):
    def test_silence_and_trend_are_told_against_everyone_of_the_same_draw(self) -> None:
        of = world(1000, 14, 8)
        derived = of.derived(AFTER)
        asked = (Asked("silence", False, 3), Asked("trend", bands=3))
        frozen = fit_score(derived.table, asked)
        tiers = share_tiers(score(derived.table, frozen).totals, ["a", "b", "c"])
        by = ByLadder(Ladder(frozen, "shares", tiers))
        found = chance_of(_inputs(of, BEFORE, "silence", "trend"), by)
        k, told = by.k, found.told
        after = by.segments(derived.table, derived.present)
        np.testing.assert_array_equal(
            found.observed[:, :k].sum(axis=0), np.bincount(after[told & (after >= 0)], minlength=k)
        )
        self.assertGreaterEqual(_inside(found).mean(), 0.8)
