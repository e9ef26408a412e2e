"""Profiles, balance, cautions, maps, trees, neighbourhoods and proposals over HTTP."""

import io
from unittest import mock

import numpy as np
import pyarrow as pa

from sortija.core.groups.tree import tree_of
from sortija.server.groups.pictures import plane as picture
from sortija.server.groups.pictures.merges import LEAVES, summary
from sortija.server.groups.runs import proposals
from sortija.server.jobs.models import Job
from sortija.server.measures.measure_set import measures_or_job
from sortija.server.studies.trail import default_window
from tests.server.groups.test_run_history import GroupCase
from tests.server.support import run_jobs


class Recipes(GroupCase):
    def cautions(self, **draft):
        self.send("put", "groups/recipe", draft)
        return self.get("groups")["recipe"]["cautions"]

    def test_what_misleads_is_said_with_a_remedy_that_helps(self):
        found = self.cautions(numeric=["frequency", "visit_days"], categories=["district"])
        same = next(c for c in found if "say nearly the same" in c["words"])
        self.assertEqual([r["label"] for r in same["remedies"]],
                         ["Leave out Visit days", "Give both half the weight"])  # fmt: skip
        for remedy in same["remedies"]:
            left = self.cautions(**remedy["draft"])
            self.assertFalse(any("nearly the same" in c["words"] for c in left))
        found = self.cautions(numeric=["monetary"], categories=[])
        steps = {"monetary": {"transform": "none", "scale": "z"}}
        found = self.cautions(numeric=["monetary"], categories=[], steps=steps)
        skewed = next(c for c in found if "skewed as prepared" in c["words"])
        ranks = next(r for r in skewed["remedies"] if r["label"] == "Use ranks")
        self.assertFalse(any("skewed" in c["words"] for c in self.cautions(**ranks["draft"])))
        recipe = self.get("groups")["recipe"]
        self.assertTrue(next(n for n in recipe["numeric"] if n["name"] == "monetary")["own_steps"])
        found = self.cautions(numeric=["trend"], categories=[])
        lacking = next(c for c in found if "lack Trend" in c["words"])
        missing = next(n for n in recipe["numeric"] if n["name"] == "trend")["missing"]
        self.assertIn(f"{missing:,} customers", lacking["words"])
        # Filled in by choice, but never where it is missing by definition.
        self.assertEqual([r["label"] for r in lacking["remedies"]], ["Leave out Trend"])
        name = next(n["name"] for n in recipe["numeric"] if n["name"].endswith("birth_year"))
        found = self.cautions(numeric=["frequency", name], categories=[])
        lacking = next(c for c in found if "would stay out" in c["words"])
        filled = lacking["remedies"][0]
        self.assertEqual(filled["label"], "Fill from the nearest customers")
        self.assertFalse(any("stay out" in c["words"] for c in self.cautions(**filled["draft"])))
        found = self.cautions(numeric=["frequency"], categories=[], most=3)
        self.assertFalse(any("few for" in c["words"] for c in found))

    def test_weights_methods_and_limits_reach_the_grouping(self):
        page = self.quick(weights={"recency": 0, "plan": 2.0}, most=3)
        self.assertEqual(page["dropped"], ["recency"])
        self.assertEqual([r["k"] for r in page["candidates"]], [2, 3])
        self.assertGreater(page["recipe"]["seconds"], 0)
        tree = self.quick(method="hierarchical", linkage="single", most=3)
        self.assertEqual(tree["method"], "hierarchical")
        worst = max(tree["candidates"], key=lambda r: r["moved"])
        self.assertGreater(worst["moved"], 0)
        self.assertTrue(worst["refusal"])
        answer = self.send("post", "groups/adopt", {"grouping": worst["id"]}, 400)
        self.assertEqual(answer["detail"], worst["refusal"])
        self.assertIn("single linkage", answer["detail"])
        modes = self.quick(numeric=[], categories=["plan", "garden"], most=3)
        self.assertEqual(modes["method"], "k-modes")
        self.send("put", "groups/recipe", {"weights": {"recency": -1}}, 400)
        self.send("put", "groups/recipe", {"most": 21}, 400)
        more = self.get("groups")["recipe"]["draft"] | {"most": 5}
        self.send("put", "groups/recipe", more)
        self.assertIn("2 to 3 were tried", self.get("groups")["status"]["words"])
        again = self.sweep()
        self.assertEqual([r["k"] for r in again["candidates"]][:2], [2, 3])

    def test_from_one_group_with_own_centres_and_few_passes(self):
        page = self.quick(least=1, most=3)
        one = page["candidates"][0]
        self.assertEqual((one["k"], one["silhouette"], one["stability"]), (1, None, [1.0]))
        self.assertIn("One group is everyone", one["refusal"])
        self.send("post", "groups/adopt", {"grouping": one["id"]}, 400)
        self.assertNotEqual(page["suggestion"]["k"], 1)
        self.assertEqual(self.get(f"groups/{one['id']}/profile")["groups"][0]["silhouette"], None)
        # The centres of three groups, in their own units, are where a recipe can begin again.
        three = self.row(page, 3)
        centres = self.get(f"groups/{three['id']}/centres")
        whole = centres["within"] + centres["between"]
        self.assertAlmostEqual(centres["within"] / three["cost"], 1, places=4)
        self.assertAlmostEqual(whole / one["cost"], 1, places=4)
        self.assertEqual([g["customers"] for g in centres["groups"]], three["counts"])
        names = [column["name"] for column in centres["columns"]]
        own = [
            {n: c["level"] if c["value"] is None else c["value"]
             for n, c in zip(names, g["cells"], strict=True)}
            for g in centres["groups"]
        ]  # fmt: skip
        again = self.quick(least=2, most=3, centres=own, passes=300)
        self.assertLessEqual(self.row(again, 3)["cost"], three["cost"] * 1.001)
        recipe = self.get("groups/kept")["rows"][0]["recipe"]
        self.assertIn("3 groups began with centres that were written:", recipe)
        self.assertTrue(any("at most 300 passes" in sentence for sentence in recipe))
        short = self.quick(least=3, most=3, centres=own, passes=1)
        self.assertEqual([r["k"] for r in short["candidates"]], [3])
        # What cannot be begun with is refused before anything runs.
        draft = short["recipe"]["draft"]
        words = self.send("put", "groups/recipe", draft | {"least": 5, "most": 8}, 400)["detail"]
        self.assertIn("You gave 3 centres", words)
        self.send("put", "groups/recipe", draft | {"least": 4}, 400)
        self.send("put", "groups/recipe", draft | {"centres": [{}, {}, {}]})
        self.assertIn("has nothing in", self.send("post", "groups/run", status=400)["detail"])

    def test_groups_in_use_are_called_by_their_segments_on_pictures(self):
        page = self.quick(most=3)
        row = self.row(page, 3)
        self.assertEqual(self.get(f"groups/{row['id']}/plane")["levels"][0], "Group 1")
        self.send("post", "groups/adopt", {"grouping": row["id"]})
        segments = self.get("portraits")["segments"]
        plane, widths = (
            self.get(f"groups/{row['id']}/plane"),
            self.get(f"groups/{row['id']}/widths"),
        )
        wanted = [{"name": s["name"], "mark": s["mark"]} for s in segments]
        self.assertEqual(plane["names"], wanted)
        self.assertEqual(widths["names"], wanted)
        self.assertEqual(plane["levels"], [s["name"] for s in segments])
        self.assertIsNone(self.get(f"groups/{self.row(page, 2)['id']}/plane")["names"][0]["mark"])

    def test_gap_and_a_hundred_resamplings(self):
        page = self.quick(gap=True, most=3)
        self.assertTrue(all(row["criteria"]["gap"] is not None for row in page["candidates"]))
        self.assertEqual(
            [each["key"] for each in page["criteria"]],
            ["explained", "calinski_harabasz", "davies_bouldin", "gap"],
        )
        row = self.row(page, 3)
        self.assertEqual(row["resampled"], 20)
        self.send("post", f"groups/{row['id']}/open", status=202)
        run_jobs()
        after = self.row(self.get("groups"), 3)
        self.assertEqual((after["resampled"], len(after["stability"])), (100, 3))
        profile = self.get(f"groups/{row['id']}/profile")
        self.assertEqual([g["stability"] for g in profile["groups"]], after["stability"])
        self.assertEqual([g["customers"] for g in profile["groups"]], row["counts"])
        lens = self.send("post", "lens", {"clauses": [{"field": row["field"], "values": ["2"]}]})
        self.assertEqual(lens["lens"]["money"], profile["groups"][1]["money"])
        self.assertTrue(all(1 <= len(g["traits"]) <= 3 for g in profile["groups"]))
        self.assertAlmostEqual(sum(g["error_share"] for g in profile["groups"]), 1.0)
        # A ring's rays say of categories what its line says; of numbers, which way they stand.
        columns = [ray["name"] for ray in row["rays"][0]]
        picked = [n["name"] for n in page["recipe"]["numeric"] if n["picked"]]
        self.assertEqual(sorted(columns[: len(picked)]), sorted(picked))
        told = 0
        for group, rays in zip(profile["groups"], row["rays"], strict=True):
            by_name = {ray["name"]: ray for ray in rays}
            for trait in group["traits"]:
                ray = by_name[trait["name"]]
                self.assertEqual(ray["level"], trait["level"])
                if trait["unit"] == "share" and trait["level"]:
                    self.assertAlmostEqual(ray["by"], trait["strength"])
                    told += 1
                elif abs(ray["by"]) > 0.5:
                    self.assertGreater(ray["by"] * trait["strength"], 0)
        self.assertGreater(told, 0)
        # A thread tells the greatest of the differences between the rays of its two rings.
        above = self.row(page, 2)
        for thread in above["threads"]:
            one, other = above["rays"][thread["above"]], row["rays"][thread["below"]]
            left = {(ray["name"], ray["level"]): ray["by"] for ray in one}
            far = [abs(ray["by"] - left[key]) for ray in other
                   if (key := (ray["name"], ray["level"])) in left]  # fmt: skip
            self.assertAlmostEqual(abs(thread["carried"]["by"]), max(far))

    def test_the_balance_tells_what_it_would_change(self):
        self.send(
            "put", "groups/recipe", {"numeric": ["recency", "frequency"], "categories": ["plan"]}
        )
        found = self.get("groups/balance", k=4)
        by = {stop["balance"]: stop for stop in found["stops"]}
        self.assertEqual((by[1.0]["moved"], by[0.0]["categories"]), (0, 0))
        shares = [stop["categories"] for stop in found["stops"]]
        self.assertEqual(shares, sorted(shares))
        self.assertGreater(by[4.0]["moved"], 0)
        self.send("put", "groups/recipe", {"numeric": ["recency"], "categories": []})
        self.get("groups/balance", 400)


