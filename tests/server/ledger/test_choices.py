"""What is chosen about lines: own rules, the day of returns, currencies; and all of it undone."""

import shutil
from unittest import mock

from django.conf import settings

from sortija.server.ledger.rules import actions
from sortija.server.ledger.store import ledger
from tests.server.support import LOG, ServerCase, run_jobs

RETURNS = """receipt,card,sold_at,site,item,department,qty,price,total,cost
1,A,2026-01-10 10:00,North,101,Seeds,1,10.00,10.00,6.00
1,A,2026-01-10 10:00,North,102,Pots,2,5.00,10.00,4.00
2,A,2026-03-20 10:00,North,103,Tools,1,20.00,20.00,9.00
3,A,2026-04-02 10:00,North,103,Tools,-1,20.00,-20.00,9.00
4,B,2026-04-05 10:00,North,101,Seeds,-1,10.00,-10.00,6.00
5,B,2026-04-20 10:00,North,102,Pots,1,5.00,5.00,2.00
5,B,2026-04-20 10:00,North,102,Pots,1,-2.00,-2.00,
6,B,2026-04-21 10:00,North,101,Seeds,9,900.00,8100.00,4000.00
"""


class Case(ServerCase):
    def rule(self, key):
        return next(r for r in self.get("ledger")["rules"] if r["key"] == key)

    def rows(self, rule):
        found = self.get("ledger/lines", rule=rule)["lines"]
        return sorted(row["number"] for row in found)

    def undo(self):
        self.send("post", "history/undo")


class Returning(Case):
    def setUp(self):
        super().setUp()
        self.assertEqual(self.bring_in(RETURNS, "log.csv")["state"], "counted")

    def test_each_kind_of_return(self):
        self.assertEqual(self.rows("returned"), [3, 4])
        self.assertEqual(self.rows("unmatched"), [5])
        self.assertEqual(self.rows("negative"), [7])
        self.assertEqual(self.rows("extreme"), [8])
        self.assertEqual(self.rows("returns"), [4, 5, 7])

    def test_who_meets_them(self):
        self.assertEqual(self.rule("returns")["customers"], 2)
        self.assertEqual(self.rule("unmatched")["customers"], 1)
        self.assertEqual(self.rule("zero")["customers"], 0)
        self.assertEqual((self.rule("unmatched")["on"], self.rule("extreme")["on"]), (False,) * 2)

    def test_a_purchase_wholly_returned_stays_a_visit_until_it_is_set_aside(self):
        def visits():
            measures = self.get("customer/0/measures", to="2026-04-30", back="12")["measures"]
            return next(m["value"] for m in measures if m["name"] == "frequency")

        self.assertEqual(visits(), 2)
        self.send("put", "ledger/rules/returned", {"on": True})
        self.assertEqual(visits(), 1)

    def test_on_the_day_of_the_sale(self):
        def money(to):
            return self.get("ledger", to=to, back="all")["balance"]["ledger"]

        self.assertEqual(money("2026-03-31"), 4000)
        revision = self.send("put", "ledger/returns", {"told": "sale day"})["revision"]
        self.assertEqual(money("2026-03-31"), 2000)
        self.assertEqual(self.get("ledger")["choices"]["returns"], "sale day")
        whole = self.get("ledger")["counted_total"]
        # The line keeps the day that the file gives it.
        (line,) = (r for r in self.get("ledger/lines", rule="returned")["lines"]
                   if r["kind"] == "return")  # fmt: skip
        self.assertEqual(line["day"], "2026-04-02")
        self.undo()
        self.assertEqual((money("2026-03-31"), self.get("ledger")["counted_total"]), (4000, whole))
        match = {"If-Match": str(revision - 1)}
        stale = self.send("put", "ledger/returns", {"told": "own day"}, 409, **match)
        self.assertIn("changed this since", stale["detail"])
        self.send("put", "ledger/returns", {"told": "never"}, 400)

    def test_a_larger_ledger_is_ordered_by_a_job(self):
        with mock.patch.object(actions, "INLINE_LINES", 3):
            self.send("put", "ledger/returns", {"told": "sale day"})
            self.assertEqual(self.get("ledger")["status"]["state"], "working")
            run_jobs()
            self.assertEqual(self.get("ledger")["status"]["state"], "whole")

    def test_files_of_a_larger_ledger_that_are_lost_are_made_by_a_job(self):
        before = self.get("ledger")
        ledger._load.cache_clear()
        shutil.rmtree(settings.COLUMN_FILES)
        with mock.patch.object(actions, "INLINE_LINES", 3):
            self.assertEqual(self.get("ledger")["status"]["state"], "working")
            run_jobs()
            self.assertEqual(self.get("ledger"), before)


