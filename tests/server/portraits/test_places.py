"""Places of the demo against its files: counts, households, mixes, what stands beside its like."""

import csv
import json
from collections import Counter

import numpy as np

from sortija.server.ledger.models import Card
from sortija.server.measures.measure_set import measures_or_job
from sortija.server.studies import models
from sortija.server.studies.columns import read_column
from sortija.server.studies.trail import default_window
from tests.server.support import SMALL, DemoCase


class Places(DemoCase):
    def once(self):
        """The demo with its districts, groups tried."""
        self.bring_in((SMALL / "districts.geojson").read_text(), "districts.geojson")
        self.sweep()

    def setUp(self):
        super().setUp()
        self.adopt(4)
        self.made = measures_or_job(self.study, default_window(self.study))
        row = models.Column.objects.filter(
            name__startswith="placed:", window=self.made.window.key
        ).last()
        state = np.asarray(read_column(row).values).astype(int) - 1
        numbers = dict(Card.objects.filter(study=self.study).values_list("code", "number"))
        with (SMALL / "members.csv").open() as file:
            rows = list(csv.DictReader(file))
        self.people = [
            (row, int(state[numbers[row["card"]]])) for row in rows if row["card"] in numbers
        ]
        self.people = [(row, group) for row, group in self.people if 0 <= group < 4]

    def households(self):
        features = json.loads((SMALL / "districts.geojson").read_text())["features"]
        return {f["properties"]["district"]: f["properties"]["households"] for f in features}

    def test_counts_money_and_reach(self):
        page = self.get("portraits/places")
        self.assertEqual((page["label"], page["shade"]["key"]), ("District", "reach"))
        customers = Counter(row["district"] for row, _ in self.people)
        groups = Counter((row["district"], group) for row, group in self.people)
        households = self.households()
        self.assertEqual({p["code"] for p in page["places"]},
                         (set(customers) | set(households)) - {""})  # fmt: skip
        for place in page["places"]:
            code, many = place["code"], customers[place["code"]]
            self.assertEqual(place["customers"], many)
            self.assertEqual(place["households"], households.get(code))
            if many and code in households:
                self.assertAlmostEqual(place["reach"], many / households[code])
                self.assertLess(place["low"], place["reach"])
                self.assertLess(place["reach"], place["high"])
            if many:
                self.assertEqual(len(place["mix"]), 4)
                for group, share in enumerate(place["mix"]):
                    self.assertAlmostEqual(share, groups[code, group] / many)
        whole = self.get("portraits")
        self.assertEqual(page["customers"] + page["without"], whole["customers"])

    def test_shades(self):
        page = self.get("portraits/places?shade=column:2")
        groups = Counter((row["district"], group) for row, group in self.people)
        raw = {}
        for place in page["places"]:
            if place["customers"]:
                raw[place["code"]] = groups[place["code"], 1] / place["customers"]
                self.assertAlmostEqual(place["value"], raw[place["code"]])
                low, high = sorted((place["value"], page["whole"]))
                self.assertTrue(low - 1e-9 <= place["drawn"] <= high + 1e-9)
        years = self.get("portraits/places?shade=trait:birth_year")
        for place in years["places"]:
            born = [
                float(row["birth_year"]) for row, _ in self.people
                if row["district"] == place["code"] and row["birth_year"]
            ]  # fmt: skip
            self.assertEqual(place["people"], len(born))
            if born:
                self.assertAlmostEqual(place["value"], np.mean(born))
        spend = self.get("portraits/places?shade=spend")
        for place in spend["places"]:
            self.assertAlmostEqual(place["value"], place["money"] / 100)
        self.refused("portraits/places?shade=nothing", 404)
        self.refused("portraits/places?by=trait:card", 404)
        self.refused("portraits/places?mix=trait:district", 404)
        self.refused("portraits/places?place=9999", 404)

    def refused(self, address, status):
        answer = self.client.get(f"/api/studies/{self.study.pk}/{address}")
        self.assertEqual(answer.status_code, status)

    def test_mixes(self):
        page = self.get("portraits/places?mix=trait:garden")
        gardens = Counter((row["district"], row["garden"]) for row, _ in self.people)
        given = Counter(row["district"] for row, _ in self.people if row["garden"])
        for place in page["places"]:
            for level, share in zip(page["levels"], place["mix"], strict=True):
                if given[place["code"]]:
                    wanted = gardens[place["code"], level["label"]] / given[place["code"]]
                    self.assertAlmostEqual(share, wanted)
        first = page["levels"][0]
        code = page["places"][0]["code"]
        clauses = [{"field": page["by"], "values": [code]}, *first["clauses"]]
        clauses.append({"field": "segment:now", "values": ["1", "2", "3", "4"]})
        lens = self.send("post", "lens", {"clauses": clauses})
        self.assertEqual(lens["lens"]["customers"], gardens[code, first["label"]])
        spend = self.get("portraits/places?mix=spend:channel")
        name = next(n for n, s in self.made.derived.items() if s.about.family == "channel")
        means = self.get(f"portraits/places?shade={name}")
        for one, other in zip(spend["places"], means["places"], strict=True):
            if one["customers"]:
                self.assertAlmostEqual(one["mix"][0], other["value"])

    def test_beside_its_like(self):
        page = self.get("portraits/places")
        code = max(page["places"], key=lambda place: place["customers"])["code"]
        found = self.get(f"portraits/places?place={code}&like=trait:garden")["beside"]
        by_code = {place["code"]: place for place in page["places"]}
        self.assertEqual([t["key"] for t in found["traits"] if t["on"]], ["trait:garden"])
        self.assertNotIn(code, found["like"])
        self.assertLessEqual(len(found["like"]), 5)
        like = [by_code[each] for each in found["like"]]
        reach = found["lines"][0]
        self.assertEqual(reach["of"], "households")
        self.assertAlmostEqual(reach["here"], by_code[code]["reach"])
        pooled = sum(p["customers"] for p in like) / sum(p["households"] for p in like)
        self.assertAlmostEqual(reach["like"], pooled)
        first = found["lines"][1]
        counts = [p["mix"][0] * p["customers"] for p in like]
        self.assertAlmostEqual(first["like"], sum(counts) / sum(p["customers"] for p in like))
        if found["more"]:
            gap = (reach["like"] - reach["here"]) * by_code[code]["households"]
            self.assertAlmostEqual(found["more"]["customers"], gap)
        # What they are alike by is not told as a difference.
        self.assertFalse(any(line["label"].startswith("Garden") for line in found["lines"]))
        none = self.get(f"portraits/places?place={code}&like=")["beside"]
        self.assertEqual(none["like"], [])

    def test_the_lens_beside_the_rest(self):
        lens = self.send("post", "lens", {"clauses": [{"field": "trait:plan", "values": ["plus"]}]})
        page = self.get(f"portraits/places?against=rest&lens={lens['digest']}")
        plus = Counter(row["district"] for row, _ in self.people if row["plan"] == "plus")
        self.assertEqual([head["name"] for head in page["columns"]], ["In the lens", "The rest"])
        for place in page["places"]:
            if place["customers"]:
                self.assertAlmostEqual(place["mix"][0], plus[place["code"]] / place["customers"])


class WithoutDistricts(DemoCase):
    def test_traits_serve_as_places(self):
        self.sweep()
        self.adopt(3)
        page = self.get("portraits/places")
        self.assertEqual(page["label"], "District")
        self.assertEqual(page["shade"]["key"], "customers")
        self.assertTrue(all(place["households"] is None for place in page["places"]))
        other = self.get("portraits/places?by=trait:garden")
        self.assertEqual(other["label"], "Garden")