class Maps(GroupCase):
    def points(self, pk, **query):
        answer = self.client.get(self.url(f"groups/{pk}/points"), query)
        self.assertEqual(answer.status_code, 200, answer.content[:300])
        return pa.ipc.open_stream(io.BytesIO(answer.content)).read_all()

    def test_components_measures_and_the_lens(self):
        page = self.quick(most=3)
        row = self.row(page, 3)
        found = self.get(f"groups/{row['id']}/map")
        self.assertAlmostEqual(sum(found["explained"]), 1.0)
        self.assertEqual(found["customers"], page["customers"])
        axes = "component:1,measure:frequency"
        plane = self.get(f"groups/{row['id']}/plane", axes=axes)
        made = measures_or_job(self.study, default_window(self.study))
        labels = self.labels(row["id"])
        visits = np.asarray(made.column("frequency").values)
        for g in range(3):
            mean = visits[: len(labels)][labels == g].mean()
            self.assertAlmostEqual(plane["axes"][1]["centres"][g], mean)
        points = self.points(row["id"], axes=axes, colour="trait:plan")
        numbers = points["number"].to_numpy()
        self.assertEqual(len(numbers), page["customers"])
        np.testing.assert_array_equal(points["a1"].to_numpy(), visits[numbers])
        np.testing.assert_array_equal(points["group"].to_numpy(), labels[numbers])
        # A box over the picture is a clause on the component, and holds just these customers.
        along = points["a0"].to_numpy()
        clause = {"field": plane["axes"][0]["field"], "ranges": [[0.5, None]]}
        lens = self.send("post", "lens", {"clauses": [clause]})
        self.assertEqual(lens["lens"]["customers"], int((along >= 0.5).sum()))
        within = self.points(row["id"], axes=axes, lens=lens["digest"])
        self.assertEqual(int(within["inside"].to_numpy().sum()), lens["lens"]["customers"])
        self.assertEqual(len(self.points(row["id"], axes=axes, most=50)), 50)
        self.get(f"groups/{row['id']}/plane", 404, axes="measure:nothing")

    def test_pictures_follow_a_formula_that_was_changed(self):
        body = {"label": "Spend a visit", "formula": "monetary / frequency"}
        own = self.send("post", "own-measures", body, 201)["own"]["name"]
        plain = self.row(self.quick(numeric=["recency", "frequency"], most=3), 3)
        row = self.row(self.quick(numeric=["recency", own], most=3), 3)
        query = {"axes": f"measure:{own},component:1", "colour": f"measure:{own}"}

        def told():
            plane = self.get(f"groups/{plain['id']}/plane", **query)
            profile = self.get(f"groups/{row['id']}/profile")["groups"]
            means = [t["here"] for g in profile for t in g["traits"] if t["name"] == own]
            return np.array([*plane["axes"][0]["centres"], plane["high"], *means])

        once = told()
        self.send("put", f"own-measures/{own}", {**body, "formula": "2 * monetary / frequency"})
        np.testing.assert_allclose(told(), 2 * once)

    def test_pictures_of_several_numbers_of_groups_are_each_its_own(self):
        page = self.quick(most=4)
        made = measures_or_job(self.study, default_window(self.study))
        visits = np.asarray(made.column("frequency").values)
        for row in page["candidates"]:
            labels, k = self.labels(row["id"]), row["k"]
            plane = self.get(f"groups/{row['id']}/plane", axes="component:1,measure:frequency")
            means = [visits[: len(labels)][labels == g].mean() for g in range(k)]
            np.testing.assert_allclose(plane["axes"][1]["centres"], means)
            widths = self.get(f"groups/{row['id']}/widths")
            self.assertEqual(len(widths["groups"]), k)
            np.testing.assert_allclose(widths["means"], row["silhouettes"], atol=1e-6)
            profile = self.get(f"groups/{row['id']}/profile")
            self.assertEqual(len(profile["groups"]), k)
        self.get(f"groups/{row['id']}/plane", 400, axes=",".join(["component:1"] * 9))
        self.get("groups/999999/map", 404)

    def test_density_where_there_are_more_than_points_can_show(self):
        row = self.row(self.quick(most=2), 2)
        with mock.patch.object(picture, "MOST_POINTS", 100):
            plane = self.get(f"groups/{row['id']}/plane", axes="measure:recency,measure:tenure",
                             colour="measure:tenure")  # fmt: skip
        self.assertEqual(sum(plane["cells"]), plane["customers"])
        self.assertEqual(plane["shown"], 100)
        self.assertLess(plane["low"], plane["high"])

    def test_a_lasso_holds_who_lies_inside_the_line(self):
        """Counted from the points themselves: on two axes, one of them a log, and on three."""
        row = self.row(self.quick(most=3), 3)
        axes = ["measure:monetary", "component:1"]
        plane = self.get(f"groups/{row['id']}/plane", axes=",".join(axes))
        points = self.points(row["id"], axes=",".join(axes))
        numbers, spend, y = (points[name].to_numpy() for name in ("number", "a0", "a1"))
        self.assertTrue(plane["axes"][0]["axis"]["log"])
        x = np.sign(spend) * np.log1p(np.abs(spend))
        (a, b), (c, d) = np.quantile(x, (0.2, 0.8)), np.quantile(y, (0.3, 0.9))
        line = f"{a:.5g},{c:.5g} {b:.5g},{c:.5g} {b:.5g},{d:.5g} {a:.5g},{d:.5g}"
        wanted = ((x > float(f"{a:.5g}")) & (x < float(f"{b:.5g}"))
                  & (y > float(f"{c:.5g}")) & (y < float(f"{d:.5g}"))).sum()  # fmt: skip
        field = f"lasso:{row['id']};{'+'.join(axes)};;{line}"
        self.assertEqual(self.inside(field), wanted)
        # Everything drawn lies within a large square round the turned cube, nothing in a far one.
        three = "+".join(["component:1", "component:2", "measure:recency"])
        all_round = "-9,-9 9,-9 9,9 -9,9"
        self.assertEqual(self.inside(f"lasso:{row['id']};{three};0.6,0.35;{all_round}"), len(x))
        clause = {"field": f"lasso:{row['id']};{three};0.6,0.35;7,7 9,7 9,9", "values": ["inside"]}
        self.assertEqual(self.send("post", "lens", {"clauses": [clause]})["lens"]["customers"], 0)
        for wrong in (f"lasso:{row['id']};component:1;;0,0 1,0 1,1", "lasso:0;a+b;;0,0 1,0 1,1",
                      f"lasso:{row['id']};component:1+component:99;;0,0 1,0 1,1"):  # fmt: skip
            self.send("post", "lens", {"clauses": [{"field": wrong, "values": ["inside"]}]}, 404)
        names = self.get("names", numbers=",".join(str(n) for n in numbers[:3]))["names"]
        listed = self.get("customers")
        told = dict(zip(listed["numbers"], listed["names"], strict=True))
        both = [n for n in numbers[:3].tolist() if n in told]
        self.assertEqual(
            [told[n] for n in both], [m for n, m in zip(numbers, names, strict=False) if n in both]
        )
        self.assertTrue(all(names))
        self.get("names", 400, numbers="all")

    def inside(self, field):
        clause = {"field": field, "values": ["inside"]}
        return self.send("post", "lens", {"clauses": [clause]})["lens"]["customers"]

    def test_silhouettes_by_customer_are_the_rows_own(self):
        row = self.row(self.quick(most=3), 3)
        found = self.get(f"groups/{row['id']}/widths")
        self.assertAlmostEqual(found["mean"], row["silhouette"])
        for group, mean in zip(found["groups"], found["means"], strict=True):
            self.assertEqual(group, sorted(group, reverse=True))
            self.assertAlmostEqual(np.mean(group) / 1000, mean, places=2)
        lens = self.send("post", "lens", {"clauses": [{"field": row["field"], "values": ["1"]}]})
        inside = self.get(f"groups/{row['id']}/widths", lens=lens["digest"])["inside"]
        self.assertEqual([all(inside[0]), any(inside[1]), any(inside[2])], [True, False, False])

    def test_the_neighbourhood_is_laid_out_once(self):
        row = self.row(self.quick(most=2), 2)
        self.get(f"groups/{row['id']}/plane", 404, axes="neighbour:1,neighbour:2")
        self.send("post", f"groups/{row['id']}/neighbourhood", status=202)
        self.assertEqual(self.get(f"groups/{row['id']}/map")["job"]["state"], "waiting")
        run_jobs()
        found = self.get(f"groups/{row['id']}/map")
        self.assertTrue(found["neighbourhood"])
        self.assertGreater(found["trust"], 0.8)
        points = self.points(row["id"], axes="neighbour:1,neighbour:2")
        self.assertEqual(len(points), found["customers"])