class OwnRules(Case):
    POTS = {"name": "No pots", "column": "department", "words": ["pot*"]}

    def setUp(self):
        super().setUp()
        self.both_files()

    def test_made_tried_switched_and_dropped(self):
        before = self.get("ledger")
        kept = self.send("post", "ledger/own", self.POTS)
        self.assertEqual(kept["key"], "own1")
        rule = self.rule("own1")
        self.assertEqual((rule["on"], rule["own"], rule["lines"]), (True, True, 5))
        self.assertEqual(rule["explanation"], "Lines whose department is pot*.")
        self.assertEqual(self.get("ledger")["counted"], before["counted"] - 3)
        self.send("put", "ledger/rules/own1", {"on": False})
        self.assertEqual(self.get("ledger")["counted"], before["counted"])
        tried = self.get("ledger", preview="own1")["preview"]
        self.assertEqual(tried["counted"], before["counted"] - 3)
        self.undo()
        self.send("delete", "ledger/own/0")
        after = self.get("ledger")
        self.assertEqual(after["counted"], before["counted"])
        self.assertEqual(len(after["rules"]), len(before["rules"]))
        self.undo()
        self.assertEqual(self.get("ledger")["counted"], tried["counted"])
        self.undo()  # added and switched on in one step, so both go at once
        self.assertEqual(self.get("ledger")["counted"], before["counted"])
        self.assertEqual(len(self.get("ledger")["rules"]), len(before["rules"]))

    def test_a_change_before_it_can_still_be_undone(self):
        self.send("put", "ledger/rules/no_customer", {"on": False})
        self.send("post", "ledger/own", self.POTS)
        self.undo()
        self.undo()
        self.assertTrue(self.rule("no_customer")["on"])

    def test_tried_before_it_is_kept(self):
        before = self.get("ledger")
        for body in (
            self.POTS,
            {"name": "Wide", "column": "customer", "words": ["A", "c"]},
            {"name": "Late", "column": "date", "first": "2026-03-12", "last": "2026-05-15"},
            {"name": "Week", "column": "weekday", "words": ["sat*"]},
            {"name": "Dear", "column": "money", "low": 10},
            {"name": "Cost", "column": "cost", "low": 0},
        ):
            with self.subTest(body["name"]):
                told = self.send("post", "ledger/own/try", body)
                self.assertEqual(self.get("ledger")["counted"], before["counted"])
                kept = self.send("post", "ledger/own", body)["key"]
                after = self.get("ledger")
                self.assertEqual(before["counted"] - after["counted"], told["gone"])
                self.assertEqual(
                    before["counted_total"] - after["counted_total"], told["gone_money"]
                )
                rule = self.rule(kept)
                self.assertEqual((rule["lines"], rule["explanation"]),
                                 (told["lines"], told["explanation"]))  # fmt: skip
                slot = next(own["slot"] for own in after["choices"]["own"])
                # Tried again while it is on, it is told as if it were off.
                again = self.send("post", "ledger/own/try", {**body, "slot": slot})
                self.assertEqual(again, told)
                self.send("delete", f"ledger/own/{slot}")
        self.assertIn("which words", self.send(
            "post", "ledger/own/try", {**self.POTS, "words": []}, 400)["detail"])  # fmt: skip

    def test_dates_and_customers(self):
        late = {"name": "Late", "column": "date", "first": "2026-05-15"}
        self.send("post", "ledger/own", late)
        self.assertEqual(self.rows("own1"), [8, 10])
        told = self.send("post", "ledger/own/try", {"name": "", "column": "customer",
                                                    "words": ["a"]})  # fmt: skip
        self.assertEqual((told["lines"], told["gone"], told["gone_customers"]), (4, 4, 1))
        for words, body in (
            ("2026-06-30", {**late, "first": "May"}),
            ("ends before", {**late, "last": "2026-01-01"}),
            ("from which day", {**late, "first": ""}),
        ):  # fmt: skip
            body = {**body, "name": "Other"}
            self.assertIn(words, self.send("post", "ledger/own", body, 400)["detail"])

    def test_changed_in_its_place(self):
        self.send("post", "ledger/own", self.POTS)
        second = {"name": "Large", "column": "money", "low": 20}
        self.assertEqual(self.send("post", "ledger/own", second)["key"], "own2")
        self.assertEqual(self.rows("own2"), [4])
        self.send("put", "ledger/rules/own1", {"on": False})
        self.send("post", "ledger/own", {**second, "slot": 1, "low": 10})
        self.assertEqual(self.rows("own2"), [1, 2, 3, 4])
        self.assertEqual([own["key"] for own in self.get("ledger")["choices"]["own"]],
                         ["own1", "own2"])  # fmt: skip

    def test_what_cannot_be(self):
        self.send("post", "ledger/own", self.POTS)
        for words, body in (
            ("rule named “no pots”", {**self.POTS, "name": "no pots"}),
            ("no longer exists", {**self.POTS, "slot": 5, "name": "Other"}),
            ("no column called garden", {**self.POTS, "name": "Other", "column": "garden"}),
        ):
            with self.subTest(words):
                status = 404 if "no longer" in words else 400
                self.assertIn(words, self.send("post", "ledger/own", body, status)["detail"])
        for number in range(7):
            self.send("post", "ledger/own", {**self.POTS, "name": f"Rule {number}"})
        more = self.send("post", "ledger/own", {**self.POTS, "name": "Ninth"}, 400)
        self.assertIn("at most 8 rules", more["detail"])
        self.send("delete", "ledger/own/9", status=404)

    def test_a_reader_makes_none(self):
        reader = self.person("rob")
        self.study.members.create(person=reader, role="reader")
        client = self.signed_in(reader)
        self.send("post", "ledger/own", self.POTS, 403, client)
        self.send("delete", "ledger/own/0", None, 403, client)
        self.send("put", "ledger/returns", {"told": "sale day"}, 403, client)


