"""Rows and columns of the table as they are asked for: any row, two compared, the lens."""

import io

import numpy as np
import openpyxl
from scipy import stats

from sortija.server.measures.measure_set import measures_or_job
from sortija.server.studies import models
from sortija.server.studies.columns import read_column
from sortija.server.studies.trail import default_window
from tests.server.support import DemoCase, ServerCase, run_jobs


def named(rows, name):
    return next(row for row in rows if row["name"] == name)


class AskedFor(DemoCase):
    once = DemoCase.swept

    def setUp(self):
        super().setUp()
        self.adopt(4)
        self.made = measures_or_job(self.study, default_window(self.study))
        row = models.Column.objects.filter(
            name__startswith="placed:", window=self.made.window.key
        ).last()
        self.state = np.asarray(read_column(row).values).astype(int) - 1

    def parts(self, name, groups):
        values = np.asarray(self.made.column(name).values)
        return [values[(groups == g) & ~np.isnan(values)] for g in (0, 1)]

    def test_two_segments_side_by_side(self):
        page = self.get("portraits", pair="3,1")
        self.assertEqual(page["pair"], [3, 1])
        groups = np.where(self.state == 2, 0, np.where(self.state == 0, 1, 9))
        for name in ("monetary", "recency"):
            told = named(page["numeric"], name)["apart"]
            test = stats.ttest_ind(*self.parts(name, groups), equal_var=False)
            around = test.confidence_interval(0.95)
            self.assertAlmostEqual(told["low"], around.low)
            self.assertAlmostEqual(told["high"], around.high)
        garden = named(page["categories"], "trait:garden")
        one, other = garden["counts"][2], garden["counts"][0]
        for level, told in enumerate(garden["apart"]):
            share = one[level] / sum(one) - other[level] / sum(other)
            self.assertAlmostEqual(told["value"], share)
            self.assertLessEqual(told["low"], share)
        for pair, status in (("1,1", 200), ("1,9", 200), ("one,2", 400), ("1", 400)):
            page = self.get("portraits", status, pair=pair)
            if status == 200:
                self.assertEqual((page["pair"], page["numeric"][0]["apart"]), ([], None))

    def test_the_lens_and_the_rest(self):
        asked = {"clauses": [{"field": "trait:garden", "values": ["yard"]}]}
        lens = self.send("post", "lens", asked)["digest"]
        page = self.get("portraits", against="rest", lens=lens)
        inside = (self.state >= 0) & (self.state < 4)
        garden = self.made.column("trait:garden")
        yard = np.asarray(garden.values) == garden.levels.index("yard") + 1
        groups = np.where(inside, np.where(yard, 0, 1), 9)
        heads = page["columns"]
        self.assertEqual([h["name"] for h in heads], ["In the lens", "The rest"])
        self.assertEqual([h["customers"] for h in heads], [np.sum(groups == g) for g in (0, 1)])
        self.assertEqual(sum(h["money"] for h in heads), page["money"])
        self.assertEqual(len(page["segments"]), 4)
        spend = named(page["numeric"], "monetary")
        np.testing.assert_allclose(
            spend["means"], [p.mean() for p in self.parts("monetary", groups)]
        )
        self.assertIsNotNone(spend["p"])  # it did not make these columns
        told = named(page["categories"], "trait:garden")
        self.assertEqual((told["shaped"], told["p"]), (True, None))
        alone = self.get("portraits", against="everyone", lens=lens)
        self.assertEqual(len(alone["columns"]), 1)
        self.assertEqual(named(alone["numeric"], "monetary")["means"], spend["means"][:1])
        self.assertEqual(named(alone["numeric"], "monetary")["everyone"], spend["everyone"])
        # Without a lens there is nothing but the segments.
        self.assertEqual(self.get("portraits", against="rest")["against"], "segments")
        self.get("portraits", 400, against="nobody")

    def test_any_row(self):
        self.send("put", "measure/breadth", {"role": "out"})
        offered = {row["name"]: row["usual"] for row in self.get("portraits")["rows"]}
        usual = {name for name, there in offered.items() if there}
        hidden = sorted(set(offered) - usual)
        self.assertIn("trait:joined_on", hidden)
        page = self.get("portraits", rows=",".join([hidden[0], "made up"]))
        shown = {row["name"] for row in [*page["numeric"], *page["categories"]]}
        self.assertEqual(shown, usual | {hidden[0]})
        everything = self.get("portraits", rows=",".join(hidden))
        shown = [row["name"] for row in [*everything["numeric"], *everything["categories"]]]
        self.assertEqual(sorted(shown), sorted(offered))

    def test_separation_by_ranks(self):
        page = self.get("portraits", by="ranks")
        values = np.asarray(self.made.column("monetary").values)
        parts = [values[(self.state == g) & ~np.isnan(values)] for g in range(4)]
        wanted = stats.kruskal(*parts).statistic / (sum(map(len, parts)) - 1)
        self.assertAlmostEqual(named(page["numeric"], "monetary")["eta_squared"], wanted)
        told = [row["eta_squared"] or 0 for row in page["numeric"]]
        self.assertEqual(told, sorted(told, reverse=True))
        self.get("portraits", 400, by="luck")

    def test_a_table_as_a_sheet(self):
        table = {
            "title": "Portraits: 4 groups", "note": "Out of date.", "heads": ["Row", "=1+1"],
            "rows": [
                [{"value": "Spend"}, {"value": 12.5, "form": "money", "shade": "E7E1F4"}],
                [{"value": "-Garden"}, {"value": None, "form": "share"}],
            ],
        }  # fmt: skip
        answer = self.client.post(self.url("sheets"), table, format="json")
        self.assertEqual(answer.status_code, 200)
        sheet = openpyxl.load_workbook(io.BytesIO(answer.content)).active
        self.assertEqual([c.value for c in sheet[1]], ["Row", "'=1+1"])
        cell = sheet["B2"]
        self.assertEqual((cell.value, cell.fill.fgColor.rgb[-6:]), (12.5, "E7E1F4"))
        self.assertIn("£", cell.number_format)
        self.assertEqual((sheet["A3"].value, sheet["B3"].value), ("'-Garden", None))
        self.assertEqual(sheet["A5"].value, "Out of date.")
        for wrong in ({"form": "roman"}, {"shade": "red"}):
            bad = {**table, "rows": [[{"value": "Spend"}, {"value": 1, **wrong}]]}
            self.send("post", "sheets", bad, 400)
        self.send("post", "sheets", {**table, "rows": [[{"value": "Spend"}]]}, 400)


