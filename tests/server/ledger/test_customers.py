"""One customer's page: receipts with what does not count and why, traits with their past."""

from sortija.server.ledger.models import Card
from tests.server.support import LOG, MEMBERS, ServerCase


class CustomerPages(ServerCase):
    def setUp(self):
        super().setUp()
        self.both_files()
        self.numbers = dict(Card.objects.values_list("code", "number"))

    def page(self, code):
        return self.get(f"customer/{self.numbers[code]}")

    def measures(self, code, **window):
        page = self.get(f"customer/{self.numbers[code]}/measures", **window)
        return {row["name"]: row for row in page["measures"]}

    def test_receipts_with_reasons(self):
        page = self.page("B")
        self.assertEqual((page["name"], page["total"], page["left_out"]), ("B", 3, 0))
        days = [receipt["day"] for receipt in page["receipts"]]
        self.assertEqual(days, ["2026-06-20", "2026-02-11", ""])
        reasons = [[line["reason"] for line in r["lines"]] for r in page["receipts"]]
        self.assertEqual(reasons, [[""], ["", "twice"], ["no_date"]])
        undated = page["receipts"][-1]
        self.assertEqual(undated["lines"][0]["unread"], {"moment": "31/02/2026"})
        self.assertEqual((undated["purchase"], undated["money"]), (False, 0))
        self.assertEqual(page["rules"]["twice"], "Receipt came twice")

    def test_lines_of_one_receipt_and_a_return(self):
        first = self.page("A")["receipts"][0]
        self.assertEqual([line["kind"] for line in first["lines"]], ["sale", "return"])
        self.assertEqual((first["money"], first["purchase"]), (2000, True))
        self.send("put", "ledger/rules/returns", {"on": True})
        now = self.page("A")["receipts"][0]
        self.assertEqual(now["lines"][1]["reason"], "returns")
        self.assertEqual(now["money"], 3000)

    def test_traits_with_what_was_told_before(self):
        self.bring_in(MEMBERS.replace("A,2020-01-01,yard", "A,2020-01-01,balcony"), "new.csv")
        garden = next(t for t in self.page("A")["traits"] if t["name"] == "Garden")
        self.assertEqual(garden["now"], "balcony")
        self.assertEqual([at["value"] for at in garden["told"]], ["balcony", "yard"])

    def test_why_frequency_is_two(self):
        why = self.measures("A")["frequency"]
        self.assertEqual(why["value"], 2)
        self.assertIn("2 receipts with at least one kept sale", why["words"])
        keys = [r["key"] for r in self.page("A")["receipts"] if r["purchase"]]
        self.assertEqual(sorted(why["receipts"]), sorted(keys))

    def test_sentences_agree_with_the_table(self):
        for code in "ABC":
            listed = self.get("customers", order="measure:monetary")
            place = listed["names"].index(code)
            columns = {c["field"]: c["numbers"] for c in listed["columns"] if c["numbers"]}
            mine = self.measures(code)
            for name in ("recency", "frequency", "monetary"):
                self.assertEqual(mine[name]["value"], columns[f"measure:{name}"][place])
            self.assertIn(f"£{mine['monetary']['value']:,.2f}", mine["monetary"]["words"])
            self.assertEqual(listed["numbers"][place], self.numbers[code])

    def test_another_window_tells_otherwise(self):
        march = self.measures("A", to="2026-02-28", back="3")
        self.assertEqual(march["frequency"]["value"], 1)
        self.assertIn("1 receipt with at least one kept sale", march["frequency"]["words"])

    def test_somebody_known_by_the_table_alone(self):
        page = self.page("D")
        self.assertEqual((page["receipts"], page["total"]), ([], 0))
        self.assertIsNone(self.measures("D")["recency"]["value"])
        self.assertIn("No purchase", self.measures("D")["frequency"]["words"])

    def test_nobody(self):
        self.get("customer/999", 404)

    def test_a_stranger_sees_nothing(self):
        stranger = self.signed_in(self.person("sam"))
        self.get(f"customer/{self.numbers['A']}", 404, client=stranger)
        self.get(f"customer/{self.numbers['A']}/measures", 404, client=stranger)

    def test_before_the_log_was_counted(self):
        self.study.intakes.filter(role="log").update(state="taken back")
        self.assertEqual(self.page("A")["receipts"], [])
        page = self.get(f"customer/{self.numbers['A']}/measures")
        self.assertEqual(page["measures"], [])  # nothing comes from a log that is not there


class TwoFiles(ServerCase):
    def test_lines_say_which_file_they_came_by(self):
        head = LOG.splitlines()[0]
        first = self.bring_in(LOG, "one.csv")
        row = "21,A,2026-06-01 10:00,North,web,101,Seeds,1,3.00,3.00,sale"
        second = self.bring_in(f"{head}\n{row}\n", "two.csv")
        number = Card.objects.get(code="A").number
        receipts = self.get(f"customer/{number}")["receipts"]
        files = {line["file"] for receipt in receipts for line in receipt["lines"]}
        self.assertEqual(files, {first["id"], second["id"]})
        self.assertEqual(receipts[0]["channel"], "web")
