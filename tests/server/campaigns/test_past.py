"""A campaign sent from elsewhere: its list is brought in, its result told from the log."""

from collections import Counter

from sortija.demo.files import CAMPAIGN_EFFECT, write_demo
from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import Campaign
from sortija.server.ledger.models import Card
from tests.server.support import LOG, SMALL, DemoCase, ServerCase, run_jobs

WINTER = {"name": "Winter letter", "send_on": "2026-01-31", "read_on": "2026-02-28"}


class Past(DemoCase):
    def bring(self, text, status=201, **changes):
        return self.send("post", "campaigns/past", {**WINTER, "list": text, **changes}, status)

    def test_its_arms_are_those_of_the_list(self):
        text = (SMALL / "winter-letter.csv").read_text()
        row = self.bring(text)
        self.assertEqual((row["state"], row["read"]), ("handed over", True))
        told = dict(line.split(",") for line in text.split()[1:])
        drawn = drawn_of(Campaign.objects.get())
        codes = dict(Card.objects.values_list("number", "code"))
        for number, held in zip(drawn.customers.tolist(), drawn.held.tolist(), strict=True):
            self.assertEqual(told[codes[number]], "held" if held else "written")
        self.assertEqual(row["written"] + row["held"], len(drawn.customers))
        self.assertEqual(row["lens"], len(told))
        self.assertEqual(row["fell_away"]["not known here"], len(told) - len(drawn.customers))
        result = self.get(f"campaigns/{row['id']}/result")
        self.assertTrue(result["final"])
        again = self.send("post", f"campaigns/{row['id']}/copy", status=201)
        # For those on the list, not for everyone; what came of them is known only now.
        self.assertEqual(again["lens"], len(drawn.customers))
        self.assertIsNone(again["base_rate"])
        self.send("post", "history/undo")
        self.send("post", "history/undo")
        self.assertEqual(self.get("campaigns")["campaigns"], [])
        self.send("post", "history/redo")
        self.assertEqual(len(self.get("campaigns")["campaigns"]), 1)

    def test_groups_that_are_adopted_later_part_its_result_and_never_change_it(self):
        row = self.bring((SMALL / "winter-letter.csv").read_text(), read_on="2026-03-31")
        path = f"campaigns/{row['id']}/result"
        before = self.get(path)
        self.assertEqual([s["segment"] for s in before["segments"]], ["all"])
        self.adopt(4)
        self.get(path)
        run_jobs()  # the segments of the day of sending
        after = self.get(path)
        self.assertEqual(after["returned"], before["returned"])
        drawn = drawn_of(Campaign.objects.get())
        codes = dict(Card.objects.values_list("number", "code"))
        told = self.everyone("segment:now", to="2026-01-31")
        wanted = Counter(told.get(codes[n], ("not yet",))[0] for n in drawn.customers.tolist())
        beside = {"left": "no purchase in the window", "not yet": "no purchase yet"}
        self.assertEqual(
            {s["segment"]: s["written"] + s["held"] for s in after["segments"]},
            {beside.get(name, name): count for name, count in wanted.items()},
        )

    def test_what_is_wrong_with_a_list(self):
        for text, told in (
            ("card,arm\nM-000001,held\n", "a column group"),
            ("card,group\nM-000001,kept\n", "Row 2 says “M-000001”, “kept”"),
            ("card;group\nM-000001;held\nM-000001;held\n", "Row 3: M-000001 is on the list twice"),
            ("card,group\n", "no rows"),
            ("card,group\nX-1,held\n", "None of these customers is known here"),
        ):
            self.assertIn(told, self.bring(text, 400)["detail"])
        self.bring("card,group\nM-000001,held\n", 400, read_on="2026-01-01")
        self.assertFalse(Campaign.objects.exists())


class Together(ServerCase):
    def test_one_customer_of_two_cards_is_in_one_arm(self):
        self.bring_in(LOG, "log.csv")
        first = Card.objects.get(code="A").number
        self.send("post", f"customer/{first}/cards", {"code": "B"})
        past = {**WINTER, "send_on": "2026-04-01", "read_on": "2026-05-20"}
        text = "card,group\nA,written\nB,held\nC,held\n"
        told = self.send("post", "campaigns/past", {**past, "list": text}, 400)["detail"]
        self.assertIn("are one customer", told)
        text = text.replace("B,held", "B,written")
        row = self.send("post", "campaigns/past", {**past, "list": text}, 201)
        self.assertEqual((row["written"], row["held"]), (1, 1))


class Truth(ServerCase):
    def test_the_demos_finished_campaign_is_told_as_its_true_effect(self):
        demo = write_demo(self.folder / "demo", 6000)
        upload = self.bring_in(demo.log.read_text(), "log.csv")
        self.assertEqual(upload["state"], "counted", upload)
        row = self.send("post", "campaigns/past", {**WINTER, "list": demo.winter.read_text()}, 201)
        told = self.get(f"campaigns/{row['id']}/result")
        returned = told["returned"]
        self.assertLessEqual(returned["low"], CAMPAIGN_EFFECT)
        self.assertGreaterEqual(returned["high"], CAMPAIGN_EFFECT)
        self.assertEqual(told["verdict"], "more")
