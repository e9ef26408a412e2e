"""Offers by group: plain counts, worlds with a pattern and without one."""

import csv
import tempfile
import unittest
from pathlib import Path

import numpy as np

from sortija.core.portraits.offers import (
    CLEAR,
    Attribute,
    attributes_of,
    preferred,
    take_up,
)
from sortija.demo.files import GRATEFUL, write_demo
from sortija.demo.files import THEMES as DEMO_THEMES
from sortija.demo.world import ARCHETYPES

THEMES = ("early start", "stock up", "learn", "give")


def world(rng, offers=24, k=4, lift=0.0):
    """Rates of offers with two attributes; group 1 likes the first theme by ``lift``."""
    theme = tuple(THEMES[n % 4] for n in range(offers))
    off = tuple(str(5 * rng.integers(0, 4)) for _ in range(offers))
    rates = np.clip(rng.normal(0.15, 0.05, (offers, 1)) + rng.normal(0, 0.03, (offers, k)), 0, 1)
    rates[[n for n in range(offers) if n % 4 == 0], 1] += lift
    return rates, [Attribute("theme", theme), Attribute("off", off)]


class TakingUp(unittest.TestCase):
    def test_plain_counts(self):
        rng = np.random.default_rng(31)
        groups = rng.integers(0, 4, 900)  # of whom those of group 3 are outside
        answers = [rng.choice([0.0, 1.0, np.nan], 900, p=[0.3, 0.1, 0.6]) for _ in range(3)]
        answers.append(np.where(rng.random(900) < 0.1, 1.0, np.nan))  # takers alone are known
        found = take_up(answers, groups, 3)
        for n, answer in enumerate(answers):
            for g in range(3):
                mine = groups == g
                self.assertEqual(found.took[n, g], np.sum(answer[mine] == 1))
                base = np.sum(~np.isnan(answer[mine])) if n < 3 else mine.sum()
                self.assertEqual(found.received[n, g], base)
        self.assertEqual(found.known.tolist(), [True, True, True, False])

    def test_attributes(self):
        told = [
            {"theme": "give", "off": "10%", "from": "£20"}, {"theme": " learn ", "off": "5%"},
            {"off": "15%", "from": "£20"}, {"theme": "give", "off": "20%", "from": ""},
        ]  # fmt: skip
        theme, off, least = attributes_of(told)
        self.assertEqual(theme.values, ("give", "learn", "", "give"))
        self.assertEqual(off.values, ("under 15", "under 15", "15 and more", "15 and more"))
        self.assertEqual(least.values, ("£20", "", "£20", ""))


class Preferring(unittest.TestCase):
    def test_a_pattern_is_found_where_there_is_one(self):
        found = 0
        for seed in range(20):
            rates, attributes = world(np.random.default_rng(seed), lift=0.15)
            best = preferred(rates, attributes)[0]
            found += best.p < CLEAR and (best.group, best.value) == (1, "early start")
            mine = np.arange(24) % 4 == 0
            if (best.group, best.value) == (1, "early start"):
                self.assertAlmostEqual(best.with_it, rates[mine, 1].mean())
                self.assertAlmostEqual(best.without, rates[~mine, 1].mean())
                self.assertEqual((best.offers, best.of), (6, 24))
        self.assertGreaterEqual(found, 18)

    def test_where_there_is_none_hardly_any_is_told(self):
        """Of 300 shuffled worlds about one in twenty tells anything, of any group and value."""
        alarms = 0
        for seed in range(300):
            rng = np.random.default_rng(1000 + seed)
            rates, attributes = world(rng, lift=0.15)
            shuffled = rates[rng.permutation(len(rates))]
            alarms += preferred(shuffled, attributes, seed=seed, draws=400)[0].p < 0.05
        self.assertTrue(4 <= alarms <= 26, alarms)

    def test_too_few_offers_and_gaps(self):
        rates, attributes = world(np.random.default_rng(3), offers=9, lift=0.3)
        self.assertEqual(preferred(rates, attributes), [])
        rates, attributes = world(np.random.default_rng(3), lift=0.3)
        rates[::3, 1] = np.nan  # a third never reached the group
        best = preferred(rates, attributes)[0]
        self.assertEqual((best.group, best.value), (1, "early start"))
        rates[:, 2] = np.nan
        self.assertNotIn(2, {each.group for each in preferred(rates, attributes)})

    def test_what_says_the_same_is_asked_once(self):
        rates, (theme, _) = world(np.random.default_rng(4))
        twin = Attribute("colour", tuple({"give": "red"}.get(v, "blue") for v in theme.values))
        both = preferred(rates, [theme, twin])
        self.assertEqual({each.attribute for each in both}, {"theme"})


class OffersOfTheDemo(unittest.TestCase):
    """Past offers of Marrowmere by the archetypes that its members are drawn from."""

    @classmethod
    def setUpClass(cls):
        folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        demo = write_demo(folder / "demo", 6000, 4107)
        truth = rows_of(demo.truth)
        place = {row["card"]: n for n, row in enumerate(truth)}
        groups = np.array([int(row["quarter_5"]) for row in truth])
        described = rows_of(demo.offers)
        answers = {row["offer"]: np.full(len(truth), np.nan) for row in described}
        for row in rows_of(demo.responses):
            answers[row["offer"]][place[row["card"]]] = row["used"] == "yes"
        cls.rates = take_up(list(answers.values()), groups, len(ARCHETYPES)).rates
        cls.attributes = attributes_of(
            [{name: v for name, v in row.items() if name != "offer"} for row in described]
        )

    def test_what_the_truth_has_is_told_and_nothing_else(self):
        told = [p for p in preferred(self.rates, self.attributes) if p.p < CLEAR]
        self.assertTrue(told)
        for pattern in told:
            self.assertIn(ARCHETYPES[pattern.group].name, GRATEFUL)
            self.assertEqual((pattern.attribute, pattern.value), ("theme", DEMO_THEMES[0]))
            self.assertGreater(pattern.with_it, pattern.without)

    def test_of_forty_shuffled_worlds_two_at_most_tell_anything(self):
        alarms = 0
        for seed in range(40):
            order = np.random.default_rng(seed).permutation(len(self.rates))
            dealt = [Attribute(a.name, tuple(a.values[n] for n in order)) for a in self.attributes]
            found = preferred(self.rates, dealt, seed=seed, draws=1000)
            alarms += bool(found) and found[0].p < CLEAR
        self.assertLessEqual(alarms, 2)


def rows_of(path):
    with path.open() as file:
        return list(csv.DictReader(file))


if __name__ == "__main__":
    unittest.main()
