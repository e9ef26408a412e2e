"""Who is written to, who falls away and who is held out, again from the tables by hand."""

import csv
from collections import Counter, defaultdict
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import pairwise

from sortija.server.campaigns.drawn import drawn_of
from sortija.server.campaigns.models import Campaign
from sortija.server.campaigns.people import REASONS
from sortija.server.ledger.models import Card
from tests.server.support import LOG, MEMBERS, SMALL, DemoCase, ServerCase

PLAN = {"name": "Spring letter", "send_on": "2026-07-10", "read_on": "2026-08-20", "holdout": 0.25}
#: What states beside the segments are called in a campaign.
BESIDE = {"left": "no purchase in the window", "not yet": "no purchase yet"}
NOBODY = dict.fromkeys(REASONS, 0)
DAYS = 41  # from sending to reading


@dataclass(frozen=True)
class Member:
    customer: int
    held: bool
    stratum: int
    segment: int


def members(campaign):
    """Whom a campaign was drawn for, one after the other."""
    drawn = drawn_of(Campaign.objects.get(pk=campaign))
    each = (drawn.customers, drawn.held, drawn.stratum, drawn.segment)
    return [Member(*row) for row in zip(*(values.tolist() for values in each), strict=True)]


class Planning:
    def plan(self, *clauses, status=201, **changes):
        return self.send("post", "campaigns", {**PLAN, "clauses": list(clauses), **changes}, status)

    def draw(self, row):
        self.send("post", f"campaigns/{row['id']}/draw")
        return members(row["id"])


