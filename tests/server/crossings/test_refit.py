"""The recipe on another window: groups matched to the segments, and adopted in their place."""

import numpy as np

from sortija.server.groups.models import Grouping, Yardstick
from sortija.server.groups.yardsticks.assignments import assignment_at
from sortija.server.jobs.models import Job
from sortija.server.studies.columns import read_column
from sortija.server.studies.windows import WindowInView
from tests.server.support import DemoCase, run_jobs


class Refit(DemoCase):
    once = DemoCase.swept

    def test_empty_without_groups(self):
        self.assertEqual(self.get("crossings/refit")["status"]["state"], "empty")

    def test_new_groups_are_matched_to_the_segments_that_they_carry_on(self):
        self.adopt(4)
        self.assertEqual(self.get("crossings/refit")["status"]["state"], "working")
        run_jobs()
        page = self.get("crossings/refit")
        again = self.get("crossings/yardstick")["same_again"]
        [row] = [r for r in self.get("groups")["candidates"] if r["k"] == 4]
        self.assertEqual(again, row["same_again"])
        self.assertEqual((page["home"], page["to"]), ("2026-06-30", "2025-06-30"))
        self.assertTrue(page["older"])
        window = WindowInView.parse("2025-06-30:12")
        yardstick = Yardstick.objects.get(retired=False)
        old = assignment_at(self.study, yardstick, window).placement.state
        new = np.asarray(read_column(Grouping.objects.get(pk=page["grouping"]).labels).values) - 1
        both = (old < 4) & (new >= 0)
        self.assertEqual(page["customers"], both.sum())
        agree = 0
        for row in page["rows"]:
            if row["group"] is None or row["segment"] is None:
                continue
            inside = both & (old == row["segment"]) & (new == row["group"])
            self.assertEqual(row["both"], inside.sum())
            self.assertEqual(row["before"], (both & (old == row["segment"])).sum())
            self.assertEqual(row["now"], (both & (new == row["group"])).sum())
            agree += row["both"]
        self.assertEqual(page["agree"], agree)
        groups = [row["group"] for row in page["rows"] if row["group"] is not None]
        segments = [row["segment"] for row in page["rows"] if row["segment"] is not None]
        self.assertEqual((sorted(groups), sorted(segments)), ([0, 1, 2, 3], [0, 1, 2, 3]))
        # The groups that are in use are still those that were adopted, and nothing is made twice.
        self.assertEqual(Yardstick.objects.get(retired=False).pk, page["in_use"])
        self.get("crossings/refit")
        self.assertEqual(Job.objects.filter(kind="crossings.refit").count(), 1)

    def test_adopted_they_carry_the_names_on(self):
        self.adopt(3)
        later = {"to": "2026-05-31"}
        self.send("post", "groups/run?to=2026-03-31", status=202)
        run_jobs()
        row = next(r for r in self.get("groups", to="2026-03-31")["candidates"] if r["k"] == 3)
        self.send("post", "groups/adopt", {"grouping": row["id"]})
        self.get("crossings/refit", **later)
        run_jobs()
        page = self.get("crossings/refit", **later)
        self.assertFalse(page["older"])
        names = {s["name"] for s in self.get("groups")["adopted"]["segments"]}
        self.send("post", "groups/adopt", {"grouping": page["grouping"]},
                  **{"If-Match": f'"{page["in_use"]}"'})  # fmt: skip
        adopted = self.get("groups")["adopted"]
        self.assertEqual(adopted["home_to"], "2026-05-31")
        carried = {s["name"] for s in adopted["segments"] if s["carried"]}
        matched = [r for r in page["rows"] if r["segment"] is not None and r["group"] is not None]
        self.assertEqual(len(carried), len(matched))
        self.assertLessEqual(carried, names)

    def test_a_ladder_has_no_recipe(self):
        self.send("post", "ladder")
        self.assertIn("ladder", self.get("crossings/refit")["lacks"])
