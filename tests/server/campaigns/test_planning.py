"""Budgets, what a list of any size proves, whom to pool with, margins, overlaps, later months."""

import numpy as np

from sortija.core.campaigns.later import states_apart
from sortija.core.campaigns.power import smallest_effect
from sortija.core.campaigns.strata import arms_of
from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import Campaign
from sortija.server.ledger.models import Card
from tests.server.support import SMALL, DemoCase, ServerCase, run_jobs

PLAN = {"name": "Spring letter", "send_on": "2026-07-10", "read_on": "2026-08-20", "holdout": 0.25}
FREE = {"contact": 0.5, "fixed": 10, "discount": 0, "margin": 0.4}
COSTED = """receipt,card,sold_at,item,qty,price,total,cost
1,A,2026-03-10 10:00,101,1,10.00,10.00,6.00
2,B,2026-04-11 10:00,101,2,10.00,20.00,13.00
3,A,2026-05-12 10:00,102,1,30.00,30.00,
"""


class Planning(DemoCase):
    once = DemoCase.four_groups

    def plan(self, *clauses, **changes):
        return self.send("post", "campaigns", {**PLAN, "clauses": list(clauses), **changes}, 201)

    def cut(self, row, **costs):
        return self.send("put", f"campaigns/{row['id']}/costs", {**FREE, **costs})

    def test_a_budget_keeps_the_first_of_each_order_and_is_never_overspent(self):
        codes = dict(Card.objects.values_list("number", "code"))
        fields = ("measure:expected", "measure:basket_mean", "measure:monetary", "segment:now")
        told = self.everyone(*fields)
        mean = {}
        for name in {segment for *_, segment in told.values()}:
            spent = [money or 0 for _, _, money, segment in told.values() if segment == name]
            mean[name] = sum(spent) / len(spent)
        keys = {
            "expected value": lambda c: ((told[c][0] or 0) * (told[c][1] or 0), told[c][2]),
            "value": lambda c: (told[c][2] or 0,),
            "segment": lambda c: (mean[told[c][3]], told[c][2] or 0),
        }
        for order, key in keys.items():
            row = self.plan(name=order)
            everybody = row["written"] + row["held"]
            row = self.cut(row, budget=40, order=order)
            self.assertEqual(row["written"], 60)  # (40 − 10) / 0.5
            self.assertEqual(row["fell_away"]["beyond the budget"],
                             everybody - row["written"] - row["held"])  # fmt: skip
            self.send("post", f"campaigns/{row['id']}/draw")
            drawn = drawn_of(Campaign.objects.get(pk=row["id"]))
            inside = {codes[n] for n in drawn.customers.tolist()}
            lens = {"clauses": [{"field": f"campaign:{row['id']}",
                                 "values": ["beyond the budget"]}]}  # fmt: skip
            digest = self.send("post", "lens", lens)["digest"]
            outside = set(self.everyone("measure:recency", lens=digest))
            self.assertEqual(len(outside), row["fell_away"]["beyond the budget"])
            worst, best = min(map(key, inside)), max(map(key, outside))
            self.assertGreaterEqual(worst[0] + 1e-9, best[0], order)
            self.send("post", "history/undo")
            self.send("delete", f"campaigns/{row['id']}", status=204)

    def test_a_budget_under_the_fixed_cost_writes_to_nobody(self):
        row = self.cut(self.plan(), budget=9)
        self.assertEqual((row["written"], row["held"]), (0, 0))
        self.send("post", f"campaigns/{row['id']}/draw", status=400)
        self.send("put", f"campaigns/{row['id']}/costs", {**FREE, "budget": -1}, 400)
        self.send("put", f"campaigns/{row['id']}/costs", {**FREE, "order": "by name"}, 400)

    def test_the_base_rate_is_of_those_whom_the_budget_lasts_for(self):
        away = {"field": "measure:recency", "ranges": [[20, None]]}
        row = self.plan(away)
        after = self.cut(row, budget=35, order="value")
        self.assertLess(after["learnt_from"], row["learnt_from"])
        share = (after["written"] + after["held"]) / (row["written"] + row["held"])
        self.assertAlmostEqual(after["learnt_from"], share * row["learnt_from"], delta=1)

    def test_a_drawn_one_says_what_it_can_prove_as_on_the_day_of_its_draw(self):
        away = {"field": "measure:recency", "ranges": [[60, None]]}
        draft = self.cut(self.plan(away))
        self.send("post", f"campaigns/{draft['id']}/draw")
        same = ("base_rate", "base_low", "base_high", "learnt_from", "smallest_effect", "pays")
        at_the_draw = self.row(draft)
        self.assertIsNotNone(draft["base_rate"])
        self.assertEqual([at_the_draw[key] for key in same], [draft[key] for key in same])
        own = [point for point in draft["fork"] if point["share"] == draft["holdout"]]
        self.assertEqual(at_the_draw["fork"], own)
        # Whoever asks for another yardstick or rule later does not change what was told.
        self.send("put", "ledger/rules/returned", {"on": True})
        run_jobs()
        later = self.row(draft)
        self.assertEqual([later[key] for key in same], [draft[key] for key in same])
        self.send("post", "history/undo")
        self.send("post", "history/undo")
        run_jobs()
        self.assertEqual(self.row(draft)["state"], "draft")
        self.assertGreater(len(self.row(draft)["fork"]), 1)

    def row(self, like):
        rows = self.get("campaigns")["campaigns"]
        return next(row for row in rows if row["id"] == like["id"])

    def test_a_list_of_any_size_and_whom_to_pool_with(self):
        first = self.plan(name="First")
        path = f"campaigns/{first['id']}"
        told = self.get(f"{path}/proof", customers=5000)
        careful = min(max(0.5, first["base_low"]), first["base_high"])
        self.assertAlmostEqual(told["effect"], smallest_effect(3750, 1250, careful))
        self.assertIsNone(self.get(f"{path}/proof", customers=2)["effect"])
        for wrong in ("0", "x", "10000000000"):
            self.get(f"{path}/proof", 400, customers=wrong)
        self.assertIsNone(first["pool"])  # there is no other
        self.send("post", f"{path}/draw")
        away = {"field": "measure:recency", "ranges": [[200, None]]}
        small = self.plan(away, name="Small", send_on="2027-01-01", read_on="2027-02-01")
        if small["pool"] is not None:
            self.assertEqual(small["pool"]["name"], "First")
            self.assertLess(small["pool"]["effect"], small["smallest_effect"] or 1)

    def test_overlaps_are_told_in_people_and_are_a_lens(self):
        first = self.plan({"field": "trait:garden", "values": ["yard"]}, name="Yards")
        self.send("post", f"campaigns/{first['id']}/draw")
        second = self.plan({"field": "measure:recency", "ranges": [[30, None]]}, name="Away")
        self.plan(name="Later", send_on="2027-01-01", read_on="2027-02-01")
        [row] = self.get("campaigns")["overlaps"]
        self.assertEqual({row["first"], row["second"]}, {first["id"], second["id"]})
        told = self.everyone("trait:garden", "measure:recency")
        both = sum(g == "yard" and (r or 0) >= 30 for g, r in told.values())
        self.assertEqual(row["customers"], both)
        lens = self.send("post", "lens", {"clauses": row["clauses"]})
        self.assertEqual(lens["lens"]["customers"], both)


