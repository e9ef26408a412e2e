"""Next month's file over this one's; a file read otherwise."""

from unittest import mock

from sortija.server.ledger.models import Intake, Line
from tests.server.support import LOG, ServerCase, run_jobs

HEAD = "receipt,card,sold_at,site,item,department,qty,total\n"
JUNE = (
    HEAD
    + """1,A,2026-06-01 09:00,North,101,Seeds,1,10.00
2,B,2026-06-10 09:00,North,101,Seeds,1,20.00
3,A,2026-06-20 09:00,North,101,Seeds,1,30.00
4,B,2026-06-20 09:00,South,101,Seeds,1,1.00
"""
)
#: Receipt 2 corrected, receipt 3 corrected away, 4 as it was, 5 new; all of North but its edges.
AGAIN = (
    HEAD
    + """1,A,2026-06-01 09:00,North,101,Seeds,1,10.00
2,B,2026-06-10 09:00,North,101,Seeds,1,25.00
5,A,2026-06-30 09:00,North,101,Seeds,1,50.00
"""
)


class Overlaps(ServerCase):
    def setUp(self):
        super().setUp()
        self.first = self.bring_in(JUNE, "june.csv")
        self.second = self.bring_in(AGAIN, "june again.csv")

    def money(self):
        return self.get("ledger")["counted_total"]

    def choose(self, choice, intake=None, status=200):
        path = f"intakes/{(intake or self.second)['id']}/overlap"
        return self.send("put", path, {"choice": choice}, status)

    def test_both_keep_what_differs_and_set_aside_what_is_the_same(self):
        rows = {i["name"]: i for i in self.get("ledger")["intakes"]}
        self.assertEqual(rows["june again.csv"]["known_receipts"], 2)
        self.assertEqual(rows["june.csv"]["known_receipts"], 0)
        self.assertEqual(self.money(), 1000 + 2000 + 3000 + 100 + 2500 + 5000)

    def test_skip_what_came_before(self):
        self.choose("skip")
        self.assertEqual(self.money(), 1000 + 2000 + 3000 + 100 + 5000)
        # Receipt 1, as it was, and 2, though corrected, give way; 5 is new.
        self.assertEqual(self.get("ledger/lines", rule="superseded")["total"], 2)

    def test_replace_what_came_before(self):
        self.assertEqual(self.choose("replace")["overlap"], "replace")
        # Receipt 3 lies within the days of the new file at its shop, 4 at another shop.
        self.assertEqual(self.money(), 1000 + 2500 + 100 + 5000)
        gone = self.get("ledger/lines", rule="superseded")["lines"]
        self.assertEqual(sorted(row["money"] for row in gone), [1000, 2000, 3000])
        self.send("post", "history/undo")
        self.assertEqual(self.money(), 1000 + 2000 + 3000 + 100 + 2500 + 5000)
        self.send("post", "history/redo")
        self.assertEqual(self.money(), 1000 + 2500 + 100 + 5000)

    def test_what_cannot_be_chosen(self):
        self.assertIn("skipped, replaced", self.choose("merge", status=400)["detail"])
        members = self.bring_in("card,garden\nA,yard\nB,none\n", "members.csv")
        self.assertIn("imported log", self.choose("skip", members, 400)["detail"])

    def test_undo_after_another_choice_says_so(self):
        self.choose("skip")
        Intake.objects.filter(pk=self.second["id"]).update(overlap="both")
        self.assertIn("since", self.send("post", "history/undo", status=409)["detail"])


class Otherwise(ServerCase):
    def setUp(self):
        super().setUp()
        self.intake = self.bring_in(LOG, "log.csv")
        self.before = self.get("ledger")

    def again(self):
        return self.send("post", f"intakes/{self.intake['id']}/columns", status=201)

    def count(self, intake):
        self.send("post", f"intakes/{intake['id']}/count", status=202)
        run_jobs()
        return self.get(f"intakes/{intake['id']}")

    def test_the_kept_original_is_read_by_another_mapping(self):
        review = self.again()
        self.assertEqual((review["state"], review["replaces"]), ("review", self.intake["id"]))
        self.assertEqual(self.again()["id"], review["id"])
        self.assertEqual(self.get("ledger")["counted_total"], self.before["counted_total"])
        mapping = review["mapping"]
        mapping["kinds"]["void"] = "sale"
        self.send("put", f"intakes/{review['id']}", {"mapping": mapping})
        self.assertEqual(self.count(review)["state"], "counted")
        after = self.get("ledger")
        self.assertEqual(after["lines"], self.before["lines"])
        self.assertEqual(after["counted_total"], self.before["counted_total"] + 700)
        self.assertEqual([i["id"] for i in after["intakes"]], [review["id"]])
        self.send("post", "history/undo")
        back = self.get("ledger")
        self.assertEqual(back["counted_total"], self.before["counted_total"])
        self.assertEqual([i["id"] for i in back["intakes"]], [self.intake["id"]])
        self.send("post", "history/redo")
        self.assertEqual(self.get("ledger")["counted_total"], after["counted_total"])

    def test_a_reading_that_fails_leaves_what_was(self):
        review = self.again()
        with mock.patch("sortija.server.ledger.jobs.read_log", side_effect=RuntimeError("gone")):
            self.assertEqual(self.count(review)["state"], "failed")
        self.assertEqual(self.get("ledger")["counted_total"], self.before["counted_total"])
        self.assertEqual(Line.objects.filter(intake=review["id"]).count(), 0)
        self.send("delete", f"intakes/{review['id']}", status=204)
        self.assertEqual(self.count(self.again())["state"], "counted")

    def test_only_what_is_counted(self):
        review = self.again()
        words = self.send("post", f"intakes/{review['id']}/columns", status=400)["detail"]
        self.assertIn("Only an imported file", words)

    def test_customers_keep_their_numbers(self):
        cards = {r["card"]: r["customer"] for r in self.get("ledger/lines")["lines"]}
        self.count(self.again())
        self.assertEqual(
            {r["card"]: r["customer"] for r in self.get("ledger/lines")["lines"]}, cards
        )
