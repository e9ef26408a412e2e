"""What a campaign offers: taken from past offers, kept as it was told when the holdout is drawn."""

import json
from collections import Counter

from sortija.server.campaigns.models import Campaign
from tests.server.campaigns.test_audience import Planning, members
from tests.server.support import SMALL, DemoCase


class Offering(Planning, DemoCase):
    def once(self):
        """The demo with its offers' files, groups tried."""
        for name in ("responses.csv", "offers.csv"):
            self.bring_in((SMALL / name).read_text(), name)
        self.sweep()

    def setUp(self):
        super().setUp()
        self.adopt(4)
        self.offer = {"theme": "new in"}
        self.page = self.get("portraits/offers", chosen=json.dumps(self.offer))

    def test_the_segments_shares_each_by_whom_it_is_written_to(self):
        row = self.plan(offer=self.offer)
        told, shares = row["offer"], [each["share"] for each in self.page["expected"]]
        self.assertEqual(told["attributes"], [{"label": "Theme", "value": "new in"}])
        self.assertEqual(told["segments"], shares)
        heads = {head["name"]: head["number"] - 1 for head in self.page["columns"]}
        written = {heads[a["segment"]]: a["written"] for a in row["arms"] if a["segment"] in heads}
        inside = sum(written.values())
        self.assertEqual(told["outside"], row["written"] - inside)
        for end in ("share", "low", "high"):
            wanted = sum(n * self.page["expected"][s][end] for s, n in written.items()) / inside
            self.assertAlmostEqual(told[end], wanted)

    def test_as_it_was_told_on_the_day_of_the_draw(self):
        row = self.plan(offer=self.offer)
        drawn = self.send("post", f"campaigns/{row['id']}/draw")
        self.assertEqual(drawn["offer"], row["offer"])
        # What comes in later changes what a next offer can expect, not what was told of this one.
        self.bring_in(
            "card,offer,used\n" + "".join(f"{code},NEW,yes\n" for code in self.cards()), "more.csv"
        )
        self.bring_in("offer,theme\nNEW,new in\n", "told.csv")
        now = self.get("campaigns")["campaigns"][0]
        self.assertEqual(now["offer"], row["offer"])
        other = self.plan(
            offer=self.offer, name="Later", send_on="2026-09-10", read_on="2026-10-10"
        )
        self.assertGreater(other["offer"]["share"], row["offer"]["share"])
        self.assertEqual(other["offer"]["like"], row["offer"]["like"] + 1)

    def cards(self):
        with (SMALL / "members.csv").open() as file:
            return [line.split(",")[0] for line in file][1:]

    def test_undone_and_drawn_again(self):
        row = self.plan(offer=self.offer)
        self.send("post", f"campaigns/{row['id']}/draw")
        self.send("post", "history/undo")
        self.assertEqual(Campaign.objects.get().expected, {})
        self.assertEqual(self.get("campaigns")["campaigns"][0]["offer"], row["offer"])
        self.send("post", "history/redo")
        self.assertEqual(self.get("campaigns")["campaigns"][0]["offer"], row["offer"])
        held = Counter(member.held for member in members(row["id"]))
        self.assertEqual(held[True], row["held"])

    def test_nothing_is_said_where_nothing_is_offered(self):
        self.assertIsNone(self.plan()["offer"])

    def test_what_no_past_offer_has_is_refused(self):
        problem = self.plan(offer={"colour": "red"}, status=400)
        self.assertIn("No past offer is described by “Colour”.", problem["detail"])
        problem = self.plan(offer={"theme": "sing"}, status=400)
        self.assertIn("No past offer has “sing” as its theme.", problem["detail"])
        self.assertEqual(Campaign.objects.count(), 0)


class WithoutSegments(Planning, DemoCase):
    def test_an_offer_waits_for_segments(self):
        problem = self.plan(offer={"theme": "new in"}, status=409)
        self.assertIn("Adopt some at Groups", problem["detail"])
