"""What all read campaigns say together, against the core on what each of them says."""

from sortija.core.campaigns.differences import share_difference
from sortija.core.campaigns.pooling import pooled
from sortija.core.campaigns.strata import arms_of
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.responses import outcome_of
from tests.server.support import DemoCase, run_jobs


class Worked(DemoCase):
    once = DemoCase.four_groups

    def setUp(self):
        super().setUp()
        self.get("measures", to="2025-12-31")
        run_jobs()

    def sent(self, name, send_on, read_on, holdout=0.5, **more):
        plan = {"name": name, "send_on": send_on, "read_on": read_on, "holdout": holdout}
        row = self.send("post", "campaigns?to=2025-12-31", {**plan, "clauses": [], **more}, 201)
        self.send("post", f"campaigns/{row['id']}/draw")
        self.send("post", f"campaigns/{row['id']}/list", status=201)
        return row["id"]

    def test_of_one_nothing_is_said_together(self):
        self.sent("January", "2026-01-10", "2026-02-10")
        told = self.get("campaigns/worked")
        self.assertEqual([row["name"] for row in told["rows"]], ["January"])
        self.assertEqual(told["together"], [])

    def test_all_that_are_read_and_no_other(self):
        self.sent("March", "2026-03-01", "2026-04-01")
        self.sent("January", "2026-01-10", "2026-02-10")
        self.sent("Alone", "2026-04-10", "2026-05-01", 0)
        self.sent("Running", "2026-06-01", "2026-07-20")
        self.sent("May", "2026-05-03", "2026-05-31")
        told = self.get("campaigns/worked")
        self.assertEqual([row["name"] for row in told["rows"]], ["January", "March", "May"])
        effects, errors = [], []
        for row in told["rows"]:
            outcome = outcome_of(Campaign.objects.get(pk=row["id"]))
            arms = arms_of(outcome.drawn.held, outcome.drawn.stratum)
            found = share_difference(outcome.responses.came, arms)
            self.assertAlmostEqual(row["difference"], found.difference)
            effects.append(found.difference)
            errors.append(found.error)
        [all_of_them] = told["together"]
        expected = pooled(effects, errors)
        self.assertEqual(all_of_them["campaigns"], 3)
        self.assertAlmostEqual(all_of_them["effect"], expected.effect)
        self.assertAlmostEqual(all_of_them["next_high"], expected.next_high)
        # Nothing was sent in truth: together they must not say that something worked.
        self.assertLess(all_of_them["low"], 0)
        self.assertGreater(all_of_them["high"], 0)
