"""Where there is nothing to find it is said so; where there is, it is found.

``python -m tests.worlds`` tries the same twenty times over at full size.
"""

import json
import unittest

import numpy as np

from sortija.core.engine import Engine
from sortija.core.groups.suggestion import suggest
from sortija.core.groups.valleys import valley
from sortija.core.groups.verdict import Verdict, in_doubt, judge
from tests import worlds
from tests.core.groups.support import rows_of

KS = range(2, 6)


class Worlds(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.engine = Engine(2)
        cls.addClassCleanup(cls.engine.release)

    def told(self, world, seed, n=1500):
        made = world(np.random.default_rng([seed, 7]), n)
        return worlds.of_table(*made, self.engine, KS, resample=False)

    def test_one_population_is_no_grouping(self):
        found = {
            (name, seed): self.told(world, seed)[0].level
            for name, world in worlds.NOTHING.items() for seed in range(2)
        }  # fmt: skip
        self.assertLessEqual(list(found.values()).count("holds"), 1, found)  # once by chance

    def test_groups_three_deviations_apart_are_found(self):
        for name, (k, world) in worlds.GROUPS.items():
            verdict, said = self.told(world, 1, 2500)
            self.assertEqual((verdict.level, said.k), ("holds", k), f"{name}: {said.words}")

    def test_logs_of_one_kind_and_of_several(self):
        for name, kinds in worlds.LOGS.items():
            made = worlds.log_of(kinds, np.random.default_rng([1, 11]), 1500)
            verdict, said = worlds.of_log(*made, self.engine, KS, resample=False)
            self.assertEqual(set(verdict.silhouettes), {"even", "bulk", "population"})
            if len(kinds) == 1:
                self.assertNotEqual(verdict.level, "holds", said.words)
                self.assertIsNone(said.k)
            else:
                self.assertEqual(verdict.level, "holds", f"{name}: {said.words}")


class Judging(unittest.TestCase):
    def nulls(self, *means, seed=1):
        rng = np.random.default_rng(seed)
        return {
            kind: np.stack([m + 0.01 * rng.normal(size=(12, 2)), 0.01 * rng.random((12, 2))])
            for kind, m in zip(("even", "bulk", "population"), means, strict=False)
        }

    def test_by_definition(self):
        nulls = self.nulls(0.4, 0.3)
        verdict = judge([2, 3], [0.5, 0.45], [np.nan, np.nan], nulls)
        for kind, tables in nulls.items():
            found, own = verdict.silhouettes[kind], np.array([0.5, 0.45])
            z = (own - tables[0].mean(axis=0)) / tables[0].std(axis=0, ddof=1)
            np.testing.assert_allclose(found.excess, z)
            theirs = []
            for t in range(12):
                rest = np.delete(tables[0], t, axis=0)
                theirs.append(((tables[0][t] - rest.mean(0)) / rest.std(0, ddof=1)).max())
            self.assertAlmostEqual(found.most, max(theirs))
        self.assertEqual(verdict.level, "holds")
        self.assertAlmostEqual(verdict.reached(3), nulls["even"][0][:, 1].mean())
        again = Verdict.from_json(json.loads(json.dumps(verdict.as_json())))
        self.assertEqual((again.level, again.unlike, again.ks), ("holds", "", (2, 3)))

    def test_barely_and_not_at_all(self):
        barely = judge([2, 3], [0.5, 0.5], [0.0, 0.0], self.nulls(0.5, 0.3, 0.3))
        self.assertEqual((barely.level, barely.failed), ("barely", ("even",)))
        words = suggest([2, 3], [0.5, 0.5], [0.9, 0.9], [0.3, 0.3], barely).words
        self.assertIn("Barely a grouping", words)
        self.assertIn("not from made-up customers who spread evenly", words)
        none = judge([2, 3], [0.5, 0.5], [0.0, 0.0], self.nulls(0.5, 0.5, 0.3))
        self.assertEqual(none.level, "none")
        self.assertIn("No clear grouping", suggest([2], [0.5], [0.9], [0.3], none).words)
        # One kind of tables alone: nothing is barely told from it.
        self.assertEqual(judge([2, 3], [0.5, 0.5], [0, 0], self.nulls(0.5)).level, "none")

    def test_a_valley_holds_where_silhouettes_do_not(self):
        found = judge([2, 3], [0.5, 0.5], [0.2, 0.2], self.nulls(0.5, 0.5))
        self.assertEqual(found.level, "holds")

    def test_of_three_dozen_tables_one_may_reach_further(self):
        """One table of twelve that reaches further calls for more; of 36 it is let pass, two are
        not."""
        spread = np.linspace(0.39, 0.41, 12)[:, None]
        odd = spread.copy()
        odd[3] = 0.47
        flat = np.zeros((12, 1))
        own = np.array([[0.48], [0.0]])
        for tables, doubt, level in (
            ([spread], (), "holds"), ([odd], ("even",), "none"),
            ([odd, spread, spread], (), "holds"), ([odd, odd, spread], (), "none"),
        ):  # fmt: skip
            every = np.stack([np.concatenate(tables), np.concatenate([flat] * len(tables))])
            with self.subTest(tables=len(tables), level=level):
                self.assertEqual(in_doubt(own, {"even": every}), doubt)
                self.assertEqual(judge([2], *own, {"even": every}).level, level)
        # What is not above the least needs no second look, nor what holds by its valleys.
        both = {"even": np.stack([odd, flat])}
        self.assertEqual(in_doubt(np.array([[0.41], [0.0]]), both), ())
        self.assertEqual(in_doubt(np.array([[0.48], [0.2]]), both), ())

    def test_tables_that_agree_by_chance_are_not_taken_for_certain(self):
        nulls = {"even": np.stack([np.full((12, 1), 0.4), np.zeros((12, 1))])}
        self.assertEqual(judge([2], [0.41], [0.0], nulls).level, "none")
        self.assertEqual(judge([2], [0.42], [0.0], nulls).level, "holds")

    def test_valleys(self):
        rng = np.random.default_rng(3)
        hill = rng.normal(size=(3000, 2))
        halves = (hill[:, 0] > 0).astype(np.int32)
        self.assertLess(valley(rows_of(hill), halves, 2), 0.02)
        two = hill + 6 * rng.integers(0, 2, (3000, 1))
        self.assertGreater(valley(rows_of(two), (two[:, 0] > 3).astype(np.int32), 2), 0.1)
        codes = rows_of(np.zeros((4, 0)), np.ones((4, 1)), [1.0])
        self.assertTrue(np.isnan(valley(codes, np.zeros(4, np.int32), 2)))


if __name__ == "__main__":
    unittest.main()
