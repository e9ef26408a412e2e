"""Lenses under a name, and the customers of a lens as a list."""

import csv
import io

from sortija.server.ledger.models import Card, Intake
from sortija.server.studies.models import Membership
from tests.server.support import LOG, MEMBERS, ServerCase

YARD = {"field": "trait:garden", "values": ["yard"]}


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
        self.assertIn("called yard already", self.keep("yard", status=400)["detail"])
        self.assertIn("1 to 60", self.keep(" ", status=400)["detail"])
        self.assertIn("Pick some", self.keep("All", clauses=[], status=400)["detail"])
        self.assertIn("rule or as a list", self.keep("X", kind="book", status=400)["detail"])
        row = self.kept()["Yard"]
        mark = {"If-Match": f'"{row["revision"]}"'}
        changed = self.send("put", f"kept/{row['id']}", {"name": "Gardeners"}, **mark)
        self.assertEqual(changed["name"], "Gardeners")
        self.send("put", f"kept/{row['id']}", {"name": "Others"}, 409, **mark)
        self.send("post", "history/take-back")
        self.assertEqual(list(self.kept()), ["Yard"])
        self.send("post", "history/bring-back")
        self.assertEqual(list(self.kept()), ["Gardeners"])

    def test_dropping_and_keeping_are_taken_back(self):
        row = self.keep("Yard")
        self.send("delete", f"kept/{row['id']}", status=204)
        self.assertEqual(self.kept(), {})
        self.send("delete", f"kept/{row['id']}", status=404)
        self.keep("Yard", "list")  # the name is free again
        self.send("post", "history/take-back")
        self.assertEqual(self.kept(), {})
        self.send("post", "history/take-back")
        self.assertEqual(self.kept()["Yard"]["kind"], "rule")

    def test_a_name_taken_meanwhile_stops_the_way_back(self):
        row = self.keep("Yard")
        self.send("delete", f"kept/{row['id']}", status=204)
        other = self.person("olga")
        Membership.objects.create(study=self.study, person=other, role="analyst")
        self.keep("Yard", client=self.signed_in(other))
        problem = self.send("post", "history/take-back", status=409)
        self.assertIn("by now", problem["detail"])
        self.assertEqual(len(self.kept()), 1)

    def test_a_reader_looks_but_keeps_nothing(self):
        reader = self.person("rob")
        Membership.objects.create(study=self.study, person=reader, role="reader")
        client = self.signed_in(reader)
        self.keep("Yard", status=403, client=client)
        self.get("kept", client=client)
        self.get("customers", client=client)
        self.send("post", "customers/file", status=403, client=client)


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
        self.get("customers", 400, fields=",".join(["measure:recency"] * 13))

    def test_a_file_is_safe_complete_and_on_record(self):
        Card.objects.filter(code="B").update(code="=B()")
        url = self.url("customers/file?order=measure:monetary&down=1&fields=measure:monetary")
        response = self.client.post(url)
        text = b"".join(response.streaming_content).decode()
        rows = list(csv.reader(io.StringIO(text)))
        self.assertEqual(rows, [["customer", "Spend"], ["A", "40"], ["'=B()", "15.5"],
                                ["C", "5.5"], ["D", ""]])  # fmt: skip
        words = [entry["words"] for entry in self.get("history")["entries"]]
        self.assertEqual(words[0], "Saved a list of 4 customers")


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