class WithoutALog(ServerCase):
    """A table of ten customers with three numbers, and one with traits of every kind."""

    def grouped(self, table, shaping):
        self.bring_in(table, "members.csv", "members")
        for name in shaping:
            self.send("put", f"measure/trait:{name}", {"role": "shapes"})
        self.send("post", "groups/run", status=202)
        run_jobs()
        row = self.get("groups")["candidates"][0]
        self.send("post", "groups/adopt", {"grouping": row["id"]})
        return self.get("portraits")

    def test_ten_customers_with_three_numbers_have_true_names(self):
        rows = [(3, 12, 210), (5, 11, 190), (4, 14, 230), (80, 2, 20), (95, 1, 15),
                (88, 2, 30), (91, 3, 22), (40, 6, 600), (35, 5, 640), (44, 7, 580)]  # fmt: skip
        lines = [f"K{n},{a},{b},{c}" for n, (a, b, c) in enumerate(rows)]
        page = self.grouped(
            "card,pause,orders,worth\n" + "\n".join(lines), ("pause", "orders", "worth")
        )
        self.assertEqual({r["name"] for r in page["numeric"]},
                         {"trait:pause", "trait:orders", "trait:worth"})  # fmt: skip
        self.assertTrue(all(row["shaped"] for row in page["numeric"]))
        names = [segment["name"] for segment in page["segments"]]
        self.assertEqual(len(set(names)), len(names))
        for place, name in enumerate(names):
            for words in name.split(", "):
                side, _, what = words.lower().partition(" ")
                row = named(page["numeric"], f"trait:{what}")
                above = row["means"][place] > row["everyone"]
                self.assertEqual(side, "higher" if above else "lower", names)

    def test_traits_of_every_kind_are_rows(self):
        lines = [
            f"K{n},{(n % 2) * 50 + n % 7},{1950 + n % 40},{('low', 'medium', 'high')[n % 3]},"
            f"{'plus' if n % 2 else 'card'}"
            for n in range(80)
        ]
        page = self.grouped("card,points,born,tier,plan\n" + "\n".join(lines), ("points",))
        points = named(page["numeric"], "trait:points")
        self.assertTrue(points["shaped"])
        self.assertGreater(points["eta_squared"], 0.9)
        born = named(page["numeric"], "trait:born")
        self.assertEqual((born["unit"], born["shaped"]), ("year", False))
        tier = named(page["categories"], "trait:tier")
        self.assertTrue(tier["ordered"])
        self.assertEqual(tier["levels"][1:], ["low", "medium", "high"])
        plan = named(page["categories"], "trait:plan")
        self.assertGreater(plan["v_squared"], 0.5)
        self.assertIsNone(page["curve"])  # there is no money
