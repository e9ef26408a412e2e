"""A study with a customer table and no log: its columns are the measures."""

import math

from sortija.server.ledger.models import Card
from tests.server.support import ServerCase, run_jobs


class WithoutALog(ServerCase):
    MEMBERS = "card,joined_on,points,plan\n" + "\n".join(
        f"K{n},2025-0{1 + n % 9}-01,{n * n},{'plus' if n % 3 else 'card'}" for n in range(60)
    )

    def setUp(self):
        super().setUp()
        self.bring_in(self.MEMBERS, "members.csv", "members")

    def test_the_table_s_columns_are_the_measures(self):
        page = self.get("measures")
        self.assertEqual((page["status"]["state"], page["customers"]), ("whole", 60))
        self.assertFalse(page["has_log"])
        threads = {t["name"]: t for t in page["threads"]}
        self.assertEqual(set(threads), {"trait:joined_on", "trait:points", "trait:plan"})
        self.assertEqual(threads["trait:points"]["numbers"]["figures"]["high"], 59 * 59)
        trail = {s["key"]: s for s in self.get("trail")["stations"]}
        self.assertEqual(trail["measures"]["state"], "current")
        self.assertEqual(self.get("series")["status"]["state"], "empty")
        self.assertEqual(Card.objects.count(), 60)

    def test_lens_list_and_groups_work_on_it(self):
        lens = self.send("post", "lens", {"clauses": [{"field": "trait:plan", "values": ["card"]}]})
        self.assertEqual(lens["lens"], {"customers": 20, "money": 0})
        page = self.get("customers", lens=lens["digest"], fields="trait:points")
        self.assertEqual(page["total"], 20)
        self.send("put", "measure/trait:points", {"role": "shapes"})
        own = self.send("post", "own-measures", {"label": "Root", "formula": "sqrt(points)"}, 201)
        thread = next(t for t in self.get("measures")["threads"]
                      if t["name"] == own["own"]["name"])  # fmt: skip
        self.assertTrue(math.isclose(thread["numbers"]["figures"]["high"], 59))
        self.send("post", "groups/run", status=202)
        run_jobs()
        groups = self.get("groups")
        self.assertEqual(groups["status"]["state"], "whole", groups["status"])
        row = groups["candidates"][0]
        self.send("post", "groups/adopt", {"grouping": row["id"]})
        self.assertEqual(self.get("groups")["adopted"]["since"], "")
        self.assertEqual(self.get("portraits")["status"]["state"], "whole")
