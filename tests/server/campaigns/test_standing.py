"""The standing control: drawn once, never written to, newcomers drawn by the same share."""

import numpy as np

from sortija.server.campaigns.models import StandingControl
from sortija.server.campaigns.standing import in_control
from sortija.server.studies.columns import read_column
from tests.server.support import SMALL, DemoCase


class Standing(DemoCase):
    once = DemoCase.four_groups

    def codes(self):
        return np.asarray(read_column(StandingControl.objects.get(ended=False).column).values)

    def test_it_is_drawn_once_and_nobody_in_it_is_written_to(self):
        body = self.send("post", "campaigns/standing", {"share": 0.05}, 201)
        # 5% of 398 are 19.9: which of the two numbers it is hangs on where the draw begins.
        self.assertEqual(body["of"], 398)
        self.assertIn(body["customers"], (19, 20))
        control = in_control(self.study, 400)
        plan = {"name": "All", "send_on": "2026-07-10", "read_on": "2026-08-20", "clauses": []}
        row = self.send("post", "campaigns", plan, 201)
        consent = {"field": "trait:mail_consent", "values": ["yes"]}
        lens = {"clauses": [{"field": f"campaign:{row['id']}", "values": ["standing control"]}]}
        away = self.send("post", "lens", lens)["lens"]["customers"]
        self.assertEqual(away, row["fell_away"]["standing control"])
        yes = self.send("post", "lens", {"clauses": [consent]})["lens"]["customers"]
        self.assertEqual(row["lens"] - row["fell_away"]["no consent"], yes)
        self.assertGreater(away, 0)
        self.assertLessEqual(away, control.sum())
        self.send("post", "campaigns/standing", {"share": 0.03}, 409)
        self.assertEqual(self.get("campaigns")["standing"]["customers"], body["customers"])

    def test_it_ends_and_comes_back(self):
        self.send("post", "campaigns/standing", {"share": 0.02}, 201)
        before = self.codes().tolist()
        self.send("delete", "campaigns/standing", status=204)
        self.assertIsNone(self.get("campaigns")["standing"])
        self.assertFalse(in_control(self.study, 400).any())
        self.send("post", "history/undo")
        self.assertEqual(self.codes().tolist(), before)
        self.send("post", "history/undo")
        self.assertFalse(StandingControl.objects.filter(ended=False).exists())

    def test_nobody_on_the_do_not_contact_list_is_written_to(self):
        away = {"field": "measure:recency", "ranges": [[200, None]]}
        asked = {"name": "Asked us not to", "kind": "list", "clauses": [away]}
        kept = self.send("post", "kept", asked, 201)
        page = self.get("campaigns")["do_not_contact"]
        self.assertEqual((page["kept"], [row["id"] for row in page["lists"]]), (None, [kept["id"]]))
        plan = {"name": "All", "send_on": "2026-07-10", "read_on": "2026-08-20", "clauses": [away]}
        before = self.send("post", "campaigns", plan, 201)
        told = self.send("put", "campaigns/do-not-contact", {"kept": kept["id"]})
        self.assertEqual(told["customers"], before["lens"])
        row = self.get("campaigns")["campaigns"][0]
        self.assertEqual(row["written"] + row["held"], 0)
        self.assertEqual(
            row["fell_away"]["no consent"] + row["fell_away"]["do not contact"], row["lens"]
        )
        # The list deleted, they still are not.
        self.send("delete", f"kept/{kept['id']}", status=204)
        self.assertEqual(self.get("campaigns")["campaigns"][0]["written"], 0)
        self.send("post", "history/undo")
        self.send("post", "history/undo")
        self.assertEqual(self.get("campaigns")["campaigns"][0]["written"], before["written"])
        self.send("put", "campaigns/do-not-contact", {"kept": 999}, 404)

    def test_a_share_that_is_none(self):
        told = self.send("post", "campaigns/standing", {"share": 0.2}, 400)["detail"]
        self.assertIn("2 to 5 in 100", told)
        self.send("delete", "campaigns/standing", status=428)

    def test_newcomers_are_drawn_and_nobody_else_anew(self):
        self.send("post", "campaigns/standing", {"share": 0.05}, 201)
        before = self.codes()
        head = (SMALL / "log.csv").read_text().partition("\n")[0]
        lines = "".join(
            f"R9{n:05};M-9{n:05};29/06/2026 09:30;Eastholt;till;01002;Geum;Perennials;1;4;4;sale\n"
            for n in range(200)
        )
        intake = self.bring_in(f"{head}\n{lines}", "new.csv")
        self.assertEqual(intake["state"], "counted", intake)
        after = self.codes()
        np.testing.assert_array_equal(after[: len(before)], before)
        self.assertEqual((after[len(before) :] > 0).sum(), 200)
        self.assertAlmostEqual(int((after[len(before) :] == 2).sum()), 10, delta=1)
        self.assertEqual(self.get("campaigns")["standing"]["of"], 598)
