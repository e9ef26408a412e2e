"""Paths against counting them one by one."""

from __future__ import annotations

import unittest
from collections import Counter

import numpy as np

from sortija.core.crossings.paths import ANY, paths_of


class Paths(unittest.TestCase):
    def test_against_brute_force(self) -> None:
        rng = np.random.default_rng(1)
        for dates in (1, 2, 5, 36):
            states = [rng.integers(0, 6, 700).astype(np.int32) for _ in range(dates)]
            for at in range(1, dates):  # most stay where they are
                stays = rng.random(700) < 0.8
                states[at] = np.where(stays, states[at - 1], states[at]).astype(np.int32)
            found = paths_of(states)
            plain = Counter(zip(*(each.tolist() for each in states), strict=True))
            self.assertEqual(len(found.ways), len(plain))
            self.assertEqual(
                {
                    tuple(way): n
                    for way, n in zip(found.ways.tolist(), found.customers, strict=True)
                },
                plain,
            )
            self.assertEqual(sorted(found.customers, reverse=True), found.customers.tolist())
            for c in range(0, 700, 50):
                self.assertEqual(found.ways[found.of[c]].tolist(), [s[c] for s in states])

    def test_a_pattern_and_what_those_spent(self) -> None:
        rng = np.random.default_rng(2)
        states = [rng.integers(0, 4, 500).astype(np.int32) for _ in range(3)]
        money = rng.integers(0, 1000, 500)
        found = paths_of(states)
        fits = found.matching([2, ANY, 0])
        who = (states[0] == 2) & (states[2] == 0)
        self.assertEqual(found.customers[fits].sum(), who.sum())
        self.assertEqual(found.sums(money)[fits].sum(), money[who].sum())
        np.testing.assert_array_equal(fits[found.of], who)
        self.assertTrue(found.matching([ANY] * 3).all())

    def test_what_is_no_path(self) -> None:
        with self.assertRaises(ValueError):
            paths_of([])
        with self.assertRaises(ValueError):
            paths_of([np.zeros(2, np.int32), np.zeros(3, np.int32)])
        with self.assertRaises(ValueError):
            paths_of([np.zeros(2, np.int32)]).matching([0, 1])
