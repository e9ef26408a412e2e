"""Campaigns: who falls away, the draw, the list, and what stays on record."""

import csv
import io
from concurrent.futures import ThreadPoolExecutor, TimeoutError
from unittest import mock

from django.db import connection

from sortija.server.campaigns import actions
from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import Campaign
from sortija.server.ledger.models import Card
from tests.server.support import DemoCase

PLAN = {"name": "Spring letter", "send_on": "2026-07-10", "read_on": "2026-08-20", "holdout": 0.25}


class Campaigns(DemoCase):
    once = DemoCase.swept

    def plan(self, *clauses, status=201, **changes):
        return self.send("post", "campaigns", {**PLAN, "clauses": list(clauses), **changes}, status)

    def test_consent_is_respected_and_everyone_is_accounted_for(self):
        self.adopt(4)
        row = self.plan({"field": "measure:recency", "ranges": [[60, None]]})
        self.assertEqual(row["lens"] - sum(row["fell_away"].values()), row["written"] + row["held"])
        yes = self.send("post", "lens", {"clauses": [
            {"field": "measure:recency", "ranges": [[60, None]]},
            {"field": "trait:mail_consent", "values": ["yes"]},
        ]})["lens"]["customers"]  # fmt: skip
        self.assertEqual(row["lens"] - row["fell_away"]["no consent"], yes)
        self.assertLessEqual(abs(row["held"] - 0.25 * (row["written"] + row["held"])), 1)
        self.assertGreater(row["smallest_effect"], 0)

    def test_draw_list_and_record(self):
        self.adopt(4)
        row = self.plan()
        path = f"campaigns/{row['id']}"
        self.send("post", f"{path}/list", status=400)  # nothing is drawn yet
        drawn = self.send("post", f"{path}/draw")
        self.assertEqual((drawn["written"], drawn["held"]), (row["written"], row["held"]))
        self.send("put", path, PLAN, 400)  # can no longer be changed
        self.send("post", "history/undo")
        self.assertEqual(len(drawn_of(Campaign.objects.get()).customers), 0)
        self.send("post", "history/redo")
        again = drawn_of(Campaign.objects.get())
        held = set(again.customers[again.held].tolist())
        self.assertEqual(len(held), row["held"])

        Card.objects.filter(number=min(set(range(400)) - held)).update(address="=cmd()@example.org")
        rows = list(csv.DictReader(io.StringIO(self.saved(f"{path}/list"))))
        self.assertEqual(len(rows), row["written"])
        codes = dict(Card.objects.values_list("number", "code"))
        self.assertFalse({r["card"] for r in rows} & {codes[n] for n in held})
        self.assertFalse(any(r["address"].startswith("=") for r in rows))
        self.assertEqual(Campaign.objects.get().state, "handed over")
        problem = self.send("post", "history/undo", status=400)
        self.assertIn("cannot be undone", problem["detail"])
        self.send("delete", path, status=400)

    def test_a_change_during_the_draw_waits_and_is_refused(self):
        self.adopt(4)
        row = self.plan()
        waited = []

        def change():
            try:
                return self.send("put", f"campaigns/{row['id']}", {**PLAN, "holdout": 0.5}, 400)
            finally:
                connection.close()

        def audience(campaign):
            waited.append(pool.submit(change))
            with self.assertRaises(TimeoutError):
                waited[0].result(timeout=0.5)
            return found(campaign)

        found = actions.audience_of
        with ThreadPoolExecutor(1) as pool, mock.patch.object(actions, "audience_of", audience):
            drawn = self.send("post", f"campaigns/{row['id']}/draw")
            self.assertIn("can no longer be changed", waited[0].result(timeout=20)["detail"])
        campaign = Campaign.objects.get()
        self.assertEqual((campaign.state, campaign.holdout), ("drawn", 0.25))
        self.assertEqual(drawn_of(campaign).held.sum(), drawn["held"])

    def test_nobody_draws_a_plan_that_changed_since_they_looked(self):
        self.adopt(4)
        row = self.plan()
        self.send("put", f"campaigns/{row['id']}", {**PLAN, "holdout": 0.5})
        seen = {"If-Match": f'"{row["revision"]}"'}
        problem = self.send("post", f"campaigns/{row['id']}/draw", status=409, **seen)
        self.assertIn("was changed since you loaded this page", problem["detail"])
        self.assertEqual(len(drawn_of(Campaign.objects.get()).customers), 0)

    def test_a_sent_list_never_changes(self):
        self.adopt(4)
        row = self.plan()
        self.send("post", f"campaigns/{row['id']}/draw")
        before = drawn_of(Campaign.objects.get()).customers.tolist()
        self.send("put", "ledger/rules/void", {"on": False})
        self.get("campaigns")
        self.assertEqual(drawn_of(Campaign.objects.get()).customers.tolist(), before)

    def test_a_drawn_campaign_keeps_the_segments_of_its_day(self):
        """Names told of a draw, and on its list, are those of the yardstick that it went by."""
        self.adopt(4)
        row = self.plan()
        drawn = self.send("post", f"campaigns/{row['id']}/draw")
        page = self.get("groups")
        other = next(r for r in page["candidates"] if r["k"] == 2)
        self.send("post", "groups/adopt", {"grouping": other["id"]})
        after = self.get("campaigns")["campaigns"][0]
        self.assertEqual(after["arms"], drawn["arms"])
        rows = csv.DictReader(io.StringIO(self.saved(f"campaigns/{row['id']}/list")))
        told = {arm["segment"] for arm in drawn["arms"] if arm["written"]}
        self.assertEqual({r["segment"] for r in rows}, told)

    def test_held_out_people_are_in_no_other_campaign_meanwhile(self):
        self.adopt(4)
        first = self.plan()
        self.send("post", f"campaigns/{first['id']}/draw")
        second = self.plan(name="Again")
        self.assertEqual(second["written"] + second["held"], 0)
        self.assertEqual(second["fell_away"]["another campaign"], first["written"])
        self.assertEqual(second["fell_away"]["held out elsewhere"], first["held"])
        self.send("post", f"campaigns/{second['id']}/draw", status=400)
        later = self.plan(name="Later", send_on="2026-09-01", read_on="2026-10-01")
        self.assertEqual(later["fell_away"]["another campaign"], 0)
        self.send("delete", f"campaigns/{first['id']}", status=204)
        rows = {c["name"]: c for c in self.get("campaigns")["campaigns"]}
        self.assertNotIn("Spring letter", rows)
        self.assertEqual(rows["Again"]["fell_away"]["another campaign"], 0)

    def test_plans_that_make_no_sense(self):
        for changes, words in (
            ({"name": " "}, "name"),
            ({"read_on": "2026-07-10"}, "comes after"),
            ({"holdout": 0.95}, "nine in ten"),
            ({"send_on": "soon"}, "send_on"),
        ):
            self.assertIn(words, self.plan(status=400, **changes)["detail"])