class Stream(Planning, DemoCase):
    once = DemoCase.four_groups

    def setUp(self):
        super().setUp()
        with (SMALL / "members.csv").open(newline="") as file:
            self.people = {row["card"]: row for row in csv.DictReader(file)}
        self.codes = dict(Card.objects.values_list("number", "code"))

    def test_each_step_takes_whom_it_says_after_those_before_it(self):
        everyone = self.everyone("measure:recency")
        away = {c for c, (days,) in everyone.items() if days is not None and days >= 30}
        no = {c for c in away if self.people.get(c, {}).get("mail_consent") != "yes"}
        unknown = {c for c in away - no if not self.people[c]["email"]}
        first = self.plan({"field": "measure:recency", "ranges": [[30, None]]})
        self.assertEqual(first["lens"], len(away))
        self.assertEqual(first["fell_away"], {
            **NOBODY, "no consent": len(no), "no address": len(unknown),
        })  # fmt: skip
        drawn = {self.codes[m.customer] for m in self.draw(first)}
        self.assertEqual(list(self.get("campaigns")["campaigns"][0]["fell_away"]), list(REASONS))
        self.assertEqual(drawn, away - no - unknown)

        everybody = self.plan(name="Summer letter")
        consenting = {c for c in everyone if self.people.get(c, {}).get("mail_consent") == "yes"}
        addressed = {c for c in consenting if self.people[c]["email"]}
        self.assertEqual(everybody["fell_away"], {
            **NOBODY, "no consent": len(everyone) - len(consenting),
            "no address": len(consenting) - len(addressed),
            "another campaign": first["written"], "held out elsewhere": first["held"],
        })  # fmt: skip
        later = self.draw(everybody)
        self.assertEqual({self.codes[m.customer] for m in later}, addressed - drawn)

    def test_who_has_been_away_comes_back_unasked_as_such_people_did_before(self):
        """A win-back lens holds nobody who came lately; before, some of such people came."""
        row = self.plan({"field": "measure:recency", "ranges": [[60, None]]})
        self.assertGreater(row["learnt_from"], 20)
        self.assertGreater(row["base_rate"], 0)
        few = self.plan({"field": "measure:recency", "ranges": [[330, None]]}, name="Long away")
        if few["learnt_from"] == 0:
            self.assertIsNone(few["base_rate"])
            self.assertIsNone(few["smallest_effect"])
            self.assertIn("one horizon earlier", few["untold"])
        body = {**PLAN, "name": "Two years", "clauses": []}
        alone = self.send("post", "campaigns?back=24", body, 201)
        self.assertGreater(alone["learnt_from"], 20)
        body["clauses"] = [{"field": "crossing:2025-06-30>2026-06-30", "values": ["1>2", "2>1"]}]
        crossed = self.send("post", "campaigns", {**body, "name": "Crossed"}, 201)
        self.assertIsNone(crossed["base_rate"])
        self.assertIn("known of them only now", crossed["untold"])

    def test_what_a_drawn_campaign_says_of_its_people(self):
        row = self.plan()
        drawn = self.draw(row)
        self.comes_back_unasked(row, drawn)
        self.arms_are_those_of_the_segments(row, drawn)
        self.strata_are_fifths_of_spend_within_a_segment(drawn)

    def comes_back_unasked(self, row, drawn):
        # The same lens (everyone) one horizon earlier, of whom with an address and consent.
        earlier = (date(2026, 6, 30) - timedelta(days=DAYS)).isoformat()
        then = {c for c, p in self.people.items() if p["mail_consent"] == "yes" and p["email"]}
        there = set(self.everyone("measure:recency", to=earlier)) & then
        since = (date.fromisoformat(earlier) + timedelta(days=1)).isoformat()
        visits = self.everyone("measure:frequency", to="2026-06-30", back=since)
        came = {c for c in there if (visits[c][0] or 0) > 0}
        self.assertEqual(row["learnt_from"], len(there))
        self.assertAlmostEqual(row["base_rate"], len(came) / len(there))
        self.assertLess(row["base_low"], row["base_rate"])
        self.assertGreater(row["base_high"], row["base_rate"])
        after = self.get("campaigns")["campaigns"][0]
        self.assertEqual((after["lens"], after["fell_away"]), (row["lens"], row["fell_away"]))

    def arms_are_those_of_the_segments(self, row, members):
        words = self.everyone("segment:now")
        wanted = defaultdict(Counter)
        for member in members:
            state = words[self.codes[member.customer]][0]
            wanted[BESIDE.get(state, state)]["held" if member.held else "written"] += 1
        arms = {arm["segment"]: arm for arm in self.get("campaigns")["campaigns"][0]["arms"]}
        self.assertEqual(set(arms), set(wanted))
        for segment, counts in wanted.items():
            arm = arms[segment]
            self.assertEqual((arm["written"], arm["held"]), (counts["written"], counts["held"]))
        told = [
            [(arm["segment"], arm["written"], arm["held"]) for arm in each]
            for each in (row["arms"], arms.values())
        ]
        self.assertEqual(told[0], told[1])

    def strata_are_fifths_of_spend_within_a_segment(self, members):
        strata = defaultdict(list)
        for member in members:
            strata[member.stratum].append(member)
        spend = self.everyone("measure:monetary")
        total = sum(m.held for m in members)
        self.assertLessEqual(abs(total - 0.25 * len(members)), 1)
        by_segment = defaultdict(list)
        for own in strata.values():
            self.assertEqual(len({m.segment for m in own}), 1)
            # Two ends of a stratum each lose at most one to the neighbour in the row.
            self.assertLess(abs(sum(m.held for m in own) - 0.25 * len(own)), 2)
            if len(own) >= 20:
                sums = [spend[self.codes[m.customer]][0] for m in own]
                if None not in sums:
                    by_segment[own[0].segment].append((min(sums), max(sums), len(own)))
        small = {own[0].segment for own in strata.values() if len(own) < 20}
        for segment, bands in by_segment.items():
            if segment in small:
                continue
            bands.sort()
            for (_, high, _), (low, _, _) in pairwise(bands):
                self.assertLessEqual(high, low)

    def test_the_same_plan_draws_the_same_people_and_another_plan_others(self):
        def held(campaign):
            return {m.customer for m in members(campaign) if m.held}

        first = self.plan()
        self.draw(first)
        once = held(first["id"])
        self.send("post", "history/undo")
        self.assertEqual(held(first["id"]), set())
        self.draw(first)
        self.assertEqual(held(first["id"]), once)
        self.send("delete", f"campaigns/{first['id']}", status=204)
        second = self.plan(name="Another seed")
        self.draw(second)
        self.assertLessEqual(abs(len(held(second["id"])) - len(once)), 1)
        self.assertNotEqual(held(second["id"]), once)
        # Put away and taken back, the first holds its people again.
        self.send("delete", f"campaigns/{second['id']}", status=204)
        self.send("post", "history/undo")
        third = self.plan(name="Third")
        self.assertEqual(third["written"] + third["held"], 0)


