"""Offers of the demo: take-up from the files, patterns, the next mailing."""

import csv
import json
from collections import Counter

import numpy as np

from sortija.core.portraits.offers import CLEAR, Attribute, attributes_of, preferred, take_up
from sortija.server.ledger.models import Card
from sortija.server.measures.measure_set import measures_or_job
from sortija.server.studies import models
from sortija.server.studies.columns import read_column
from sortija.server.studies.trail import default_window
from tests.server.support import SMALL, DemoCase


class Offers(DemoCase):
    def once(self):
        """The demo with its offers' files, groups tried."""
        for name in ("responses.csv", "offers.csv"):
            self.bring_in((SMALL / name).read_text(), name)
        self.sweep()

    def setUp(self):
        super().setUp()
        self.adopt(4)
        self.made = measures_or_job(self.study, default_window(self.study))
        row = models.Column.objects.filter(
            name__startswith="placed:", window=self.made.window.key
        ).last()
        self.state = np.asarray(read_column(row).values).astype(int) - 1

    def answers(self):
        with (SMALL / "responses.csv").open() as file:
            return list(csv.DictReader(file))

    def test_take_up_from_the_files(self):
        page = self.get("portraits/offers")
        numbers = dict(Card.objects.filter(study=self.study).values_list("code", "number"))
        received, took = Counter(), Counter()
        for row in self.answers():
            state = int(self.state[numbers[row["card"]]])
            received[row["offer"], state] += 1
            took[row["offer"], state] += row["used"] == "yes"
        self.assertEqual(len(page["offers"]), 24)
        with (SMALL / "offers.csv").open() as file:
            described = {row["offer"]: row for row in csv.DictReader(file)}
        themes = [a["name"] for a in page["attributes"]].index("theme")
        for offer in page["offers"]:
            name = offer["name"].removeprefix("offer:")
            self.assertEqual(offer["received"], [received[name, g] for g in range(4)])
            self.assertEqual(offer["took"], [took[name, g] for g in range(4)])
            self.assertEqual(offer["attributes"][themes], described[name]["theme"])
            self.assertEqual(offer["few"], [n < 30 for n in offer["received"]])
            self.assertTrue(offer["base_known"])
            for g, share in enumerate(offer["shares"]):
                if share is not None:
                    self.assertLessEqual(offer["lows"][g], share + 1e-9)
                    self.assertLessEqual(share, offer["highs"][g] + 1e-9)
        first = page["offers"][0]
        lens = self.send("post", "lens", {"clauses": [
            {"field": "segment:now", "values": ["1"]}, {"field": first["name"], "values": ["yes"]},
        ]})  # fmt: skip
        self.assertEqual(lens["lens"]["customers"], first["took"][0])

    def rates(self):
        names = [name for name in self.made.others if name.startswith("offer:")]
        columns = [np.asarray(self.made.column(name).values) for name in names]
        told = self.get("portraits/offers")
        heads = [a["name"] for a in told["attributes"]]
        described = [dict(zip(heads, o["attributes"], strict=True)) for o in told["offers"]]
        return take_up(columns, self.state, 4).rates, attributes_of(described)

    def test_hardly_a_pattern_in_shuffled_offers(self):
        """200 worlds in which the headings are dealt to the offers anew: one in fifty tells any."""
        rates, attributes = self.rates()
        alarms = 0
        for seed in range(200):
            order = np.random.default_rng(9000 + seed).permutation(len(rates))
            dealt = [Attribute(a.name, tuple(a.values[n] for n in order)) for a in attributes]
            found = preferred(rates, dealt, seed=seed, draws=500)
            alarms += bool(found) and found[0].p < CLEAR
        self.assertLessEqual(alarms, 10)

    def test_a_pattern_that_is_there_is_told(self):
        """A theme that a segment takes far more often shows, with its offers counted."""
        rates, attributes = self.rates()
        theme = next(a for a in attributes if a.name == "theme")
        mine = np.array([value == "new in" for value in theme.values])
        largest = int(np.bincount(self.state[self.state < 4]).argmax())
        rates[mine, largest] = rates[mine, largest] + 0.5
        told = next(each for each in preferred(rates, attributes) if each.group == largest)
        self.assertEqual((told.attribute, told.value), ("theme", "new in"))
        self.assertEqual((told.offers, told.of), (int(mine.sum()), 24))
        self.assertLess(told.p, CLEAR)

    def test_the_next_mailing(self):
        anything = self.get("portraits/offers")
        for told, column in zip(anything["expected"], range(4), strict=True):
            shares = [o["shares"][column] for o in anything["offers"]]
            known = [share for share in shares if share is not None]
            self.assertAlmostEqual(told["share"], np.mean(known))
            self.assertEqual(told["like"], len(known))
        chosen = json.dumps({"theme": "new in", "made up": "x"})
        page = self.get("portraits/offers", chosen=chosen)
        self.assertEqual(page["chosen"], {"theme": "new in"})
        self.assertTrue(all(0 < e["like"] < 24 for e in page["expected"]))
        self.assertTrue(all(e["low"] <= e["share"] <= e["high"] for e in page["expected"]))
        self.get("portraits/offers", 400, chosen="theme=new in")
        self.get("portraits/offers", 400, chosen='{"theme": 3}')


class WithoutOffers(DemoCase):
    once = DemoCase.swept

    def test_nothing_to_tell_yet(self):
        self.assertEqual(self.get("portraits/offers")["status"]["state"], "empty")
        self.adopt(4)
        page = self.get("portraits/offers")
        self.assertEqual((page["status"]["state"], page["offers"]), ("whole", []))
        self.assertEqual((page["preferred"], page["expected"]), ([], []))
