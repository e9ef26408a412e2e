"""Cards put together and taken apart, traits at a date and put right, people erased."""

from django.conf import settings

from sortija.server.ledger.models import Card, CardId, Correction, Intake
from sortija.server.lens.keeping import INSIDE
from sortija.server.lens.models import KeptLens
from tests.server.support import LOG, MEMBERS, ServerCase, run_jobs

LATER = """card,garden,phone
A,balcony,0701
B,,0702
E,yard,0703
"""


class Case(ServerCase):
    def setUp(self):
        super().setUp()
        self.both_files()
        self.window = {"to": "2026-06-30", "back": "all"}

    def number(self, code):
        return Card.objects.get(study=self.study, code=code).number

    def page(self, code):
        return self.get(f"customer/{self.number(code)}")

    def trait(self, code, name="garden"):
        return next(t for t in self.page(code)["traits"] if t["key"] == name)

    def merge(self, into, code, status=200, **headers):
        path = f"customer/{self.number(into)}/cards"
        return self.send("post", path, {"code": code}, status, **headers)

    def frequency(self, code):
        path = f"customer/{self.page(code)['number']}/measures"
        rows = self.get(path, **self.window)["measures"]
        return next(row["value"] for row in rows if row["name"] == "frequency")

    def undo(self):
        self.send("post", "history/undo")

    def lens(self, field, value, **window):
        clause = {"field": field, "values": [value]}
        path = "lens?" + "&".join(f"{k}={v}" for k, v in window.items())
        answer = self.send("post", path, {"clauses": [clause]})
        self.assertTrue(answer["ready"], answer)
        return answer["lens"]["customers"]


class Merging(Case):
    def test_two_cards_of_one_person_and_apart_again(self):
        before = self.get("measures", **self.window)
        self.assertEqual((self.frequency("A"), self.frequency("B")), (2, 2))
        self.assertEqual(self.merge("B", "A")["customer"], self.number("A"))
        page = self.page("B")
        self.assertEqual((page["name"], page["number"]), ("A", self.number("A")))
        self.assertEqual([card["code"] for card in page["cards"]], ["A", "B"])
        self.assertEqual((self.frequency("A"), page["total"]), (4, 5))
        merged = self.get("measures", **self.window)
        self.assertEqual(merged["reconciliation"]["ledger"], before["reconciliation"]["ledger"])
        self.assertEqual(merged["customers"], before["customers"] - 1)
        # The lines keep their card.
        cards = {row["card"] for row in self.get("ledger/lines")["lines"]}
        self.assertEqual(cards, {"A", "B", "C", ""})
        self.assertIn("already", self.merge("A", "B", 400)["detail"])
        self.send("post", "cards/apart", {"code": "B"})
        self.assertEqual((self.frequency("A"), self.frequency("B")), (2, 2))
        self.undo()
        self.assertEqual(self.frequency("A"), 4)
        self.undo()
        self.assertEqual(self.get("measures", **self.window)["customers"], before["customers"])

    def test_what_cannot_be_merged(self):
        self.assertIn("No card is called “Z”", self.merge("A", "Z", 404)["detail"])
        words = self.send("post", "cards/apart", {"code": "A"}, 400)["detail"]
        self.assertIn("a customer of its own", words)
        seen = {"If-Match": f'"{self.page("A")["revision"]}"'}
        self.merge("A", "B")
        self.assertIn("changed this since", self.merge("A", "C", 409, **seen)["detail"])

    def test_traits_of_any_card_speak_for_the_person(self):
        self.assertEqual(self.trait("C")["now"], "")
        self.merge("C", "D")
        self.assertEqual(self.trait("C")["now"], "yard")
        self.assertEqual(self.get("customers", order="trait:garden")["total"], 3)

    def test_by_a_table_of_ids(self):
        table = "card,person\nA,P1\nB,P2\nC,P1\nD,P3\n"
        intake = self.bring_in(table, "persons.csv")
        self.assertEqual(intake["mapping"]["types"]["person"], "person")
        self.assertEqual([c["code"] for c in self.page("C")["cards"]], ["A", "C"])
        self.send("post", "cards/apart", {"code": "C"})
        self.assertEqual([c["code"] for c in self.page("C")["cards"]], ["C"])
        self.undo()
        self.send("delete", f"intakes/{intake['id']}", status=204)
        self.assertEqual([c["code"] for c in self.page("C")["cards"]], ["C"])


