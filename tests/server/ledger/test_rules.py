"""A switch changes every total; a change by someone else is noticed."""

import csv
import io
from datetime import date
from unittest import mock

from sortija.server.jobs.models import Job
from sortija.server.ledger.rules import actions
from tests.server.support import LOG, ServerCase, run_jobs


def day(year, month, number):
    """Days since 1970-01-01."""
    return (date(year, month, number) - date(1970, 1, 1)).days


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
        self.send("post", "history/undo")
        self.assertEqual(totals()[:3], after[:3])
        self.send("post", "history/undo")
        self.assertEqual(totals(), before)
        self.send("post", "history/redo")
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
        self.assertEqual(self.send("post", "history/undo")["words"], "Imported members.csv")
        self.assertFalse(self.rule("void")["on"])
        self.send("post", "history/undo", client=olga)
        self.assertTrue(self.rule("void")["on"])

    def test_taking_back_what_somebody_changed_since_is_refused(self):
        other = self.person("olga")
        self.study.members.create(person=other, role="analyst")
        self.switch("void", False)
        self.switch("returns", True, client=self.signed_in(other))
        problem = self.send("post", "history/undo", status=409)
        self.assertIn("olga has changed this since", problem["detail"])

    def test_lines_behind_a_bar(self):
        twice = self.get("ledger/lines", rule="twice")
        self.assertEqual((twice["total"], twice["lines"][0]["card"]), (1, "B"))
        self.assertEqual(twice["lines"][0]["number"], 11)
        unread = self.get("ledger/lines", rule="no_date")["lines"][0]
        self.assertEqual(unread["unread"], {"moment": "31/02/2026"})
        march = {"first": day(2026, 3, 1), "last": day(2026, 3, 31)}
        self.assertEqual(self.get("ledger/lines", rule="counted", **march)["total"], 2)
        self.assertEqual(self.get("ledger/lines", by="department", number=2)["total"], 2)
        self.assertEqual(self.get("ledger/lines")["total"], 12)
        self.get("ledger/lines", status=400, first="soon")
        self.get("ledger/lines", status=400, by="card", number=1)


