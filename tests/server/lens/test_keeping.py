"""Lenses under a name, and the customers of a lens as a list."""

import csv
import io
from datetime import date, timedelta
from unittest import mock

import openpyxl
import pyarrow.parquet as pq
from django.test import override_settings
from django.utils import timezone

from sortija.server.ledger.models import Card, Intake
from sortija.server.lens.exports import sweep
from sortija.server.lens.models import Export
from sortija.server.studies.models import Membership
from tests.server.support import LOG, MEMBERS, ServerCase, run_jobs

YARD = {"field": "trait:garden", "values": ["yard"]}


class Dock(ServerCase):
    def test_each_person_has_charts_of_their_own(self):
        self.both_files()
        self.assertEqual(self.get("fields")["dock"], [])
        wanted = ["trait:garden", "measure:monetary", "trait:garden"]
        kept = self.send("put", "dock", {"fields": wanted})["fields"]
        self.assertEqual(kept, wanted[:2])
        self.assertEqual(self.get("fields")["dock"], kept)
        reader = self.person("rob")
        self.study.members.create(person=reader, role="reader")
        theirs = self.signed_in(reader)
        self.assertEqual(self.get("fields", client=theirs)["dock"], [])
        self.send("put", "dock", {"fields": ["trait:plan"]}, client=theirs)
        self.assertEqual(self.get("fields")["dock"], kept)
        many = [f"measure:m{n}" for n in range(9)]
        self.assertIn("8 charts", self.send("put", "dock", {"fields": many}, 400)["detail"])
        self.send("put", "dock", {"fields": []})
        self.assertEqual(self.get("fields")["dock"], [])


class Kept(ServerCase):
    def setUp(self):
        super().setUp()
        self.both_files()

    def keep(self, name, kind="rule", clauses=(YARD,), status=201, **rest):
        body = {"name": name, "kind": kind, "clauses": list(clauses)}
        return self.send("post", "kept", body, status, **rest)

    def kept(self):
        return {row["name"]: row for row in self.get("kept")["kept"]}

    def count(self, clauses):
        return self.send("post", "lens", {"clauses": clauses})["lens"]["customers"]

    def test_a_rule_is_counted_afresh_and_a_list_is_fixed(self):
        lapsed = {"field": "measure:frequency", "ranges": [[1, 2]]}
        self.keep("Once", "rule", [lapsed])
        self.keep("Once in June", "list", [lapsed])
        before = self.kept()
        self.assertEqual(before["Once"]["customers"], before["Once in June"]["customers"])
        self.assertEqual(before["Once"]["clauses"][0]["field"], "measure:frequency")
        head = LOG.splitlines()[0]
        row = "20,C,2026-06-28 10:00,North,till,101,Seeds,1,10.00,10.00,sale"
        self.bring_in(f"{head}\n{row}\n", "more.csv")
        after = self.kept()
        self.assertEqual(after["Once"]["customers"], before["Once"]["customers"] - 1)
        self.assertEqual(after["Once in June"]["customers"], before["Once"]["customers"])
        inside = after["Once in June"]["clauses"]
        self.assertEqual(self.count(inside), before["Once"]["customers"])
        negated = [{**inside[0], "negated": True}]
        everyone = self.send("post", "lens", {})["everyone"]["customers"]
        self.assertEqual(self.count(negated), everyone - self.count(inside))

    def test_who_comes_later_is_in_no_list(self):
        self.keep("Yard", "list")
        before = self.count(self.kept()["Yard"]["clauses"])
        newer = MEMBERS + "Z,2024-04-01,yard,0101,no,z@example.org\n"
        self.bring_in(newer, "newer.csv", "members")
        self.assertGreater(Card.objects.count(), 4)
        self.assertEqual(self.count(self.kept()["Yard"]["clauses"]), before)
        names = [f["field"] for f in self.get("fields")["fields"] if f["group"] == "Kept lists"]
        self.assertEqual(len(names), 1)
        chart = self.send("post", "lens", {"charts": names})["charts"][0]
        self.assertEqual(chart["everyone"], [before])

    def test_a_rule_whose_trait_is_gone_says_so(self):
        self.keep("Yard")
        table = Intake.objects.get(role=Intake.MEMBERS)
        self.send("delete", f"intakes/{table.pk}", status=204)
        self.assertIsNone(self.kept()["Yard"]["customers"])

    def test_names(self):
        self.keep("Yard")
        self.assertIn("lens named yard", self.keep("yard", status=400)["detail"])
        self.assertIn("1 to 60", self.keep(" ", status=400)["detail"])
        self.assertIn("Pick some", self.keep("All", clauses=[], status=400)["detail"])
        self.assertIn("rule or as a list", self.keep("X", kind="book", status=400)["detail"])
        row = self.kept()["Yard"]
        mark = {"If-Match": f'"{row["revision"]}"'}
        changed = self.send("put", f"kept/{row['id']}", {"name": "Gardeners"}, **mark)
        self.assertEqual(changed["name"], "Gardeners")
        self.send("put", f"kept/{row['id']}", {"name": "Others"}, 409, **mark)
        self.send("post", "history/undo")
        self.assertEqual(list(self.kept()), ["Yard"])
        self.send("post", "history/redo")
        self.assertEqual(list(self.kept()), ["Gardeners"])

    def test_dropping_and_keeping_are_taken_back(self):
        row = self.keep("Yard")
        self.send("delete", f"kept/{row['id']}", status=204)
        self.assertEqual(self.kept(), {})
        self.send("delete", f"kept/{row['id']}", status=404)
        self.keep("Yard", "list")  # the name is free again
        self.send("post", "history/undo")
        self.assertEqual(self.kept(), {})
        self.send("post", "history/undo")
        self.assertEqual(self.kept()["Yard"]["kind"], "rule")

    def test_a_name_taken_meanwhile_stops_the_way_back(self):
        row = self.keep("Yard")
        self.send("delete", f"kept/{row['id']}", status=204)
        other = self.person("olga")
        Membership.objects.create(study=self.study, person=other, role="analyst")
        self.keep("Yard", client=self.signed_in(other))
        problem = self.send("post", "history/undo", status=409)
        self.assertIn("now another lens", problem["detail"])
        self.assertEqual(len(self.kept()), 1)

    def test_a_reader_looks_but_keeps_nothing(self):
        reader = self.person("rob")
        Membership.objects.create(study=self.study, person=reader, role="reader")
        client = self.signed_in(reader)
        self.keep("Yard", status=403, client=client)
        self.get("kept", client=client)
        self.get("customers", client=client)
        self.send("post", "exports", {"kind": "csv"}, 403, client)
        self.get("exports", 403, client=client)


