"""Steadiness of groups over HTTP: found out after each run, said where groups are chosen."""

import numpy as np

from sortija.core.crossings.steadiness import steadiness_of
from sortija.core.crossings.yardsticks import ByCentres
from sortija.core.groups.lloyd import Centres
from sortija.core.groups.recipe import Preparation
from sortija.server.crossings.redrawing import inputs_for
from sortija.server.groups.models import Grouping
from sortija.server.jobs.models import Job
from sortija.server.ledger.store.ledger import ledger_of
from sortija.server.measures.measure_set import measures_or_job
from sortija.server.studies.windows import WindowInView
from tests.server.support import DemoCase, ServerCase, run_jobs


class Steady(DemoCase):
    once = DemoCase.swept

    def test_every_k_of_a_run_is_tried_on_the_same_year_again(self):
        page = self.get("groups")
        rows = page["candidates"]
        window = WindowInView.parse(Grouping.objects.first().window)
        before, after = (measures_or_job(self.study, w) for w in (window.year_before, window))
        groupings = Grouping.objects.order_by("k")
        yardsticks = [
            ByCentres(Preparation.from_json(g.preparation), Centres.from_json(g.centres))
            for g in groupings
        ]
        inputs = inputs_for(ledger_of(self.study), before, after, yardsticks[0].names)
        found = steadiness_of(inputs, yardsticks)
        np.testing.assert_allclose(
            [row["same_again"] for row in rows], [each.mean for each in found.groupings]
        )
        self.assertGreater(rows[0]["same_again"], rows[-1]["same_again"])
        name = next(name for name in yardsticks[0].names if name in found.measures)
        told = self.get(f"measure/{name}")["reliability"]
        self.assertAlmostEqual(told["value"], found.measures[name])
        self.assertEqual(told["mostly_luck"], found.measures[name] < 0.4)
        threads = {each["name"]: each for each in self.get("measures")["threads"]}
        self.assertEqual(threads[name]["reliability"], told)
        self.assertIsNone(threads["weekend"]["reliability"])
        # Another measure is looked at when somebody opens it.
        self.assertIsNone(self.get("measure/weekend")["reliability"])
        run_jobs()
        told = self.get("measure/weekend")["reliability"]
        alone = steadiness_of(
            inputs_for(ledger_of(self.study), before, after, ("weekend",)), []
        ).measures["weekend"]
        self.assertAlmostEqual(told["value"], alone)
        self.get("measure/expected")
        self.assertEqual(Job.objects.filter(kind="crossings.reliability").count(), 1)
        if page["suggestion"]["k"]:
            self.assertIn("Same again 0.", page["suggestion"]["words"])
        # Nothing is found out twice.
        many = Job.objects.filter(kind="crossings.steadiness").count()
        self.sweep()
        self.assertEqual(Job.objects.filter(kind="crossings.steadiness").count(), many)

    def test_what_would_make_it_steadier(self):
        row = self.get("groups")["candidates"][2]
        address = f"crossings/steadier/{row['id']}"
        self.assertEqual(self.get(address)["status"]["state"], "working")
        run_jobs()
        page = self.get(address)
        self.assertEqual(page["status"]["state"], "whole")
        own = page["rows"][page["own"]]
        self.assertEqual(own["words"], "as it is")
        self.assertAlmostEqual(own["same_again"], row["same_again"])
        shares = [each["same_again"] for each in page["rows"]]
        self.assertEqual(shares, sorted(shares, reverse=True))
        recipe = Grouping.objects.get(pk=row["id"]).recipe
        columns = [*recipe["numeric"], *recipe["categories"]]
        self.assertEqual(len(page["rows"]), len(columns) + 1)
        self.assertTrue(page["luck"])
        self.get("crossings/steadier/999999", 404)


class TooShort(DemoCase):
    def test_a_log_of_less_than_two_windows_tells_nothing(self):
        self.send("post", "groups/run?back=24", status=202)
        run_jobs()
        row = self.get("groups", back="24")["candidates"][0]
        self.assertIsNone(row["same_again"])
        self.assertFalse(Job.objects.filter(kind="crossings.steadiness").exists())
        lacks = self.get(f"crossings/steadier/{row['id']}")["lacks"]
        self.assertIn("too short to tell", lacks)


class Empty(ServerCase):
    def test_no_such_grouping(self):
        self.get("crossings/steadier/1", 404)