class StaffAndOthers(ServerCase):
    LOG = LOG + (
        "10,STAFF-1,2026-06-01 10:00,North,till,101,Seeds,1,4.00,4.00,sale\n"
        "11,S-7,2026-06-02 10:00,North,till,101,Seeds,1,5.00,5.00,sale\n"
        "12,A,2026-06-03 10:00,North,till,900,Cards,1,50.00,50.00,gift card\n"
        "13,A,2026-06-04 10:00,North,till,101,Seeds,1,0.00,0.00,sale\n"
    )

    def setUp(self):
        super().setUp()
        self.bring_in(self.LOG, "log.csv")

    def rules(self):
        return {rule["key"]: rule for rule in self.get("ledger")["rules"]}

    def staff(self, *patterns, status=200, **rest):
        return self.send("put", "ledger/staff", {"patterns": list(patterns)}, status, **rest)

    def test_each_has_its_lines_and_money(self):
        rules = self.rules()
        for key, lines, money, on in (
            ("staff", 1, 400, True), ("not_sale", 1, 5000, True), ("zero", 1, 0, False),
        ):  # fmt: skip
            rule = rules[key]
            self.assertEqual((rule["lines"], rule["money"], rule["on"]), (lines, money, on), key)
        staff = self.get("ledger")["choices"]["staff"]
        self.assertEqual((staff["cards"], staff["examples"]), (1, ["STAFF-1"]))

    def test_an_item_for_nothing_is_a_visit_unless_set_aside(self):
        def visits():
            listed = self.get("customers", fields="measure:frequency")
            return listed["columns"][0]["numbers"][listed["names"].index("A")]

        before = visits()
        self.send("put", "ledger/rules/zero", {"on": True})
        self.assertEqual(visits(), before - 1)

    def test_the_list_changes_what_counts_and_is_taken_back(self):
        before = self.get("ledger")
        self.staff("staff*", "S-?")
        after = self.get("ledger")
        self.assertEqual(before["counted_total"] - after["counted_total"], 500)
        self.assertEqual(after["choices"]["staff"]["examples"], ["STAFF-1", "S-7"])
        self.assertNotEqual(before["made_from"], after["made_from"])
        self.send("post", "history/undo")
        self.assertEqual(self.get("ledger")["counted_total"], before["counted_total"])
        self.assertEqual(self.get("ledger")["made_from"], before["made_from"])

    def test_what_cannot_be_a_list(self):
        self.assertIn("every card", self.staff("*", status=400)["detail"])
        self.staff(*(f"x{n}" for n in range(201)), status=400)
        revision = self.staff("x")["revision"]
        mark = {"If-Match": f'"{revision - 1}"'}
        self.staff("y", status=409, **mark)

    def test_a_large_ledger_is_ordered_by_a_job(self):
        with mock.patch.object(actions, "INLINE_LINES", 0):
            self.staff("S-7")
        self.assertEqual(self.get("ledger")["status"]["state"], "working")
        run_jobs()
        page = self.get("ledger")
        self.assertEqual(
            (page["status"]["state"], page["choices"]["staff"]["examples"]), ("whole", ["S-7"])
        )

    def test_words_for_what_a_line_is_can_be_corrected(self):
        head, *rows = self.LOG.splitlines()
        upload = self.upload("\n".join([head, *rows[-2:], ""]), "more.csv")
        intake = self.send("post", "intakes", {"upload": upload}, 201)
        words = {word["word"]: word["kind"] for word in intake["kind_words"]}
        self.assertEqual(words, {"gift card": "other", "sale": "sale"})
        mapping = {**intake["mapping"], "kinds": {"gift card": "sale"}}
        changed = self.send("put", f"intakes/{intake['id']}", {"mapping": mapping})
        self.assertEqual(changed["kind_words"][0]["kind"], "sale")


class LinesAsAFile(ServerCase):
    def rows(self, query=""):
        return list(csv.DictReader(io.StringIO(self.saved(f"ledger/lines/file{query}"))))

    def setUp(self):
        super().setUp()
        self.bring_in(LOG, "log.csv")

    def test_every_line_with_its_reason(self):
        rows = self.rows()
        self.assertEqual(len(rows), 12)
        self.assertEqual({row["file"] for row in rows}, {"log.csv"})
        self.assertEqual(sorted(int(row["row"]) for row in rows), list(range(1, 13)))
        counted = [row for row in rows if not row["does not count"]]
        total = sum(float(row["amount"]) for row in counted)
        self.assertAlmostEqual(total * 100, self.get("ledger")["counted_total"])
        undated = next(row for row in rows if row["as written"])
        self.assertEqual(undated["as written"], "moment: 31/02/2026")
        self.assertIn("No readable date", undated["does not count"])

    def test_one_rule_and_one_month(self):
        (voided,) = self.rows("?rule=void")
        self.assertEqual((voided["kind"], voided["does not count"]), ("void", "Voided"))
        words = self.study.history.latest("id").words
        self.assertEqual(words, "Saved 1 lines")
        none = self.send("post", "ledger/lines/file?rule=void&last=600", status=400)
        self.assertIn("nothing to save", none["detail"])

    def test_a_file_of_lines_is_dropped_with_everybody_who_is_erased(self):
        row = self.send("post", "ledger/lines/file", status=201)
        self.send("delete", "customer/0", status=204)
        run_jobs()
        job = Job.objects.get(kind="ledger.lines")
        self.assertEqual((job.state, "erased meanwhile" in job.error), (Job.FAILED, True))
        self.get(f"exports/{row['id']}", 404)

    def test_a_reader_takes_nothing_away(self):
        reader = self.person("rob")
        self.study.members.create(person=reader, role="reader")
        client = self.signed_in(reader)
        self.assertEqual(client.post(self.url("ledger/lines/file")).status_code, 403)
