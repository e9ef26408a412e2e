"""Receipts in two files: found together in either order, read as one, parted again."""

from sortija.server.ledger.models import Intake
from tests.cli.shapes import heads_and_lines, plain, random_log
from tests.server.support import MEMBERS, ServerCase, run_jobs


class TwoFiles(ServerCase):
    def setUp(self):
        super().setUp()
        self.lines = random_log(5, receipts=160)
        (own, _), (heads, _) = heads_and_lines(self.lines)
        self.files = {"lines.csv": own.decode(), "receipts.csv": heads.decode()}

    def bring(self, name):
        upload = self.upload(self.files[name], name, part=1 << 20)
        return self.send("post", "intakes", {"upload": upload, "role": ""}, 201)

    def count(self, intake):
        self.send("post", f"intakes/{intake['id']}/count", status=202)
        run_jobs()
        return self.get(f"intakes/{intake['id']}")

    def test_in_either_order_they_are_one_review(self):
        for order in (("lines.csv", "receipts.csv"), ("receipts.csv", "lines.csv")):
            with self.subTest(order):
                self.bring(order[0])
                review = self.bring(order[1])
                self.assertEqual((review["name"], review["heads"]), ("lines.csv", "receipts.csv"))
                self.assertEqual(review["mapping"]["roles"]["customer"], "member")
                self.assertEqual(review["mapping"]["roles"]["moment"], "booked")
                self.assertEqual(len(self.get("ledger")["intakes"]), 1)
                self.send("delete", f"intakes/{review['id']}", status=204)

    def test_they_count_as_the_log_in_one_file_does(self):
        self.bring("lines.csv")
        intake = self.count(self.bring("receipts.csv"))
        self.assertEqual(intake["state"], "counted", intake["error"])
        two = self.get("ledger", to="2026-05-31", back="all")
        self.send("delete", f"intakes/{intake['id']}", status=204)
        self.bring_in(plain(self.lines)[0].decode(), "whole.csv")
        one = self.get("ledger", to="2026-05-31", back="all")
        self.assertEqual((two["lines"], two["counted_total"]), (one["lines"], one["counted_total"]))
        self.assertEqual(two["balance"], one["balance"])

    def test_counted_ones_can_be_read_again_with_other_columns(self):
        self.bring("lines.csv")
        intake = self.count(self.bring("receipts.csv"))
        before = self.get("ledger", to="2026-05-31", back="all")["balance"]
        again = self.send("post", f"intakes/{intake['id']}/columns", status=201)
        self.assertEqual(again["heads"], "receipts.csv")
        self.assertEqual(again["mapping"], intake["mapping"])
        changed = self.send("put", f"intakes/{again['id']}", {"mapping": again["mapping"]})
        self.assertEqual(self.count(changed)["state"], "counted")
        self.assertEqual(self.get("ledger", to="2026-05-31", back="all")["balance"], before)

    def test_each_on_its_own_again(self):
        self.bring("lines.csv")
        joined = self.bring("receipts.csv")
        apart = self.send("post", f"intakes/{joined['id']}/apart")
        self.assertEqual(apart["heads"], "")
        names = sorted(row["name"] for row in self.get("ledger")["intakes"])
        self.assertEqual(names, ["lines.csv", "receipts.csv"])
        words = self.send("post", f"intakes/{apart['id']}/count", status=400)["detail"]
        self.assertIn("Say which column holds", words)
        self.send("post", f"intakes/{apart['id']}/apart", status=400)

    def test_a_customer_table_is_no_heads_file(self):
        self.bring("lines.csv")
        upload = self.upload(MEMBERS, "members.csv", part=1 << 20)
        review = self.send("post", "intakes", {"upload": upload, "role": ""}, 201)
        self.assertEqual((review["role"], review["heads"]), ("members", ""))
        self.assertEqual(Intake.objects.exclude(heads=None).count(), 0)