class TraitsAtADate(Case):
    def later(self, day):
        upload = self.upload(LATER, "later.csv", part=1 << 20)
        intake = self.send("post", "intakes", {"upload": upload, "role": "members"}, 201)
        mapping = {**intake["mapping"], "dated": day}
        mapping["types"] = {**mapping["types"], "phone": "id", "garden": "category"}
        self.send("put", f"intakes/{intake['id']}", {"mapping": mapping})
        self.send("post", f"intakes/{intake['id']}/count", status=202)
        run_jobs()
        return intake

    def date_the_first(self, day):
        intake = Intake.objects.get(role="members", original__name="members.csv")
        intake.mapping["dated"] = day
        intake.save()

    def test_the_newest_table_on_or_before_the_date_tells(self):
        self.date_the_first("2026-01-31")
        self.later("2026-05-31")
        self.assertEqual(self.trait("A")["now"], "balcony")
        self.assertEqual([t["day"] for t in self.trait("A")["told"]], ["2026-05-31", "2026-01-31"])
        # A was in the yard in March and on the balcony in June; B is named without a garden.
        self.assertEqual(self.lens("trait:garden", "yard", to="2026-03-31", back="all"), 2)
        self.assertEqual(self.lens("trait:garden", "balcony", to="2026-06-30", back="all"), 1)
        self.assertEqual(self.trait("B")["now"], "")
        # D is not in the newer table, which therefore tells nothing of D.
        self.assertEqual(self.trait("D")["now"], "yard")

    def test_before_the_first_table_it_stands_and_that_is_said(self):
        self.date_the_first("2026-05-31")
        groups = {
            f["field"]: f["group"]
            for to in ("2026-03-31",)
            for f in self.get("fields", to=to, back="all")["fields"]
        }
        self.assertEqual(groups["trait:garden"], "Traits, as known on 31 May 2026")
        now = self.get("fields", to="2026-06-30", back="all")["fields"]
        self.assertEqual({f["group"] for f in now if f["field"] == "trait:garden"}, {"Traits"})
        self.assertEqual(self.lens("trait:garden", "yard", to="2026-03-31", back="all"), 2)

    def test_a_trait_that_only_a_later_table_has_stands_before_it(self):
        """Two tables of one day are one telling; an earlier one without the trait hides nothing."""
        self.date_the_first("2026-01-31")
        for name, column, day in (("a", "club", "2026-05-31"), ("b", "score", "2026-05-31")):
            text = f"card,{column}\nA,7\nB,9\nC,\n"
            upload = self.upload(text, f"{name}.csv", part=1 << 20)
            intake = self.send("post", "intakes", {"upload": upload, "role": "members"}, 201)
            self.send(
                "put", f"intakes/{intake['id']}", {"mapping": {**intake["mapping"], "dated": day}}
            )
            self.send("post", f"intakes/{intake['id']}/count", status=202)
            run_jobs()
        for to, said in (
            ("2026-03-31", "Traits, as known on 31 May 2026"),
            ("2026-06-30", "Traits"),
        ):
            groups = {
                f["field"]: f["group"] for f in self.get("fields", to=to, back="all")["fields"]
            }
            self.assertEqual((groups["trait:club"], groups["trait:score"]), (said, said))
            self.assertEqual(groups["trait:garden"], "Traits")
        threads = {
            t["name"]: t for t in self.get("measures", to="2026-03-31", back="all")["threads"]
        }
        self.assertEqual(threads["trait:club"]["note"], "as known later, on 31 May 2026")
        self.assertEqual(threads["trait:club"]["numbers"]["figures"]["high"], 9)

    def test_ids_are_shown_with_their_card(self):
        self.later("2026-05-31")
        (card,) = self.page("A")["cards"]
        self.assertEqual(card["ids"], {"Phone": "0701"})


class Corrections(Case):
    def correct(self, code, value, trait="garden", status=204):
        path = f"customer/{self.number(code)}/trait"
        return self.send("post", path, {"trait": trait, "value": value}, status)

    def test_put_right_taken_back_and_told_by_whom(self):
        self.correct("C", "allotment")
        trait = self.trait("C")
        self.assertEqual(trait["now"], "allotment")
        self.assertEqual([c["person"] for c in trait["corrected"]], ["iris"])
        self.assertEqual(self.lens("trait:garden", "allotment", **self.window), 1)
        self.correct("C", "yard")
        self.undo()
        self.assertEqual(self.trait("C")["now"], "allotment")
        self.undo()
        self.assertEqual((self.trait("C")["now"], self.trait("C")["corrected"]), ("", []))
        self.send("post", "history/redo")
        self.assertEqual(self.trait("C")["now"], "allotment")

    def test_a_date_and_what_is_none(self):
        self.correct("C", "2026-02-28", "joined_on")
        self.assertEqual(self.trait("C", "joined_on")["now"], "2026-02-28")
        self.assertIn("is no date", self.correct("C", "Monday", "joined_on", 400)["detail"])
        self.assertIn("No customer table", self.correct("C", "1", "shoes", 404)["detail"])
        self.send("post", "customer/99/trait", {"trait": "garden", "value": "yard"}, 404)