class Currencies(Case):
    def test_amounts_in_another_currency_are_never_added_up(self):
        self.study.currency = "€"
        self.study.save()
        rows = LOG.strip().splitlines()
        money = ["currency", *["EUR"] * 3, "USD", "€", "", *["EUR"] * 7]
        log = "\n".join(f"{row},{word}" for row, word in zip(rows, money, strict=False))
        self.assertEqual(self.bring_in(log, "log.csv")["state"], "counted")
        self.assertEqual(self.rows("currency"), [4])
        refused = self.send("put", "ledger/rules/currency", {"on": False}, 400)
        self.assertIn("one currency", refused["detail"])

    def test_another_currency_chosen_later_reads_the_files_again(self):
        rows = LOG.strip().splitlines()
        log = "\n".join(f"{row},{word}" for row, word in
                        zip(rows, ["currency", *["EUR"] * 11, "USD"], strict=True))  # fmt: skip
        upload = self.upload(log, "log.csv")
        review = self.send("post", "intakes", {"upload": upload}, 201)
        self.assertEqual(review["currency"], "EUR")  # the study counts in £ as yet
        self.send("post", f"intakes/{review['id']}/count", status=202)
        run_jobs()
        self.assertEqual(self.rule("currency")["lines"], 12)
        stale = self.send("put", "currency", {"present": "$", "currency": "€"}, 409)
        self.assertIn("to £ meanwhile", stale["detail"])
        self.send("put", "currency", {"present": "£", "currency": "4 €"}, 400)
        self.send("put", "currency", {"present": "£", "currency": "€"})
        run_jobs()
        self.assertEqual(self.get("trail")["study"]["currency"], "€")
        self.assertEqual(self.rule("currency")["lines"], 1)
        self.assertEqual(self.get(f"intakes/{review['id']}")["currency"], "")
        self.undo()  # the file as it was read anew
        self.undo()  # the currency
        run_jobs()
        self.assertEqual(self.get("trail")["study"]["currency"], "£")
        self.assertEqual(self.rule("currency")["lines"], 12)


class Margins(Case):
    def setUp(self):
        super().setUp()
        self.both_files()

    def margin(self, customer=0):
        rows = self.get(f"customer/{customer}/measures", to="2026-06-30", back="all")["measures"]
        return next((row["value"] for row in rows if row["name"] == "margin"), None)

    def test_by_a_rate_a_department(self):
        self.assertIsNone(self.margin())
        body = {"departments": {"Seeds": 0.5, "Pots": 0.2}}
        self.send("put", "ledger/rates", body)
        # A: seeds for 10 + 30 less 10 brought back, pots for 10.
        self.assertAlmostEqual(self.margin(), 30 * 0.5 + 10 * 0.2)
        self.assertEqual(
            self.get("ledger/summaries")["margins"]["departments"], body["departments"]
        )
        self.send("put", "ledger/rates", {"departments": {"Seeds": 0.5}})
        self.assertIsNone(self.margin())
        self.send("put", "ledger/rates", {"departments": {"Seeds": 0.5}, "rest": 0.1})
        self.assertAlmostEqual(self.margin(), 30 * 0.5 + 10 * 0.1)
        self.undo()
        self.undo()
        self.assertAlmostEqual(self.margin(), 30 * 0.5 + 10 * 0.2)

    def test_what_is_no_rate(self):
        words = self.send("put", "ledger/rates", {"departments": {"Shoes": 0.5}}, 404)["detail"]
        self.assertIn("called Shoes", words)
        self.send("put", "ledger/rates", {"departments": {"Seeds": 40}}, 400)

    def test_by_the_cost_of_each_line(self):
        self.assertEqual(self.bring_in(RETURNS, "costs.csv")["state"], "counted")
        self.assertTrue(self.get("ledger/summaries")["margins"]["costs"])


class Costs(Case):
    def test_cost_of_each_line(self):
        self.assertEqual(self.bring_in(RETURNS, "log.csv")["state"], "counted")
        rows = self.get("customer/0/measures", to="2026-04-30", back="all")["measures"]
        margin = next(row["value"] for row in rows if row["name"] == "margin")
        # Bought for 40, 20 of it brought back; the goods cost 6 + 4 + 9 - 9.
        self.assertAlmostEqual(margin, 20 - 10)
