"""What a campaign did, against purchases counted by another way; costs; fields of the lens."""

import csv
import io
from datetime import date, timedelta

import numpy as np

from sortija.core.campaigns.effect import effect_of, parts_of, versions_of
from sortija.core.campaigns.strata import arms_of
from sortija.server.campaigns import result
from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.responses import outcome_of
from sortija.server.ledger.models import Card
from tests.server.support import SMALL, DemoCase, run_jobs

SENT, READ = date(2026, 4, 5), date(2026, 5, 17)
PLAN = {
    "name": "April letter", "send_on": SENT.isoformat(), "read_on": READ.isoformat(),
    "holdout": 0.4,
}  # fmt: skip
COSTS = {"contact": 0.5, "fixed": 20, "discount": 1, "margin": 0.4}


class Results(DemoCase):
    once = DemoCase.four_groups

    def setUp(self):
        super().setUp()
        self.get("measures", to="2026-03-31")
        run_jobs()

    def sent(self, **changes):
        """A campaign of April that was drawn then, handed over."""
        row = self.send("post", "campaigns?to=2026-03-31", {**PLAN, "clauses": [], **changes}, 201)
        path = f"campaigns/{row['id']}"
        self.send("post", f"{path}/draw")
        self.send("post", f"{path}/list", status=201)
        return path

    def bought(self, to, back):
        """Purchases and money of each drawn customer in a window, as the list of customers says."""
        codes = dict(Card.objects.values_list("number", "code"))
        told = self.everyone("measure:frequency", "measure:monetary", to=to, back=back)
        drawn = drawn_of(Campaign.objects.get())
        rows = [told.get(codes[n], (None, None)) for n in drawn.customers.tolist()]
        visits, money = (np.array([row[place] or 0.0 for row in rows]) for place in range(2))
        return drawn, visits > 0, money

    def test_against_purchases_as_the_measures_tell_them(self):
        path = self.sent()
        told = self.get(f"{path}/result")
        after = (SENT + timedelta(days=1)).isoformat()
        self.get("measures", to=READ.isoformat(), back=after)
        run_jobs()
        drawn, came, spent = self.bought(READ.isoformat(), after)
        self.assertEqual((told["final"], told["through"], told["days"]), (True, "2026-05-17", 42))
        self.assertEqual(told["written"]["came"], came[~drawn.held].sum())
        self.assertEqual(told["held"]["came"], came[drawn.held].sum())
        self.assertAlmostEqual(
            told["spend"]["plain"]["written"] / 100,
            effect_of(came, arms_of(drawn.held, drawn.stratum), spent).spend.plain.written,
        )
        self.assertAlmostEqual(told["pace"][-1]["written"], came[~drawn.held].mean())
        self.assertAlmostEqual(told["written"]["share"], told["returned"]["written"])
        self.assertLess(told["held"]["low"], told["held"]["share"])
        shares = [point["written"] for point in told["pace"]]
        self.assertEqual(shares, sorted(shares))
        arms = arms_of(drawn.held, drawn.stratum)
        effect = effect_of(came, arms).returned
        for name in ("difference", "low", "high"):
            self.assertAlmostEqual(told["returned"][name], getattr(effect, name))
        self.assertAlmostEqual(told["by_luck"], effect.by_luck)
        sure = effect.low > 0 or effect.high < 0
        self.assertEqual(told["verdict"] != "cannot tell", sure)
        self.segments(told, drawn, came, arms)

    def segments(self, told, drawn, came, arms):
        large = [
            n for n in np.unique(drawn.segment)
            if min((drawn.held[drawn.segment == n]).sum(), (~drawn.held[drawn.segment == n]).sum())
            >= result.LEAST
        ]  # fmt: skip
        self.assertGreater(len(large), 1)
        self.assertEqual(
            [each["difference"] is not None for each in told["segments"]],
            [n in large for n in np.unique(drawn.segment)],
        )
        among = np.isin(drawn.segment, large)
        parts = parts_of(came[among], arms.of(among), drawn.segment[among])
        self.assertAlmostEqual(told["differ"], parts.differ)
        rows = [each for each in told["segments"] if each["difference"] is not None]
        for each, part in zip(rows, parts.returned, strict=True):
            self.assertAlmostEqual(each["low"], part.low)

    def test_an_earlier_look_has_no_verdict(self):
        path = self.sent(send_on="2026-06-10", read_on="2026-07-22")
        told = self.get(f"{path}/result")
        self.assertEqual((told["final"], told["verdict"], told["by_luck"]), (False, None, None))
        self.assertEqual((told["through"], told["days"], told["horizon"]), ("2026-06-30", 20, 42))
        row = self.get("campaigns")["campaigns"][0]
        self.assertEqual((row["told_to"], row["read"]), ("2026-06-30", False))

    def test_before_a_purchase_can_be_in_the_log(self):
        path = self.sent(send_on="2026-06-30", read_on="2026-08-10")
        told = self.get(f"{path}/result")
        self.assertIn("No purchase after 30 Jun 2026", told["lacks"])
        self.assertIsNone(told["written"])
        row = self.send("post", "campaigns", {**PLAN, "clauses": []}, 201)
        self.assertIn("Nothing is drawn", self.get(f"campaigns/{row['id']}/result")["lacks"])

    def test_without_a_holdout_nothing_is_told_of_its_effect(self):
        told = self.get(f"{self.sent(holdout=0)}/result")
        self.assertIn("Nobody was held out", told["lacks"])
        self.assertGreater(told["written"]["came"], 0)
        self.assertIsNone(told["returned"])

    def test_worth_follows_from_costs(self):
        path = self.sent()
        self.assertIsNone(self.get(f"{path}/result")["worth"])
        self.send("put", f"{path}/costs", COSTS)
        told = self.get(f"{path}/result")
        n, best = told["written"]["customers"], told["spend"]["adjusted"]
        worth = told["worth"]
        self.assertAlmostEqual(worth["won"], best["difference"] * n * 0.4)
        self.assertAlmostEqual(worth["cost"], 2000 + 50 * n)
        self.assertAlmostEqual(worth["given"], 100 * told["returned"]["held"] * n)
        self.assertAlmostEqual(worth["net"], worth["won"] - worth["cost"] - worth["given"])
        if worth["low"] is not None:
            sure = worth["low"] > 0 or worth["high"] < 0
            self.assertEqual(worth["verdict"] in ("worth it", "not worth it"), sure)
        self.send("post", "history/undo")
        self.assertIsNone(self.get(f"{path}/result")["worth"])
        self.send("put", f"{path}/costs", {"margin": 2}, 400)

    def test_arms_are_compared_in_what_shapes_groups(self):
        path = self.sent()
        told = self.get(f"{path}/result")["balance"]
        shapes = [t for t in self.get("measures")["threads"] if t["role"] == "shapes"]
        self.assertEqual(told["looked_at"], len(shapes))
        drawn = drawn_of(Campaign.objects.get())
        codes = dict(Card.objects.values_list("number", "code"))
        values = self.everyone("measure:frequency", to="2026-03-31")
        visits = [(values.get(codes[n]) or (None,))[0] for n in drawn.customers.tolist()]
        numbers = np.array([np.nan if v is None else v for v in visits])
        arms = [numbers[~np.isnan(numbers) & who] for who in (~drawn.held, drawn.held)]
        gap = (arms[0].mean() - arms[1].mean()) / np.sqrt(
            (arms[0].var(ddof=1) + arms[1].var(ddof=1)) / 2
        )
        rows = {row["label"]: row["gap"] for row in told["uneven"]}
        if abs(gap) >= 0.1:
            self.assertAlmostEqual(rows["Visits"], gap)
        else:
            self.assertNotIn("Visits", rows)
        self.assertAlmostEqual(
            told["by_chance"],
            1.96 * np.sqrt(1 / drawn.held.sum() + 1 / (~drawn.held).sum()),
        )
        alone = self.sent(name="Alone", send_on="2026-05-18", read_on="2026-06-18", holdout=0)
        self.assertIsNone(self.get(f"{alone}/result")["balance"])

    def test_versions_are_drawn_listed_and_told(self):
        row = self.send("post", "campaigns?to=2026-03-31", {**PLAN, "clauses": []}, 201)
        path = f"campaigns/{row['id']}"
        row = self.send("put", path, {**PLAN, "versions": [0.7, 0.3]})
        self.assertEqual(row["versions"], [0.7, 0.3])
        for wrong in ([0.7, 0.2], [1.2, -0.2], [0.2] * 5):
            self.send("put", path, {**PLAN, "versions": wrong}, 400)
        self.send("post", f"{path}/draw")
        self.send("post", "history/undo")
        self.send("post", "history/redo")
        rows = list(csv.DictReader(io.StringIO(self.saved(f"{path}/list"))))
        drawn = drawn_of(Campaign.objects.get())
        codes = dict(Card.objects.values_list("number", "code"))
        names = {codes[n]: v for n, v in zip(drawn.customers, drawn.version, strict=True)}
        self.assertTrue(all(" AB"[names[each["card"]]] == each["version"] for each in rows))
        written = int((~drawn.held).sum())
        self.assertLessEqual(abs(int((drawn.version == 1).sum()) - 0.7 * written), 1)
        self.assertTrue((drawn.version[drawn.held] == 0).all())
        told = self.get(f"{path}/result")
        outcome = outcome_of(Campaign.objects.get())
        arms = arms_of(drawn.held, drawn.stratum)
        expected = versions_of(outcome.responses.came, arms, drawn.version)
        self.assertAlmostEqual(told["versions_p"], expected.differ)
        self.assertEqual(told["versions_differ"], expected.differ < 0.05)
        self.assertEqual([each["version"] for each in told["versions"]], ["A", "B"])
        for each, found in zip(told["versions"], expected.returned, strict=True):
            self.assertAlmostEqual(each["low"], found.low)
        self.assertEqual(sum(each["written"] for each in told["versions"]), written)

    def test_who_came_back_is_a_lens(self):
        path = self.sent()
        told, number = self.get(f"{path}/result"), path.partition("/")[2]
        for arm, of in (("written to", "written"), ("held out", "held")):
            clauses = [
                {"field": f"campaign:{number}", "values": [arm]},
                {"field": f"returned:{number}", "values": ["yes"]},
            ]
            lens = self.send("post", "lens", {"clauses": clauses})["lens"]["customers"]
            self.assertEqual(lens, told[of]["came"])

    def test_who_falls_away_is_a_lens_before_and_after_the_draw(self):
        row = self.send("post", "campaigns", {**PLAN, "clauses": []}, 201)
        with (SMALL / "members.csv").open(newline="") as file:
            yes = {r["card"] for r in csv.DictReader(file) if r["mail_consent"] == "yes"}
        no = sum(code not in yes for code in self.everyone("measure:recency"))
        clause = {"field": f"campaign:{row['id']}", "values": ["no consent"]}
        for _ in range(2):
            lens = self.send("post", "lens", {"clauses": [clause]})["lens"]["customers"]
            self.assertEqual(lens, row["fell_away"]["no consent"])
            self.assertEqual(lens, no)
            self.send("post", f"campaigns/{row['id']}/draw", status=200) if _ == 0 else None
        self.assertEqual(
            self.send("post", "lens", {"clauses": [
                {"field": f"campaign:{row['id']}", "values": ["written to", "held out"]}
            ]})["lens"]["customers"],
            row["written"] + row["held"],
        )  # fmt: skip

    def test_who_was_written_to_lately_is_left_in_peace(self):
        first = self.send("post", "campaigns", {**PLAN, "clauses": []}, 201)
        self.send("post", f"campaigns/{first['id']}/draw")
        later = {**PLAN, "name": "Summer", "send_on": "2026-06-01", "read_on": "2026-07-01"}
        row = self.send("post", "campaigns", {**later, "clauses": []}, 201)
        self.assertEqual(row["fell_away"]["written to lately"], 0)
        row = self.send("put", f"campaigns/{row['id']}", {**later, "rest_days": 60})
        self.assertEqual(row["fell_away"]["written to lately"], first["written"])
        self.assertEqual(row["fell_away"]["held out elsewhere"], 0)
        row = self.send("put", f"campaigns/{row['id']}", {**later, "rest_days": 50})
        self.assertEqual(row["fell_away"]["written to lately"], 0)
        self.send("put", f"campaigns/{row['id']}", {**later, "rest_days": 900}, 400)

    def test_the_fork_says_of_the_plans_own_share_what_is_drawn(self):
        for share in (0.2, 0.37):
            row = self.send(
                "post", "campaigns", {**PLAN, "clauses": [], "holdout": share, "name": "F"}, 201
            )
            own = next(point for point in row["fork"] if point["share"] == share)
            self.assertEqual((own["written"], own["held"]), (row["written"], row["held"]))
            self.assertEqual(own["effect"], row["smallest_effect"])
            self.assertEqual(len(row["fork"]), 11 if share == 0.2 else 12)

    def test_without_a_base_rate_the_fork_still_moves(self):
        clause = {"field": "crossing:2025-06-30>2026-06-30", "values": ["1>1", "2>2", "3>3"]}
        self.get("measures", to="2025-06-30")
        run_jobs()
        row = self.send("post", "campaigns", {**PLAN, "clauses": [clause]}, 201)
        self.assertIsNone(row["base_rate"])
        self.assertEqual({point["effect"] for point in row["fork"]}, {None})
        self.assertGreater(row["fork"][-1]["held"], row["fork"][1]["held"])

    def test_a_copy_has_all_that_was_planned(self):
        path = self.sent()
        self.send("put", f"{path}/costs", COSTS)
        row = self.send("post", f"{path}/copy", status=201)
        self.assertEqual((row["name"], row["state"]), ("April letter, again", "draft"))
        self.assertEqual((row["holdout"], row["costs"]["contact"]), (0.4, 0.5))
        self.assertEqual(row["send_on"], "2026-07-07")
        self.assertEqual(self.send("post", f"{path}/copy", status=201)["clauses"], [])

    def test_a_plan_without_dates_is_of_the_logs_own_time(self):
        row = self.send("post", "campaigns", {"name": "Soon", "clauses": []}, 201)
        self.assertEqual((row["send_on"], row["read_on"]), ("2026-07-07", "2026-08-18"))
        self.assertEqual(self.get("campaigns")["today"], "2026-06-30")