class Listing(ServerCase):
    def setUp(self):
        super().setUp()
        self.both_files()

    def test_by_any_field_with_the_missing_last(self):
        page = self.get("customers", order="measure:monetary")
        self.assertEqual((page["total"], page["names"]), (4, ["C", "B", "A", "D"]))
        down = self.get("customers", order="measure:monetary", down="1")
        self.assertEqual(down["names"], ["A", "B", "C", "D"])
        spend = next(c for c in down["columns"] if c["field"] == "measure:monetary")
        self.assertEqual(spend["numbers"], [40.0, 15.5, 5.5, None])
        self.assertEqual(self.get("customers")["names"], ["A", "B", "C", "D"])

    def test_categories_go_by_their_names(self):
        page = self.get("customers", order="trait:garden", fields="trait:garden,trait:district")
        self.assertEqual(page["names"], ["B", "A", "D", "C"])
        garden, district = page["columns"]
        shown = [garden["levels"][p] if p >= 0 else None for p in garden["places"]]
        self.assertEqual(shown, ["balcony", "yard", "yard", None])
        self.assertEqual(district["levels"], ["0101", "0102"])

    def test_the_lens_and_the_page(self):
        digest = self.send("post", "lens", {"clauses": [YARD]})["digest"]
        page = self.get("customers", lens=digest, first=1)
        self.assertEqual((page["total"], page["first"], page["names"]), (2, 1, ["D"]))

    def test_what_cannot_be_listed(self):
        self.get("customers", 400, first="-1")
        self.get("customers", 404, order="measure:nothing")
        self.get("customers", 400, fields=",".join(["measure:recency"] * 61))

    def asked(self, kind, **query):
        words = "&".join(f"{key}={value}" for key, value in query.items())
        return self.send("post", f"exports?{words}", {"kind": kind}, 201)

    def fetched(self, row, part="file"):
        response = self.client.get(self.url(f"exports/{row['id']}/{part}"))
        self.assertEqual(response.status_code, 200)
        return b"".join(response.streaming_content)

    def test_a_file_is_safe_complete_and_on_record(self):
        Card.objects.filter(code="B").update(code="=B()")
        row = self.asked("csv", order="measure:monetary", down="1", fields="measure:monetary")
        self.assertFalse(row["ready"])
        self.assertEqual(self.client.get(self.url(f"exports/{row['id']}/file")).status_code, 404)
        run_jobs()
        (listed,) = self.get("exports")["exports"]
        self.assertTrue(listed["ready"])
        rows = list(csv.reader(io.StringIO(self.fetched(row).decode(), newline="")))
        self.assertEqual(rows, [["Customer", "Spend"], ["A", "40"], ["'=B()", "15.5"],
                                ["C", "5.5"], ["D", ""]])  # fmt: skip
        words = [entry["words"] for entry in self.get("history")["entries"]]
        self.assertEqual(words[0], "Saved a list of 4 customers as CSV")
        about = self.fetched(row, "dictionary").decode()
        self.assertIn("Sales less returns in the window.", about)
        self.assertIn("1 no visit in the window", about)
        self.assertIn("to 20 Jun 2026, 12 months back", about)

    def test_parquet_and_xlsx_of_a_lens(self):
        lens = self.send("post", "lens", {"clauses": [YARD]})["digest"]
        fields = "measure:recency,trait:joined_on,trait:garden"
        rows = [self.asked(kind, lens=lens, fields=fields) for kind in ("parquet", "xlsx")]
        run_jobs()
        table = pq.read_table(io.BytesIO(self.fetched(rows[0])))
        self.assertEqual(table.column("customer").to_pylist(), ["A", "D"])
        self.assertEqual(table.column("joined_on").to_pylist()[0], date(2020, 1, 1))
        self.assertEqual(table.column("recency").null_count, 1)
        book = openpyxl.load_workbook(io.BytesIO(self.fetched(rows[1])))
        self.assertEqual(book["Customers"].cell(3, 4).value, "yard")
        self.assertEqual(book["Dictionary"].cell(3, 2).value, "Days since last visit")

    def test_what_cannot_be_saved(self):
        self.send("post", "exports", {"kind": "pdf"}, 400)
        self.send("post", "exports?fields=measure:nothing", {"kind": "csv"}, 404)
        nobody = {**YARD, "values": ["moon"]}
        digest = self.send("post", "lens", {"clauses": [nobody]})["digest"]
        words = self.send("post", f"exports?lens={digest}", {"kind": "csv"}, 400)["detail"]
        self.assertIn("No one is in this lens", words)
        self.get("exports/999/file", 404)

    def test_a_file_that_cannot_be_written_says_so_and_can_be_tried_again(self):
        row = self.asked("csv")
        full = OSError(28, "No space left on device")
        with mock.patch("sortija.server.lens.exports.write_list", side_effect=full):
            run_jobs()
        (failed,) = self.get("exports")["exports"]
        self.assertIn("No space left", failed["job"]["error"])
        self.assertFalse(failed["ready"])
        self.assertEqual(list((self.folder / "exports").iterdir()), [])
        self.send("post", f"jobs/{failed['job']['id']}/again")
        run_jobs()
        self.assertIn(b"Customer", self.fetched(row))

    def test_files_go_with_a_person_who_is_erased(self):
        row = self.asked("csv")
        run_jobs()
        number = Card.objects.get(code="A").number
        self.send("delete", f"customer/{number}", status=204)
        self.get(f"exports/{row['id']}/file", 404)
        self.assertEqual(list((self.folder / "exports").iterdir()), [])

    def test_files_go_after_a_week(self):
        row = self.asked("csv")
        run_jobs()
        Export.objects.update(asked_at=timezone.now() - timedelta(days=8))
        self.asked("csv")
        with override_settings(KEEP_EXPORTS=0):
            sweep()
        self.assertIn(b"Customer", self.fetched(row))  # 0: for ever
        sweep()
        self.get(f"exports/{row['id']}/file", 404)
        run_jobs()
        self.assertEqual(len(list((self.folder / "exports").iterdir())), 2)


class Spending(ServerCase):
    def test_money_of_another_window(self):
        self.both_files()
        body = {"clauses": [{"field": "measure:recency", "ranges": [[1, 60]]}]}
        here = self.send("post", "lens", body)
        there = self.send("post", "lens", {**body, "spend": "2026-02-28:12"})
        self.assertEqual(there["lens"]["customers"], here["lens"]["customers"])
        self.assertEqual(there["everyone"]["money"], 1000 + 1000 + 1000)
        self.assertEqual(there["lens"]["money"], 1000)  # of B and C, only B had bought by then
        self.send("post", "lens", {**body, "spend": "soon"}, 400)