class Trees(GroupCase):
    def test_four_linkages_and_a_cut_that_can_be_judged(self):
        self.send("put", "groups/recipe", {"numeric": ["recency", "frequency"], "categories": []})
        self.assertEqual(self.get("groups/merges")["trees"], [])
        self.send("post", "groups/merges", status=202)
        run_jobs()
        page = self.get("groups/merges")
        self.assertEqual([t["linkage"] for t in page["trees"]],
                         ["ward", "average", "complete", "single"])  # fmt: skip
        for tree in page["trees"]:
            self.assertEqual(sum(tree["sizes"]), page["customers"])
            self.assertEqual(len(tree["merges"]), LEAVES - 1)
            self.assertEqual(tree["heights"], sorted(tree["heights"]))
        ward = page["trees"][0]
        rows = self.quick(numeric=["recency", "frequency"], categories=[], method="hierarchical",
                          most=2)["candidates"]  # fmt: skip
        # The last merge joins the two groups that the cut into two gives, before the adopting pass.
        a, b = ward["merges"][-1]
        sizes = list(ward["sizes"])
        for one, other in ward["merges"]:
            sizes.append(sizes[one] + sizes[other])
        moved = rows[0]["moved"] * page["customers"]
        gap = abs(max(sizes[a], sizes[b]) - rows[0]["counts"][0])
        self.assertLessEqual(gap, moved + 1e-6)

    def test_branches_do_not_cross(self):
        rng = np.random.default_rng(3)
        parent, pairs, heights = list(range(150)), [], []
        for step in range(149):
            a, b = rng.choice(sorted(set(parent)), 2, replace=False)
            pairs.append((a, b))
            heights.append(step + 1.0)
            parent = [min(a, b) if p in (a, b) else p for p in parent]
        tree = tree_of(np.array(pairs), np.array(heights), np.ones(150, np.int64))
        body = summary("ward", tree)
        self.assertEqual((len(body.sizes), sum(body.sizes)), (LEAVES, 150))
        spans = [(n, n) for n in range(LEAVES)]
        for a, b in body.merges:
            self.assertEqual(spans[a][1] + 1, spans[b][0])
            spans.append((spans[a][0], spans[b][1]))
        self.assertEqual(spans[-1], (0, LEAVES - 1))
        small = summary("ward", tree_of(np.array([[0, 1]]), np.array([2.0]), np.array([3, 4])))
        self.assertEqual((small.sizes, small.merges, small.summarised), ([3, 4], [(0, 1)], False))


