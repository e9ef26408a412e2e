"""Spread: every box from the columns behind it; lens, choice of measures, some customers."""

import numpy as np

from sortija.server.measures.measure_set import measures_or_job
from sortija.server.studies import models
from sortija.server.studies.columns import read_column
from sortija.server.studies.trail import default_window
from tests.server.support import DemoCase


class Spread(DemoCase):
    once = DemoCase.swept

    def setUp(self):
        super().setUp()
        self.assertEqual(self.get("portraits/spread")["status"]["state"], "empty")
        self.adopt(4)
        self.made = measures_or_job(self.study, default_window(self.study))
        row = models.Column.objects.filter(
            name__startswith="placed:", window=self.made.window.key
        ).last()
        self.state = np.asarray(read_column(row).values).astype(int) - 1

    def test_boxes_sentences_and_pickable_halves(self):
        page = self.get("portraits/spread")
        self.assertEqual(page["customers"], (self.state < 4).sum())
        self.assertTrue({"recency", "monetary"} <= {p["name"] for p in page["panels"]})
        for panel in page["panels"]:
            values = np.asarray(self.made.column(panel["name"]).values)
            for g, box in enumerate(panel["boxes"]):
                mine = values[(self.state == g) & ~np.isnan(values)]
                self.assertEqual(box["customers"], len(mine))
                wanted = np.quantile(mine, (0.05, 0.25, 0.5, 0.75, 0.95))
                np.testing.assert_allclose(box["five"], wanted)
                self.assertEqual(sum(box["bins"]), len(mine))
            there = values[(self.state < 4) & ~np.isnan(values)]
            self.assertEqual(sum(panel["everyone"]), len(there))
            self.assertEqual(panel["beyond"], (there > panel["high"]).sum())
        panel, segment = page["panels"][0], page["columns"][1]
        low, high = panel["boxes"][1]["five"][1], panel["boxes"][1]["five"][3]
        half = self.send("post", "lens", {"clauses": [
            {"field": "segment:now", "values": [str(segment["number"])]},
            {"field": panel["field"], "ranges": [[low, high]]},
        ]})["lens"]["customers"]  # fmt: skip
        self.assertGreater(half, 0.3 * segment["customers"])
        names = [column["name"] for column in page["columns"]]
        for words in (page["furthest"], page["hardest"]):
            self.assertEqual(sum(name in words for name in names), 2, words)

    def test_chosen_measures_in_their_order_and_the_rest(self):
        page = self.get("portraits/spread", rows="tenure,frequency,made up,trait:garden")
        self.assertEqual([p["name"] for p in page["panels"]], ["tenure", "frequency"])
        self.get("portraits/spread", 400, rows=",".join(f"m{n}" for n in range(25)))
        lens = self.send("post", "lens", {"clauses": [
            {"field": "trait:garden", "values": ["yard"]},
        ]})["digest"]  # fmt: skip
        rest = self.get("portraits/spread", lens=lens, against="rest", rows="frequency")
        garden = self.made.column("trait:garden")
        yard = np.asarray(garden.values) == garden.levels.index("yard") + 1
        values = np.asarray(self.made.column("frequency").values)
        mine = values[yard & (self.state < 4) & ~np.isnan(values)]
        self.assertEqual(rest["panels"][0]["boxes"][0]["five"][2], np.median(mine))
        self.assertEqual([c["name"] for c in rest["columns"]], ["In the lens", "The rest"])
        self.assertEqual(rest["hardest"], "")

    def test_some_customers_one_by_one(self):
        self.assertEqual(self.get("portraits/spread")["lines"], [])
        page = self.get("portraits/spread", customers="1")
        self.assertEqual(page, self.get("portraits/spread", customers="1"))  # the same ones
        self.assertTrue(0 < len(page["lines"]) <= 300)
        shares = np.bincount([line["column"] for line in page["lines"]], minlength=5)[1:]
        counts = np.array([c["customers"] for c in page["columns"]])
        off = np.abs(shares / shares.sum() - counts / counts.sum())
        self.assertLess(off.max(), 0.12)
        known = [v for line in page["lines"] for v in line["among"] if v is not None]
        self.assertTrue(min(known) >= 0 and max(known) <= 100)