class Margins(ServerCase):
    def test_what_is_left_of_a_sale_comes_from_the_ledger_where_it_is_not_said(self):
        self.bring_in(COSTED, "log.csv", "log")
        self.get("measures", to="2026-05-31")
        run_jobs()
        row = self.send("post", "campaigns?to=2026-05-31", PLAN, 201)
        # Of A one receipt's cost is not known, so that only B's are told.
        self.assertAlmostEqual(row["margin_known"], (20 - 13) / 20)
        self.assertIsNone(row["costs"]["margin"])
        self.assertAlmostEqual(row["pays"]["basket"], 2000)
        row = self.send("put", f"campaigns/{row['id']}/costs", {"contact": 1, "margin": 0.5})
        self.assertEqual(row["costs"]["margin"], 0.5)


class Later(DemoCase):
    once = DemoCase.four_groups

    def test_both_arms_months_later_against_lists_of_customers(self):
        past = {"name": "Winter letter", "send_on": "2026-01-31", "read_on": "2026-02-28",
                "list": (SMALL / "winter-letter.csv").read_text()}  # fmt: skip
        row = self.send("post", "campaigns/past", past, 201)
        told = self.get(f"campaigns/{row['id']}/later")["later"]
        run_jobs()
        told = self.get(f"campaigns/{row['id']}/later")["later"]
        self.assertEqual([r["on"] for r in told], ["2026-04-30", "2026-07-31", "2027-01-31"])
        self.assertEqual(told[1]["lacks"], "The log does not reach 31 Jul 2026 yet.")
        first = told[0]
        self.get("measures", to="2026-04-30", back="2026-02-01")
        run_jobs()
        bought = self.everyone("measure:frequency", "measure:monetary", to="2026-04-30",
                               back="2026-02-01")  # fmt: skip
        state = self.everyone("segment:now", to="2026-04-30")
        codes = dict(Card.objects.values_list("number", "code"))
        drawn = drawn_of(Campaign.objects.get())
        cards = [codes[n] for n in drawn.customers.tolist()]
        came = np.array([(bought.get(c, (0,))[0] or 0) > 0 for c in cards])
        self.assertAlmostEqual(first["bought"]["written"], came[~drawn.held].mean(), delta=0.02)
        names = [each["state"] for each in first["states"]]
        where = [state.get(c, (None,))[0] for c in cards]
        for each in first["states"]:
            if each["mark"] is not None:
                self.assertEqual(each["customers"], where.count(each["state"]), each["state"])
        self.assertEqual(sum(each["customers"] for each in first["states"]), len(cards))
        number = np.array([names.index(w) if w in names else len(names) for w in where])
        found = {e.number: e for e in states_apart(number, arms_of(drawn.held, drawn.stratum))}
        for place, each in enumerate(first["states"]):
            if each["mark"] is not None and found[place].gap is not None:
                self.assertAlmostEqual(each["difference"], found[place].gap.difference, places=6)

    def test_nothing_is_told_of_a_draft(self):
        row = self.send("post", "campaigns", PLAN, 201)
        told = self.get(f"campaigns/{row['id']}/later")["later"]
        self.assertEqual({r["lacks"] for r in told}, {"Nothing is drawn yet."})
