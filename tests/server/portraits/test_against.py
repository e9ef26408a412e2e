"""Against: tables, small pictures and first customers, from the columns behind them."""

import numpy as np
from scipy import stats

from sortija.server.measures.measure_set import measures_or_job
from sortija.server.studies import models
from sortija.server.studies.columns import read_column
from sortija.server.studies.trail import default_window
from tests.server.support import DemoCase


class Against(DemoCase):
    once = DemoCase.swept

    def setUp(self):
        super().setUp()
        for path in ("against", "multiples", "first"):
            self.assertEqual(self.get(f"portraits/{path}")["status"]["state"], "empty")
        self.adopt(4)
        self.made = measures_or_job(self.study, default_window(self.study))
        row = models.Column.objects.filter(
            name__startswith="placed:", window=self.made.window.key
        ).last()
        self.state = np.asarray(read_column(row).values).astype(int) - 1

    def test_a_trait_a_family_tiers_a_kept_rule_and_older_segments(self):
        page = self.get("portraits/against", by="trait:garden")
        garden = self.made.column("trait:garden")
        codes = np.asarray(garden.values)
        for level in page["levels"]:
            code = garden.levels.index(level["label"]) + 1 if level["given"] else 0
            counts = [int(np.sum((self.state == g) & (codes == code))) for g in range(4)]
            self.assertEqual(level["counts"], counts)
            sizes = [column["customers"] for column in page["columns"]]
            np.testing.assert_allclose(level["of_column"], np.array(counts) / sizes)
            np.testing.assert_allclose(level["of_level"], np.array(counts) / sum(counts))
            lens = self.send("post", "lens", {"clauses": [
                {"field": "segment:now", "values": ["1"]}, *level["clauses"],
            ]})  # fmt: skip
            self.assertEqual(lens["lens"]["customers"], counts[0])
        table = [level["counts"] for level in page["levels"]]
        wanted = stats.chi2_contingency(table, correction=False)
        self.assertAlmostEqual(page["chi_squared"], wanted.statistic)
        self.spent_on()
        self.own_and_older(page)
        self.get("portraits/against", 404, by="trait:nothing")
        self.get("portraits/against", 404, by="spend:nothing")
        self.get("portraits/against", 404, by="rule:99")
        self.get("portraits/against", 400, by="measure:monetary")

    def spent_on(self):
        page = self.get("portraits/against", by="spend:department")
        self.assertTrue(page["spend"])
        names = [n for n in self.made.names if n.startswith("share_department_")]
        self.assertEqual(len(page["levels"]), len(names))
        for level, name in zip(page["levels"], names, strict=True):
            values = np.asarray(self.made.column(name).values)
            means = [np.nanmean(values[self.state == g]) for g in range(4)]
            np.testing.assert_allclose(level["of_column"], means)
        for column in range(4):  # each customer's shares make one whole
            whole = sum(level["of_column"][column] for level in page["levels"])
            self.assertAlmostEqual(whole, 1, delta=0.02)

    def own_and_older(self, page):
        keys = {option["key"] for option in page["options"]}
        self.assertIn("tier:now", keys)
        self.assertEqual(page["options"][0]["key"], "tier:now")  # what stands there at first
        tiers = self.get("portraits/against")
        self.assertEqual(tiers["by"], "tier:now")
        self.assertEqual(sum(sum(level["counts"]) for level in tiers["levels"]),
                         tiers["customers"])  # fmt: skip
        rule = {"name": "Yards", "kind": "rule",
                "clauses": [{"field": "trait:garden", "values": ["yard"]}]}  # fmt: skip
        self.send("post", "kept", rule, 201)
        kept = next(row for row in self.get("kept")["kept"] if row["name"] == "Yards")
        told = self.get("portraits/against", by=f"rule:{kept['id']}")
        yard = next(level for level in page["levels"] if level["label"] == "yard")
        self.assertEqual(told["levels"][0]["counts"], yard["counts"])
        before = self.get("groups")["adopted"]["id"]
        self.adopt(3)
        older = self.get("portraits/against", by=f"segment:{before}")
        self.assertEqual(len(older["columns"]), 3)
        placed = [sum(level["counts"]) for level in older["levels"]]
        self.assertEqual(sum(placed), older["customers"])
        self.adopt(4)

    def test_two_measures_and_first_customers(self):
        page = self.get("portraits/multiples", x="frequency", y="monetary")
        x, y = (np.asarray(self.made.column(n).values) for n in ("frequency", "monetary"))
        self.assertEqual([p["number"] for p in page["panels"]], [1, 2, 3, 4, 0])
        for panel in page["panels"]:
            mine = (self.state == panel["number"] - 1) if panel["number"] else self.state < 4
            mine = mine & ~np.isnan(x) & ~np.isnan(y)
            self.assertEqual(sum(panel["cells"]), mine.sum())
            self.assertEqual(len(panel["cells"]), page["across"] * page["up"])
            a, b = x[mine], y[mine]
            a = np.log1p(a) if page["x"]["log"] else a
            b = np.sign(b) * np.log1p(np.abs(b)) if page["y"]["log"] else b
            self.assertAlmostEqual(panel["r"], stats.pearsonr(a, b).statistic)
        for least in ("", "1"):
            page = self.get("portraits/first", by="monetary", least=least)
            for g, told in enumerate(page["lists"]):
                values = np.sort(y[(self.state == g) & ~np.isnan(y)])
                wanted = values[:10] if least else values[::-1][:10]
                self.assertEqual([c["value"] for c in told["customers"]], wanted.tolist())
                self.assertEqual(told["known"], len(values))
                first = told["customers"][0]
                self.assertEqual(self.made.called([first["number"]]), [first["card"]])
