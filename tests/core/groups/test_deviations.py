"""How far groups stand from everyone, against plain arithmetic on a table."""

import unittest

import numpy as np

from sortija.core.groups.deviations import deviations_of, most_changed
from sortija.core.groups.recipe import Recipe, prepare
from sortija.core.measures.preparation import Steps
from sortija.core.table import Column, Table

PLAIN = Steps(transform="none", scale="z")


def table(rng, n=900):
    groups = rng.integers(0, 3, n).astype(np.int32)
    spend = rng.normal(10, 2, n) + 3.0 * (groups == 1)
    noise = rng.normal(0, 1, n)
    plan = np.where(groups == 2, rng.random(n) < 0.8, rng.random(n) < 0.3).astype(np.int32) + 1
    columns = (
        Column("spend", "number", spend),
        Column("noise", "number", noise),
        Column("plan", "category", plan, levels=("card", "plus")),
    )
    return Table(columns), groups, spend, plan


class Deviations(unittest.TestCase):
    def setUp(self):
        self.table, self.groups, self.spend, self.plan = table(np.random.default_rng(7))
        recipe = Recipe(
            {"spend": PLAIN, "noise": PLAIN}, categories=("plan",), weights={"spend": 3.0}
        )
        self.rows = prepare(self.table, recipe)
        self.found = deviations_of(self.rows, self.groups, 3)

    def of(self, group, name):
        return next(each for each in self.found[group] if each.name == name)

    def test_numbers_in_everyones_deviations_whatever_their_weight(self):
        for group in range(3):
            own = self.spend[self.groups == group].mean()
            wanted = (own - self.spend.mean()) / self.spend.std()
            self.assertAlmostEqual(self.of(group, "spend").by, wanted, places=4)

    def test_a_category_by_the_level_that_is_most_above_its_usual_share(self):
        for group, level in ((0, "card"), (1, "card"), (2, "plus")):
            code = 2 if level == "plus" else 1
            usual = np.mean(self.plan == code)
            here = np.mean(self.plan[self.groups == group] == code)
            told = self.of(group, "plan")
            self.assertEqual(told.level, level)
            self.assertAlmostEqual(told.by, (here - usual) / np.sqrt(usual * (1 - usual)))

    def test_where_nothing_is_going_on_nothing_stands_far_out(self):
        rng = np.random.default_rng(11)
        shuffled = rng.permutation(self.groups)
        far = [abs(each.by) for row in deviations_of(self.rows, shuffled, 3) for each in row]
        self.assertLess(max(far), 0.25)

    def test_what_changes_most_from_one_group_to_another(self):
        most = most_changed(self.found[0], self.found[1])
        spend = [self.spend[self.groups == g].mean() for g in (0, 1)]
        self.assertEqual(most.name, "spend")
        self.assertAlmostEqual(most.by, (spend[1] - spend[0]) / self.spend.std(), places=4)
        self.assertIsNone(most_changed([], self.found[1]))

    def test_an_empty_group_has_none_and_a_constant_column_says_nothing(self):
        rows = self.rows
        self.assertEqual(deviations_of(rows, np.zeros(len(rows), np.int32), 2)[1], [])
        alone = deviations_of(rows, np.zeros(len(rows), np.int32), 1)[0]
        for each in alone:
            self.assertAlmostEqual(each.by, 0.0, places=6)
