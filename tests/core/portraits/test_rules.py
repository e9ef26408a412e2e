"""Rules say of rows what the tree does, and their figures are those of rows it had not seen."""

import unittest

import numpy as np

from sortija.core.engine import Engine
from sortija.core.portraits.conditions import meets
from sortija.core.portraits.rules import held_back, retell, steadiness
from sortija.core.portraits.sentences import rule_words
from sortija.core.table import Column
from tests.core.portraits.support import random_table


class Retold(unittest.TestCase):
    def test_figures_are_counted_anew_from_the_conditions(self):
        engine = Engine(2)
        self.addCleanup(engine.release)
        two_ways = 0
        for seed in range(25):
            columns, groups, k = random_table(np.random.default_rng([seed, 5]), n=1200)
            found = retell(columns, groups, k, 1 + seed % 4, seed, engine)
            away = held_back(groups, k, seed)
            by_name = {column.name: column for column in columns}
            self.assertEqual(len(found.rules), k)
            for rule in found.rules:
                caught = np.zeros(len(groups), bool)
                for way in rule.ways:
                    caught |= meets(way, by_name, len(groups))
                with self.subTest(seed=seed, segment=rule.segment):
                    np.testing.assert_array_equal(caught, np.isin(found.reached, rule.leaves))
                    own = groups == rule.segment
                    hits = int((caught & own & away).sum())
                    self.assertEqual((rule.holds.count, rule.holds.of),
                                     (hits, int((own & away).sum())))  # fmt: skip
                    self.assertEqual((rule.belongs.count, rule.belongs.of),
                                     (hits, int((caught & away).sum())))  # fmt: skip
                two_ways += len(rule.ways) == 2
            told = np.array([found.tree.nodes[leaf].told for leaf in found.reached])
            self.assertEqual(found.right.count, int((told == groups)[away].sum()))
            self.assertEqual(found.errs.sum(), away.sum())
            self.assertEqual(found.errs[0].sum(), (groups[away] == 0).sum())
            np.testing.assert_array_equal(found.counts[0], np.bincount(groups, minlength=k))
        self.assertGreater(two_ways, 5)

    def test_clear_groups_are_retold_in_their_own_words(self):
        rng = np.random.default_rng(8)
        visits = rng.integers(1, 21, 3000).astype(float)
        plan = rng.integers(1, 4, 3000).astype(np.int32)
        groups = np.where(visits < 3, 0, np.where(plan == 2, 1, 2))
        columns = [Column("visits", "number", visits),
                   Column("plan", "category", plan, "", ("card", "plus", "none"))]  # fmt: skip
        found = retell(columns, groups, 3)
        words = [rule_words(rule.ways, str) for rule in found.rules]
        self.assertEqual(words[0], "visits under 3")
        self.assertEqual(words[1], "plan plus, visits 3 and more")
        self.assertEqual(words[2], "plan not plus, visits 3 and more")
        self.assertEqual(found.right.value, 1.0)
        self.assertEqual(steadiness(columns, groups, 3), 1.0)

    def test_where_nothing_is_to_be_told_the_rest_says_so(self):
        better = []
        for seed in range(30):
            rng = np.random.default_rng([seed, 6])
            columns = [Column(f"x{n}", "number", rng.normal(size=2000)) for n in range(6)]
            found = retell(columns, rng.integers(0, 3, 2000), 3, seed=seed)
            better.append(found.right.value - 1 / 3)
        self.assertLess(abs(np.mean(better)), 0.012)  # as good as guessing, on rows not seen

    def test_a_question_by_chance_is_not_steady(self):
        rng = np.random.default_rng(9)
        columns = [Column(f"x{n}", "number", rng.normal(size=1500)) for n in range(8)]
        self.assertLess(steadiness(columns, rng.integers(0, 3, 1500), 3), 0.7)

    def test_nothing_to_ask_about(self):
        groups = np.repeat([0, 1], [70, 30])
        found = retell([], groups, 2)
        self.assertEqual((found.rules, found.counts.tolist()), ((), [[70, 30]]))
        self.assertEqual((found.right.count, found.right.of), (21, 30))
        self.assertTrue(np.isnan(steadiness([], groups, 2)))

    def test_too_few_rows_have_no_rules(self):
        found = retell([Column("x", "number", np.arange(10.0))], np.arange(10) // 5, 2)
        self.assertEqual(found.rules, ())
        self.assertEqual(found.right.of, 4)