class Erasing(Case):
    def test_two_lists_of_the_same_people_both_let_go_of_one_who_is_erased(self):
        """Kept from the same lens on the same day, both lists are one column."""
        clauses = [{"field": "measure:frequency", "ranges": [[1, None]]}]
        for name in ("First", "Second"):
            body = {"name": name, "kind": "list", "clauses": clauses}
            self.send("post", "kept?to=2026-06-30&back=all", body, 201)
        lists = KeptLens.objects.order_by("name")
        before = [kept.customers for kept in lists]
        self.erase("A")
        self.assertEqual([kept.customers for kept in lists.all()], [n - 1 for n in before])
        for kept in lists.all():
            self.assertEqual(self.lens(f"kept:{kept.pk}", INSIDE), before[0] - 1)

    def erase(self, code, status=204, client=None):
        path = f"customer/{self.number(code)}"
        return self.send("delete", path, status=status, client=client)

    def test_nothing_names_the_person_and_no_total_changes(self):
        self.send("post", f"customer/{self.number('A')}/trait", {"trait": "garden", "value": "x"},
                  204)  # fmt: skip
        kept = {"name": "Yard", "kind": "list",
                "clauses": [{"field": "trait:garden", "values": ["x"]}]}  # fmt: skip
        self.send("post", "kept?to=2026-06-30&back=all", kept, 201)
        number, before = self.number("A"), self.get("ledger", **self.window)
        self.erase("A")
        after = self.get("ledger", **self.window)
        self.assertEqual(after["balance"], before["balance"])
        self.assertEqual(after["counted_total"], before["counted_total"])
        page = self.get(f"customer/{number}")
        self.assertEqual((page["name"], page["erased"], page["address"]),
                         ("An erased person", True, ""))  # fmt: skip
        self.assertEqual({t["now"] for t in page["traits"]}, {""})
        self.assertFalse(Correction.objects.exists() or CardId.objects.filter(card=number).exists())
        (kept,) = self.get("kept", **self.window)["kept"]
        self.assertEqual(kept["customers"], 0)
        for folder in settings.COLUMN_FILES.glob("column-*"):
            self.assertNotIn(b"a@example.org", (folder / "values.npy").read_bytes())
        rows = self.get("ledger/lines")["lines"]
        self.assertNotIn("A", {row["card"] for row in rows})
        self.assertIn(
            "erased already", self.send("delete", f"customer/{number}", status=400)["detail"]
        )

    def test_a_later_file_brings_nobody_back(self):
        self.erase("A")
        more = LOG.replace("2026-0", "2026-1").replace("2026-06", "2026-07")
        self.bring_in(more, "more.csv")
        self.bring_in(MEMBERS.replace("yard", "field"), "members again.csv")
        self.assertFalse(Card.objects.filter(code="A").exists())
        self.assertFalse(Card.objects.filter(address="a@example.org").exists())
        self.assertTrue(Card.objects.filter(code="B").exists())

    def test_only_an_owner_may(self):
        anna = self.person("anna")
        self.study.members.create(person=anna, role="analyst")
        self.erase("A", 403, self.signed_in(anna))
        self.assertTrue(Card.objects.filter(code="A").exists())


class Receipts(Case):
    def test_a_receipt_with_its_return(self):
        receipt = next(r for r in self.page("A")["receipts"] if r["day"] == "2026-03-12")
        page = self.get(f"receipt/{receipt['key']}")
        (part,) = page["parts"]
        self.assertEqual((part["name"], part["receipt"]["money"]), ("A", 2000))
        (link,) = page["returns"]
        self.assertEqual((link["sale_row"], link["return_row"]), (4, 5))
        self.assertEqual(page["files"], {str(link["sale_file"]): "log.csv"})

    def test_a_receipt_without_a_card(self):
        rows = self.get("ledger/lines", rule="no_customer")["lines"]
        page = self.get(f"receipt/{rows[0]['receipt']}")
        (part,) = page["parts"]
        self.assertEqual((part["customer"], part["name"]), (None, ""))

    def test_no_such_receipt(self):
        for key in ("0" * 16, "nothing", "f" * 40):
            self.get(f"receipt/{key}", status=404)