class OfLittle(Planning, ServerCase):
    def test_without_a_customer_table_nobody_has_said_no(self):
        self.bring_in(LOG, "log.csv")
        row = self.plan(holdout=0)
        self.assertEqual((row["lens"], row["written"], row["held"]), (3, 3, 0))
        self.assertEqual(set(row["fell_away"].values()), {0})
        self.assertEqual([arm["segment"] for arm in row["arms"]], ["all"])
        self.assertIsNone(row["smallest_effect"])  # with nobody held out nothing can be shown
        self.send("post", f"campaigns/{row['id']}/list", status=400)
        self.draw(row)
        lines = self.saved(f"campaigns/{row['id']}/list").split()
        self.assertEqual(lines, ["card,address,segment", "A,,", "B,,", "C,,"])

    def test_a_customer_table_alone_has_nothing_to_draw_by(self):
        self.bring_in(MEMBERS, "members.csv")
        row = self.plan()
        self.assertIn("Import a log first", row["trouble"])
        self.send("post", f"campaigns/{row['id']}/draw", status=400)

    def test_an_erased_person_is_on_no_list_any_more(self):
        self.both_files()
        row = self.plan(holdout=0)
        drawn = self.draw(row)
        codes = dict(Card.objects.values_list("number", "code"))
        self.assertEqual([codes[m.customer] for m in drawn], ["A", "C"])  # B and D said no
        self.send("delete", f"customer/{drawn[0].customer}", status=204)
        self.assertEqual([m.customer for m in members(row["id"])], [drawn[1].customer])
        self.assertEqual(self.get("campaigns")["campaigns"][0]["written"], 1)

    def test_addresses_are_those_of_the_newest_files(self):
        """Asked for again after another table came in, and after a person was erased."""
        self.bring_in(LOG, "log.csv")
        row = self.plan(holdout=0)
        self.assertEqual(row["fell_away"]["no address"], 0)  # no file ever brought any
        self.bring_in("card,email\nA,a@example.org\nB,b@example.org\n", "some.csv")
        self.assertEqual(self.shown()["fell_away"]["no address"], 1)
        self.bring_in("card,email\nC,c@example.org\nB,\n", "more.csv")
        self.assertEqual(self.shown()["fell_away"]["no address"], 1)
        self.send("delete", f"customer/{Card.objects.get(code='A').number}", status=204)
        self.assertEqual(self.shown()["fell_away"]["no address"], 2)

    def shown(self):
        return self.get("campaigns")["campaigns"][0]

    def test_a_reader_plans_nothing(self):
        self.both_files()
        row = self.plan()
        reader = self.person("rob")
        self.study.members.create(person=reader, role="reader")
        client = self.signed_in(reader)
        path = f"campaigns/{row['id']}"
        for method, where, body in (
            ("post", "campaigns", {**PLAN, "clauses": []}), ("put", path, PLAN),
            ("post", f"{path}/draw", None), ("post", f"{path}/list", None), ("delete", path, None),
        ):  # fmt: skip
            with self.subTest(method=method, where=where):
                self.send(method, where, body, 403, client)
        self.assertEqual(len(self.get("campaigns", client=client)["campaigns"]), 1)
