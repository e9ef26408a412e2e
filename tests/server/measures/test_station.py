"""The station's further looks on the small demo: detail, formulas, preparations, pairs, series."""

import io
import re
from unittest import mock

import numpy as np
import pyarrow as pa

from sortija.server.measures import derivation
from sortija.server.measures.measure_set import measures_or_job
from sortija.server.studies.trail import default_window
from tests.server.support import DemoCase, run_jobs


class Station(DemoCase):
    def threads(self, **query):
        return {t["name"]: t for t in self.get("measures", **query)["threads"]}

    def values(self, name, **query):
        """Every customer's value, through the list."""
        everyone = self.everyone(f"measure:{name}", **query)
        return {who: value for who, (value,) in everyone.items()}

    def test_what_is_only_looked_at(self):
        """One bringing-in serves every look that changes nothing."""
        for name in sorted(n for n in dir(self) if n.startswith("look_")):
            with self.subTest(name):
                getattr(self, name)()

    def look_a_thread_says_what_its_customers_say(self):
        thread = self.threads()["monetary"]
        there = np.array([v for v in self.values("monetary").values() if v is not None])
        figures = thread["numbers"]["figures"]
        self.assertEqual(figures["count"], len(there))
        self.assertAlmostEqual(figures["mean"], there.mean())
        self.assertAlmostEqual(figures["median"], float(np.median(there)))
        self.assertEqual(sum(thread["numbers"]["shape"]), len(there))
        self.assertEqual(sum(thread["numbers"]["prepared"]), len(there))
        fences = thread["numbers"]["fences"]
        self.assertEqual(fences["above"], int((there > fences["high"]).sum()))

    def look_traits_stand_beside_measures(self):
        threads = self.threads()
        garden = threads["trait:garden"]
        self.assertEqual(garden["role"], "shapes")
        self.assertIsNone(garden["numbers"])
        self.assertEqual(garden["levels"]["counts"], sorted(garden["levels"]["counts"])[::-1])
        year = threads["trait:birth_year"]
        self.assertEqual((year["unit"], year["role"]), ("year", "describes"))
        self.assertGreater(year["numbers"]["figures"]["missing"]["not given"], 0)
        joined = threads["trait:joined_on"]
        self.assertEqual((joined["unit"], joined["role"]), ("days", "out"))
        ties = {tie["name"] for tie in threads["frequency"]["ties"]}
        self.assertIn("visit_days", ties)

    def look_one_measure_in_full(self):
        found = self.get("measure/gap_mean")
        thread = self.threads()["gap_mean"]["numbers"]
        self.assertEqual(
            sum(found["bars"]) + found["below"] + found["above"], thread["figures"]["count"]
        )
        missing = sum(thread["figures"]["missing"].values())
        by = {(o["step"], o["label"]): o for o in found["options"]}
        self.assertEqual(by["fill", "median"]["touched"]["filled"], missing)
        self.assertEqual(by["fill", "leave out"]["touched"]["left_out"], missing)
        self.assertEqual(
            {o["step"]: o["label"] for o in found["options"] if o["chosen"]},
            {"fill": "leave out", "cap": "not capped", "transform": "log", "scale": "z"},
        )
        self.assertLess(abs(by["transform", "log"]["skew"]), abs(by["transform", "none"]["skew"]))
        values = self.values("gap_mean")
        there = sorted(v for v in values.values() if v is not None)
        self.assertEqual([e["value"] for e in found["lowest"]], there[:5])
        self.assertEqual([e["value"] for e in found["highest"]], there[::-1][:5])
        self.assertEqual({values[e["name"]] for e in found["lacking"]}, {None})
        self.assertGreater(abs(found["relative"]["r"]), 0.5)
        self.get("measure/nothing", 404)
        self.get("measure/trait:garden", 400)

    def look_the_neighbours_of_one_customer(self):
        found = self.get("measure/gap_mean")
        who = found["lacking"][0]["number"]
        fill = self.get(f"measure/gap_mean/fill/{who}")
        mean = sum(d["value"] for d in fill["donors"]) / len(fill["donors"])
        self.assertAlmostEqual(fill["value"], mean)
        self.assertEqual(len(fill["donors"]), 5)
        values = self.values("gap_mean")
        for donor in fill["donors"]:
            self.assertAlmostEqual(values[donor["name"]], donor["value"])
        self.assertIn("Visits", fill["by"])
        someone = found["highest"][0]["number"]
        self.get(f"measure/gap_mean/fill/{someone}", 400)
        self.get("measure/gap_mean/fill/99999", 404)

    def test_whom_a_choice_touches_can_be_listed(self):
        thread = self.threads()["gap_mean"]["numbers"]
        steps = {**thread["steps"], "cap": 0.05}
        self.send("put", "measure/gap_mean", {"steps": steps})
        thread = self.threads()["gap_mean"]["numbers"]
        touched = thread["touched"]["raised"] + thread["touched"]["lowered"]
        self.assertGreater(touched, 0)
        for field, values, count in (
            ("capped:gap_mean", ["raised to the cap", "lowered to the cap"], touched),
            ("missing:gap_mean", ["too few visits"], thread["touched"]["left_out"]),
            ("outlier:gap_mean", ["below the lower fence", "above the upper fence"],
             thread["fences"]["below"] + thread["fences"]["above"]),
        ):  # fmt: skip
            lens = self.send("post", "lens", {"clauses": [{"field": field, "values": values}]})
            self.assertEqual(lens["lens"]["customers"], count, field)
            self.assertEqual(self.get("customers", lens=lens["digest"])["total"], count)
        self.get("customers", 404, fields="missing:nothing")

    def test_groups_see_just_what_is_prepared_here(self):
        steps = {"fill": "neighbours", "cap": 0, "transform": "log", "scale": "z"}
        self.send("put", "measure/gap_mean", {"role": "shapes", "steps": steps})
        self.send("put", "measure/trait:household", {"role": "shapes"})
        self.send("put", "measure/trait:plan", {"role": "describes"})
        page = self.get("measures")
        used = [t for t in page["threads"] if t["role"] == "shapes"]
        recipe = self.get("groups")["recipe"]
        picked = {r["name"] for r in recipe["numeric"] if r["picked"]}
        picked |= {f"trait:{r['name']}" for r in recipe["categories"] if r["picked"]}
        self.assertEqual(picked, {t["name"] for t in used})
        gap = next(r for r in recipe["numeric"] if r["name"] == "gap_mean")
        self.assertEqual(gap["steps"]["fill"], "neighbours")
        run = self.sweep()
        household = self.threads()["trait:household"]["numbers"]["figures"]
        self.assertEqual(run["customers"], household["count"])  # gaps are filled, homes are not

    def test_all_prepared_at_once_kept_and_followed(self):
        self.send("put", "measure/monetary", {"steps": {"transform": "none"}})
        self.send("put", "measure/monetary", {"proposed": True})
        spend = self.threads()["monetary"]["numbers"]
        self.assertEqual(spend["steps"], spend["proposed"])
        self.send("put", "measure/trait:plan", {"steps": {"transform": "log"}}, 400)
        before = self.get("measures")
        revision = self.send("put", "measures", {"preset": "ranks"})["revision"]
        self.assertEqual(revision, before["plan_revision"] + 1)
        scales = {t["numbers"]["steps"]["scale"] for t in self.threads().values() if t["numbers"]}
        self.assertEqual(scales, {"rank"})
        self.send("put", "measure/weekend", {"role": "shapes"})
        self.send("put", "measures", {"keep_as": "Winter review"})
        self.send("put", "measures", {"preset": "proposed"})
        self.assertEqual(self.threads()["monetary"]["numbers"]["steps"]["transform"], "log")
        self.send("put", "measure/weekend", {"role": "out"})
        self.assertEqual(self.get("measures")["kept"], ["Winter review"])
        self.send("put", "measures", {"kept": "Winter review"})
        weekend = self.threads()["weekend"]
        self.assertEqual((weekend["role"], weekend["numbers"]["steps"]["scale"]),
                         ("shapes", "rank"))  # fmt: skip
        self.send("post", "history/undo")
        self.assertEqual(self.threads()["weekend"]["role"], "out")
        self.send("delete", "preparations/Winter review", status=204)
        self.assertEqual(self.get("measures")["kept"], [])
        self.send("delete", "preparations/Winter review", status=404)
        self.send("put", "measures", {"preset": "nonsense"}, 404)
        self.send("put", "measures", {"keep_as": "  "}, 400)
        old = {"If-Match": '"1"'}
        self.send("put", "measures", {"preset": "plain"}, 409, **old)

    def look_two_windows_beside_each_other(self):
        page = self.get("measures", beside="2025-06-30:12")
        alone = self.get("measures", to="2025-06-30")
        self.assertEqual(page["beside"], alone["with_purchase"])
        mine = next(t for t in page["threads"] if t["name"] == "monetary")["numbers"]
        other = next(t for t in alone["threads"] if t["name"] == "monetary")["numbers"]
        self.assertEqual(mine["beside_median"], other["figures"]["median"])
        self.assertEqual(sum(mine["beside"]), other["figures"]["count"])
        self.get("measures", 400, beside="June:12")
        self.get("measures", 400, beside="2025-06-30:7")

    def look_a_window_from_a_day_and_of_a_year(self):
        since = self.get("measures", back="2026-05-01")
        recency = next(t for t in since["threads"] if t["name"] == "recency")["numbers"]
        self.assertLessEqual(recency["figures"]["high"], 61)
        trail = self.get("trail", back="2026-05-01")
        self.assertEqual(trail["window"]["first"], "2026-05-01")
        self.assertEqual(trail["years"], [2025, 2024])
        self.assertIn("before it begins", self.get("measures", 400, to="2026-01-01",
                                                   back="2026-05-01")["detail"])  # fmt: skip
        self.get("measures", 400, back="2026-13-01")

    def look_alike(self):
        found = self.get("alike", rank="1")
        names = [row["name"] for row in found["names"]]
        self.assertEqual(sorted(found["order"]), list(range(len(names))))
        self.assertNotIn("share_season_winter", names)
        x, y = self.values("frequency"), self.values("monetary")
        both = [k for k in x if x[k] is not None and y[k] is not None]
        straight = self.get("alike")
        places = [[r["name"] for r in straight["names"]].index(n)
                  for n in ("frequency", "monetary")]  # fmt: skip
        r = np.corrcoef([x[k] for k in both], [y[k] for k in both])[0, 1]
        self.assertAlmostEqual(straight["values"][places[0]][places[1]], r)
        pairs = [{t["first"], t["second"]} for t in found["twins"]]
        self.assertIn({"frequency", "visit_days"}, pairs)
        every = [row["name"] for row in self.get("alike", every="1")["names"]]
        self.assertGreater(len(every), len(names))
        kinds = found["kinds"][names.index("trait:plan")]
        self.assertEqual((kinds[names.index("trait:garden")], kinds[0]), ("v", "eta"))

    def look_a_pair_and_its_points(self):
        page = self.get("pair", x="frequency", y="monetary")
        answer = self.client.get(self.url("pair/points"), {"x": "frequency", "y": "monetary"})
        table = pa.ipc.open_stream(io.BytesIO(answer.content)).read_all()
        self.assertEqual((len(table), page["shown"]), (page["customers"],) * 2)
        x, y = (np.array(table.column(c)) for c in ("x", "y"))
        wanted = np.polyfit(x, y, 1)
        self.assertAlmostEqual(page["slope"], wanted[0], 6)
        self.assertAlmostEqual(page["intercept"], wanted[1], 5)
        self.assertEqual(sum(page["x"]["counts"]), len(table))
        lens = self.send("post", "lens", {"clauses": [
            {"field": "trait:plan", "values": ["plus"]}]})["digest"]  # fmt: skip
        page = self.get("pair", x="frequency", y="monetary", lens=lens)
        answer = self.client.get(
            self.url("pair/points"), {"x": "frequency", "y": "monetary", "lens": lens}
        )
        table = pa.ipc.open_stream(io.BytesIO(answer.content)).read_all()
        self.assertEqual(sum(table.column("inside").to_pylist()), page["lens_customers"])
        self.get("pair", 404, x="frequency", y="trait:plan")
        answer = self.client.get(self.url("pair/points"), {"x": "no", "y": "frequency"})
        self.assertEqual(answer.status_code, 404)

    def look_a_matrix_of_pairs(self):
        names = ["recency", "frequency", "gap_mean"]
        page = self.get("pairs", names=",".join(names))
        self.assertEqual((page["names"], len(page["places"])), (names, 3))
        self.assertEqual({len(p) for p in page["places"]}, {len(page["numbers"])})
        self.assertIn(None, page["places"][2])
        self.assertAlmostEqual(page["r"][0][1], page["r"][1][0])
        self.get("pairs", 400, names="recency")
        self.get("pairs", 400, names=",".join(["recency"] * 8))

    def look_a_series_is_its_windows(self):
        page = self.get("series", step="quarter")
        self.assertEqual(page["status"]["state"], "whole")
        spend = next(m for m in page["measures"] if m["name"] == "monetary")
        for place in (-1, -3):
            alone = self.get("measures", to=page["ends"][place])
            thread = next(t for t in alone["threads"] if t["name"] == "monetary")
            self.assertEqual(spend["median"][place], thread["numbers"]["figures"]["median"])
            self.assertEqual(page["customers"][place], alone["with_purchase"])
        self.assertEqual(page["ends"][page["before"]][:7], "2025-06")
        # A whole number is told by its mean, which moves where its median stays.
        told = {m["name"]: m["whole"] for m in page["measures"]}
        self.assertEqual((told["frequency"], told["monetary"]), (True, False))

    def test_the_record_of_preparation_can_be_followed_by_hand(self):
        body = {"steps": {"transform": "log", "fill": "median"}}
        page = self.get("measures")
        self.send("put", "measure/monetary", body)
        text = self.client.get(self.url("preparations")).content.decode()
        thread = next(t for t in page["threads"] if t["name"] == "monetary")
        line = next(x for x in text.splitlines() if x.startswith(f"- {thread['label']} ("))
        found = re.search(
            r"missing values take the median, ([\d.]+); limited to ([\d.]+) to ([\d.]+); logarithm "
            r"of 1 \+ value; less ([\d.]+), divided by ([\d.]+)\.$", line,
        )  # fmt: skip
        median, low, high, centre, spread = (float(v) for v in found.groups())
        made = measures_or_job(self.study, default_window(self.study))
        values = np.asarray(made.column("monetary").values)[made.present]
        bent = np.log1p(values)
        np.testing.assert_allclose(
            (median, low, high, centre, spread),
            (np.median(values), values.min(), values.max(), bent.mean(), bent.std()), rtol=1e-4,
        )  # fmt: skip
        for title in ("Shapes the groups", "Describes the groups", "Left out"):
            self.assertIn(f"\n{title}\n", text)
        self.get("series", 400, step="fortnight")

    def test_a_long_log_has_its_series_by_a_job(self):
        self.get("measures")
        now = self.get("series")
        self.enterContext(by_job())
        page = self.get("series", to="2026-05-31")
        self.assertEqual(page["status"]["state"], "working")
        run_jobs()
        page = self.get("series", to="2026-05-31")
        self.assertEqual(page["status"]["state"], "whole")
        self.assertEqual(page["measures"][0]["median"][-2], now["measures"][0]["median"][-3])

    def look_the_model_says_whether_it_holds(self):
        found = self.get("measure/expected")
        self.assertEqual(len(found["check"]["expected"]), len(found["check"]["ends"]))
        self.assertFalse(found["check"]["fits"])  # a garden shop has seasons
        self.assertGreater(found["model"]["r"], 0)
        self.assertIsNone(self.get("measure/recency")["check"])

    def test_levels_of_a_trait_in_the_place_of_customers(self):
        page = self.get("measures", of="district")
        self.assertEqual(page["of"], "district")
        table = self.get("levels", of="district")
        columns = {c["name"]: dict(zip(table["names"], c["values"], strict=True))
                   for c in table["columns"]}  # fmt: skip
        money, visits = {}, {}
        told = self.everyone("measure:monetary", "measure:frequency", "trait:district")
        for spend, often, level in told.values():
            money[level] = money.get(level, 0) + (spend or 0)
            visits[level] = visits.get(level, 0) + (often or 0)
        for level in table["names"]:
            self.assertAlmostEqual(columns["monetary"][level] or 0, money.get(level, 0), 6)
            self.assertEqual(columns["frequency"][level] or 0, visits.get(level, 0))
        self.send("put", "measure/monetary?of=district", {"role": "out"})
        self.assertEqual(self.threads()["monetary"]["role"], "shapes")  # customers' own stays
        self.assertEqual(self.threads(of="district")["monetary"]["role"], "out")
        self.get("measures", 404, of="moon")
        self.get("levels", 400)

    def look_customers_are_told_in_sentences(self):
        page = self.get("customers", order="measure:frequency", down="1")
        number = page["numbers"][0]
        found = self.get(f"customer/{number}/measures")["measures"]
        silent = [m["name"] for m in found if m["value"] is not None and not m["words"]]
        self.assertEqual(silent, [])
        by = {m["name"]: m for m in found}
        self.assertIn("the model expects", by["expected"]["words"])
        self.assertIn("The model misses the months held out", by["expected"]["words"])
        self.assertIn("less", by["trend"]["words"])


def by_job():
    return mock.patch.object(derivation, "INLINE_LINES", 0)
