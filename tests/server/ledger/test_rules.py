"""A switch changes every total; a change by someone else is noticed."""

from tests.server.support import ServerCase


class Switching(ServerCase):
    def setUp(self):
        super().setUp()
        self.both_files()

    def rule(self, key, page=None):
        return next(r for r in (page or self.get("ledger"))["rules"] if r["key"] == key)

    def switch(self, key, on, status=200, **rest):
        return self.send("put", f"ledger/rules/{key}", {"on": on}, status, **rest)

    def test_totals_by_hand(self):
        page = self.get("ledger")
        # 12 lines less: no date, no customer, void, twice, future
        self.assertEqual((page["lines"], page["counted"]), (12, 7))
        self.assertEqual(page["counted_total"], 1000 + 1000 + 1000 + 3000 - 1000 + 550 + 550)
        self.assertEqual(self.rule("void", page)["money"], 700)
        self.assertEqual(self.rule("no_date", page)["lines"], 1)
        self.assertEqual(self.rule("returns", page)["on"], False)

    def test_a_switch_changes_ledger_measures_lens_and_trail(self):
        def totals():
            lens = self.send("post", "lens", {"charts": ["measure:monetary"]})
            measures = self.get("measures")
            return (
                self.get("ledger")["counted_total"], lens["everyone"]["money"],
                measures["reconciliation"]["ledger"], self.get("trail")["stations"][0]["words"],
            )  # fmt: skip

        before = totals()
        self.switch("void", False)
        after = totals()
        self.assertEqual(after[:3], tuple(value + 700 for value in before[:3]))
        self.assertNotEqual(after[3], before[3])
        self.switch("returns", True)
        self.assertEqual(totals()[:3], tuple(value + 1700 for value in before[:3]))
        self.send("post", "history/take-back")
        self.assertEqual(totals()[:3], after[:3])
        self.send("post", "history/take-back")
        self.assertEqual(totals(), before)
        self.send("post", "history/bring-back")
        self.assertEqual(totals(), after)

    def test_preview_changes_nothing(self):
        page = self.get("ledger", preview="void")
        self.assertEqual(page["preview"]["counted"], page["counted"] + 1)
        self.assertEqual(self.get("ledger")["counted"], page["counted"])

    def test_a_fixed_rule_stays(self):
        problem = self.switch("no_date", False, 400)
        self.assertIn("stays on", problem["detail"])
        self.switch("colour", False, 404)

    def test_two_people_at_once(self):
        other = self.person("olga")
        self.study.members.create(person=other, role="analyst")
        olga = self.signed_in(other)
        seen = str(self.get("ledger")["revision"])
        self.switch("void", False, client=olga, **{"If-Match": seen})
        problem = self.switch("returns", True, 409, **{"If-Match": seen})
        self.assertIn("olga changed this", problem["detail"])
        self.assertNotIn("void", problem["theirs"])
        # z takes back my own last change (the members' file), never olga's.
        self.assertEqual(self.send("post", "history/take-back")["words"], "Counted members.csv")
        self.assertFalse(self.rule("void")["on"])
        self.send("post", "history/take-back", client=olga)
        self.assertTrue(self.rule("void")["on"])

    def test_taking_back_what_somebody_changed_since_is_refused(self):
        other = self.person("olga")
        self.study.members.create(person=other, role="analyst")
        self.switch("void", False)
        self.switch("returns", True, client=self.signed_in(other))
        problem = self.send("post", "history/take-back", status=409)
        self.assertIn("olga has changed this since", problem["detail"])

    def test_lines_behind_a_bar(self):
        twice = self.get("ledger/lines", rule="twice")
        self.assertEqual((twice["total"], twice["lines"][0]["card"]), (1, "B"))
        self.assertEqual(twice["lines"][0]["number"], 11)
        unread = self.get("ledger/lines", rule="no_date")["lines"][0]
        self.assertEqual(unread["unread"], {"moment": "31/02/2026"})
        march = (2026 - 1970) * 12 + 2
        self.assertEqual(self.get("ledger/lines", month=march, rule="counted")["total"], 2)
        self.assertEqual(self.get("ledger/lines")["total"], 12)
        self.get("ledger/lines", status=400, month="soon")
