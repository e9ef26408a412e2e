"""The list in every form, and why a customer was written to."""

import io

import openpyxl
import pyarrow.parquet as pq

from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import Campaign
from tests.server.support import DemoCase, run_jobs

PLAN = {"name": "Spring letter", "send_on": "2026-07-10", "read_on": "2026-08-20", "holdout": 0.25}
AWAY = {"field": "measure:recency", "ranges": [[30, None]]}


class Handing(DemoCase):
    once = DemoCase.four_groups

    def setUp(self):
        super().setUp()
        self.row = self.send("post", "campaigns", {**PLAN, "clauses": [AWAY]}, 201)
        self.path = f"campaigns/{self.row['id']}"
        self.send("post", f"{self.path}/draw")

    def file(self, kind):
        export = self.send("post", f"{self.path}/list", {"kind": kind}, 201)
        run_jobs()
        answer = self.client.get(self.url(f"exports/{export['id']}/file"))
        self.assertEqual(answer.status_code, 200)
        return answer.getvalue()

    def test_the_same_rows_in_every_form(self):
        lines = self.file("csv").decode().splitlines()
        told = sorted(tuple(line.split(",")) for line in lines[1:])
        self.assertEqual(lines[0], "card,address,segment")
        self.assertEqual(len(told), self.row["written"])
        sheet = openpyxl.load_workbook(io.BytesIO(self.file("xlsx")))["Customers"]
        rows = [tuple(cell.value for cell in row) for row in sheet.iter_rows()]
        self.assertEqual(sorted(rows[1:]), told)
        table = pq.read_table(io.BytesIO(self.file("parquet")))
        self.assertEqual(sorted(zip(*table.to_pydict().values(), strict=True)), told)
        self.send("post", f"{self.path}/list", {"kind": "pdf"}, 400)

    def test_why_a_customer_was_written_to(self):
        drawn = drawn_of(Campaign.objects.get())
        written, held = int(drawn.customers[~drawn.held][0]), int(drawn.customers[drawn.held][0])
        for customer, arm in ((written, "written to"), (held, "held out")):
            told = self.get(f"campaigns/customer/{customer}")
            [row] = told["campaigns"]
            self.assertEqual((row["name"], row["arm"]), ("Spring letter", arm))
            self.assertEqual(row["state"], "drawn")
            self.assertEqual(row["clauses"][0]["ranges"], [[30, None]])
            self.assertFalse(told["never"])
        lens = {"clauses": [{"field": f"campaign:{self.row['id']}", "values": ["no consent"]}]}
        digest = self.send("post", "lens", lens)["lens"]["customers"]
        self.assertEqual(digest, self.row["fell_away"]["no consent"])
        told = [
            self.get(f"campaigns/customer/{number}")["campaigns"] for number in range(0, 400, 20)
        ]
        arms = {each[0]["arm"] for each in told if each}
        self.assertLessEqual(arms, {"written to", "held out", "no consent", "no address"})
        self.assertTrue(any(not each for each in told))  # who came lately is in no lens
        self.get("campaigns/customer/90000", 404)