class Proposals(GroupCase):
    def test_three_kinds_with_reasons_within_a_budget(self):
        plan = {"numeric": None, "categories": ["plan"]}
        self.send("put", "groups/recipe", plan)
        with mock.patch.object(proposals, "LARGEST", 4), mock.patch.object(
            proposals, "_offered",
            lambda study, made: (["recency", "frequency", "tenure", "trend"], ["trait:plan"]),
        ):  # fmt: skip
            self.send("post", "groups/proposals", {"seconds": 60}, 202)
            self.assertEqual(self.get("groups/proposals")["job"]["state"], "waiting")
            run_jobs()
            page = self.get("groups/proposals")
        self.assertTrue(page["done"])
        self.assertEqual([p["kind"] for p in page["proposals"]],
                         ["what tells apart", "all alike", "a tree"])  # fmt: skip
        self.assertEqual(page["left_out"][0]["label"], "Trend")
        for proposal in page["proposals"]:
            self.assertEqual(proposal["tried"], [2, 3])
            self.assertTrue(proposal["reasons"])
            run = self.get("groups", run=proposal["run"])
            self.assertIn(proposal["candidate"]["id"], [r["id"] for r in run["candidates"]])
        adopted = self.send("post", "groups/adopt",
                            {"grouping": page["proposals"][0]["candidate"]["id"]})  # fmt: skip
        self.assertEqual(adopted["k"], page["proposals"][0]["candidate"]["k"])
        self.send("post", "groups/proposals", {"seconds": 7}, 400)

    def test_a_budget_that_is_spent_leaves_what_is_there(self):
        self.send("put", "groups/recipe", {"categories": []})
        with mock.patch.object(proposals, "LARGEST", 3), mock.patch.object(
            proposals, "_offered", lambda study, made: (["recency", "frequency"], [])
        ), mock.patch.object(proposals, "BUDGETS", (0,)):  # fmt: skip
            found = []
            for kinds in (1, 2, 3):  # each time one more: what is there is not tried again
                self.send("post", "groups/proposals", {"seconds": 0}, 202)
                run_jobs()
                page = self.get("groups/proposals")
                self.assertEqual(len(page["proposals"]), kinds)
                self.assertEqual(page["done"], kinds == 3)
                self.assertEqual(page["proposals"][: len(found)], found)
                found = page["proposals"]
        jobs = Job.objects.filter(kind="groups.propose")
        self.assertEqual({job.state for job in jobs}, {Job.DONE})
